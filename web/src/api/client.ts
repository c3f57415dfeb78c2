// The typed client of the API, and its one error.
import createClient, { type Middleware } from 'openapi-fetch';

import type { components, paths } from './schema.generated';

export type Schemas = components['schemas'];
export type SetView = Schemas['SetView'];
export type LineView = Schemas['LineView'];
export type FileView = Schemas['FileView'];
export type OutputView = Schemas['OutputView'];
export type PlannedView = Schemas['PlannedView'];
export type ProofView = Schemas['ProofView'];
export type Storage = Schemas['Storage'];
/** A parameter's value: colours are three linear numbers. The query cache forgets that an array is a triple. */
export type Value = boolean | number | string | number[];
export type Values = Record<string, Value>;
export type Parameter = Omit<Schemas['Parameter'], 'default'> & { default: Value };
export type VariantView = Omit<Schemas['VariantView'], 'parameters' | 'values'> & {
  parameters: Parameter[];
  values: Values;
};
export type VariantLine = Schemas['VariantLine'];
/** The query cache forgets that an array is a triple. */
export type EnvironmentView = Omit<Schemas['EnvironmentView'], 'key'> & {
  key: { towards: number[]; colour: number[] } | null;
};
export type MasterView = Schemas['MasterView'];
export type DeliveryLine = Schemas['DeliveryLine'];
export type Tolerances = Schemas['Tolerances'];
export type JobView = Schemas['JobView'];
export type Board = Schemas['Board'];
export type ArrivalView = Schemas['ArrivalView'];
export type ProjectView = Schemas['ProjectView'];
export type Finding = Schemas['Finding'];
export type Assignment = Schemas['Assignment'];
export type ChannelName = FileView['channels'][number];

/** A refusal by the server: what is wrong, with what, and the way out. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly subject: string,
    readonly problem: string,
    readonly wayOut: string,
    /** Somebody else has changed the thing since it was looked at. */
    readonly overtaken = false,
  ) {
    super(`${subject} ${problem}`);
  }

  /** What is wrong with what: “oak.png is damaged.” A problem that is a sentence by itself follows a colon. */
  get sentence(): string {
    return `${this.subject}${/^\p{Ll}/u.test(this.problem) ? '' : ':'} ${this.problem}`;
  }
}

/** Whether a refusal only says that the server cannot be reached just now, or is in trouble: the same may be asked again. */
export function isAway(error: unknown): error is ApiError {
  return error instanceof ApiError && (error.status === 0 || error.status === 429 || error.status >= 500);
}

/** The CSRF token that the server put into a cookie. */
export function csrfToken(cookies: string = document.cookie): string {
  return cookies.match(/(?:^|;\s*)csrftoken=([^;]+)/)?.[1] ?? '';
}

/** The target that the pages show, where they show another than a project's usual one. */
export const looking = { target: '' };

const withToken: Middleware = {
  onRequest({ request }) {
    if (looking.target) request.headers.set('X-Target', looking.target);
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken());
    return request;
  },
};

/** Who is asked when a session has ended: settles with whether the same person has signed in again. */
export const door: { ask: (() => Promise<boolean>) | null } = { ask: null };

// What was asked in a session that has ended is asked again once its user is back: nothing on the page is lost.
const asked = new WeakMap<Request, Request>();
const afterSigningIn: Middleware = {
  onRequest({ request }) {
    asked.set(request, request.clone());
    return undefined;
  },
  async onResponse({ request, response }) {
    const again = asked.get(request);
    if (response.status !== 401 || !again || new URL(request.url).pathname === '/api/session')
      return undefined;
    if (!(await door.ask?.())) return undefined;
    if (again.method !== 'GET') again.headers.set('X-CSRFToken', csrfToken());
    return fetch(again);
  },
};

export const api = createClient<paths>({ baseUrl: '/' });
api.use(withToken, afterSigningIn);

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; an ApiError is thrown for every refusal, and one of our own when nobody answers. */
export async function take<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new ApiError(0, 'The server', 'does not answer.', 'It is asked again by itself.');
  }
  if (!answer.response.ok) throw toApiError(answer.response.status, answer.error);
  return answer.data as T;
}

/** An ApiError from a refusal's body, whatever shape it has. */
export function toApiError(status: number, body: unknown): ApiError {
  if (body && typeof body === 'object' && 'problem' in body) {
    const { subject, problem, way_out, overtaken } = body as Schemas['ErrorBody'];
    return new ApiError(status, subject, problem, way_out, overtaken);
  }
  const way = 'It is asked again by itself; tell your administrator if it goes on.';
  if ([502, 503, 504].includes(status))
    return new ApiError(status, 'The server', `is not running, or is just starting (status ${status}).`, way);
  return new ApiError(status, 'The server', `answered with status ${status}.`, way);
}
