// @vitest-environment happy-dom
// What is written in a document stays, whatever is in the way of its saving: a server that is away, a reload, more typing.
import { flushPromises } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import { Refusal, answers, begin, changes, press, visit } from '@/tests/harness';
import { TOLERANCES } from '@/tests/rules';

import TolerancesPage from './TolerancesPage.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
afterEach(() => vi.useRealTimers());

const PATH = '/api/projects/{slug}/tolerances';
const AWAY = new Refusal(502, 'The server', 'is not running.', 'It is asked again by itself.');
let kept = { version: 3, versions: [], tolerances: { ...TOLERANCES, normal_mean: 3 } };
/** How many times the server does not answer before it does. */
let silent = 0;

beforeEach(() => {
  begin();
  kept = { version: 3, versions: [], tolerances: { ...TOLERANCES, normal_mean: 3 } };
  silent = 0;
  answers[`GET ${PATH}`] = () => ({ ...kept });
  answers[`PUT ${PATH}`] = () => {
    if (silent-- > 0) return AWAY;
    const sent = changes().at(-1)?.body?.tolerances as typeof TOLERANCES;
    kept = { version: kept.version + 1, versions: [], tolerances: sent };
    return { ...kept };
  };
});
async function later(seconds: number): Promise<void> {
  await vi.advanceTimersByTimeAsync(seconds * 1000);
  await flushPromises();
}
const saved = () => kept.tolerances.normal_mean;

describe('a document that is written on a page', () => {
  it('is saved as soon as a server that was away answers, and says meanwhile that it waits', async () => {
    const page = await visit(TolerancesPage, 'tolerances');
    vi.useFakeTimers();
    silent = 2;
    await press(page, 'usual: 2');
    await press(page, 'Save');
    expect(page.text()).toContain('Waiting for the server; it is saved as soon as it answers.');
    expect(saved()).toBe(3);
    await later(7);
    expect(saved()).toBe(2);
    expect(changes()).toHaveLength(3);
    expect(page.text()).not.toContain('Waiting for the server');
    expect(page.text()).not.toContain('Discard changes');
  });

  it('is here again after the page was left unsaved, and says so', async () => {
    const page = await visit(TolerancesPage, 'tolerances');
    await press(page, 'usual: 2');
    page.unmount();
    const again = await visit(TolerancesPage, 'tolerances');
    expect(again.text()).toContain('Your changes from before are here again, not saved yet.');
    await press(again, 'Save');
    expect(saved()).toBe(2);
    again.unmount();
    const third = await visit(TolerancesPage, 'tolerances');
    expect(third.text()).not.toContain('Your changes from before');
  });

  it('is not tried again once its page is left', async () => {
    const page = await visit(TolerancesPage, 'tolerances');
    vi.useFakeTimers();
    silent = 100;
    await press(page, 'usual: 2');
    await press(page, 'Save');
    page.unmount();
    await later(30);
    expect(changes()).toHaveLength(1);
    expect(localStorage.length).toBe(1);
  });

  it('keeps what is typed while it is being saved', async () => {
    const page = await visit(TolerancesPage, 'tolerances');
    vi.useFakeTimers();
    silent = 1;
    await press(page, 'usual: 2');
    await press(page, 'Save');
    const field = page.get<HTMLInputElement>('input[aria-label^="Mean colour error"]');
    await field.setValue('4.5');
    await field.trigger('change');
    await later(4);
    expect(saved()).toBe(2);
    expect(field.element.value).toBe('4.5');
    expect(page.text()).toContain('Discard changes');
  });
});
