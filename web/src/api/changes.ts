// Changes of sets and variants as they wait to be sent: what each kind is, and how it is sent.
import type { Origin } from './arriving';
import {
  api,
  take,
  type Assignment,
  type Schemas,
  type SetView,
  type Storage,
  type VariantView,
} from './client';

export type SetChange =
  | { kind: 'assign'; property: string; body: Assignment }
  | { kind: 'clear'; property: string }
  | { kind: 'call'; property: string; name: string }
  | { kind: 'store'; output: string; storage: Storage | null }
  | { kind: 'origin'; origin: Origin }
  | { kind: 'describe'; name?: string; target?: string; surface?: boolean };

/** Send a change of a set, with the newest edit that the page has seen: what somebody else has done since is never overwritten. */
export function sendSetChange(setId: number, change: SetChange, seen: number): Promise<SetView> {
  const path = { set_id: setId };
  const query = { seen };
  switch (change.kind) {
    case 'assign':
      return take(
        api.PUT('/api/sets/{set_id}/rows/{key}', {
          params: { path: { ...path, key: change.property }, query },
          body: change.body,
        }),
      );
    case 'clear':
      return take(
        api.DELETE('/api/sets/{set_id}/rows/{key}', {
          params: { path: { ...path, key: change.property }, query },
        }),
      );
    case 'call':
      return take(
        api.PUT('/api/sets/{set_id}/rows/{key}/name', {
          params: { path: { ...path, key: change.property }, query },
          body: { name: change.name },
        }),
      );
    case 'store':
      return change.storage
        ? take(
            api.PUT('/api/sets/{set_id}/storage/{output}', {
              params: { path: { ...path, output: change.output }, query },
              body: change.storage,
            }),
          )
        : take(
            api.DELETE('/api/sets/{set_id}/storage/{output}', {
              params: { path: { ...path, output: change.output }, query },
            }),
          );
    case 'origin':
      return take(api.PUT('/api/sets/{set_id}/origin', { params: { path, query }, body: change.origin }));
    case 'describe':
      return take(
        api.PATCH('/api/sets/{set_id}', {
          params: { path, query },
          body: { name: change.name ?? null, target: change.target ?? null, surface: change.surface ?? null },
        }),
      );
  }
}

/** Some of a variant's own values by name, null for those that go back to the master's; its name; or another version. */
export interface VariantChange {
  name?: string;
  values?: Record<string, unknown>;
  version?: number;
  /** The sets of all layers and free textures. */
  layers?: Record<string, Schemas['WornSet']>;
}

export function getVariant(variantId: number): Promise<VariantView> {
  return take(api.GET('/api/variants/{variant_id}', { params: { path: { variant_id: variantId } } }));
}

export function getSet(setId: number): Promise<SetView> {
  return take(api.GET('/api/sets/{set_id}', { params: { path: { set_id: setId } } }));
}

/** Send a change of a variant. Values that it does not name stay as `now` has them. */
export function sendVariantChange(
  variantId: number,
  change: VariantChange,
  seen: number,
  now: VariantView | undefined,
): Promise<VariantView> {
  const values = change.values && mergedValues(now?.values ?? {}, change.values);
  return take(
    api.PATCH('/api/variants/{variant_id}', {
      params: { path: { variant_id: variantId }, query: { seen } },
      body: {
        name: change.name ?? null,
        values: (values ?? null) as Schemas['VariantChange']['values'],
        version: change.version ?? null,
        layers: change.layers ?? null,
      },
    }),
  );
}

/** Values with changes over them; null takes a value away. */
export function mergedValues<T>(
  values: Record<string, T>,
  changes: Record<string, unknown>,
): Record<string, T> {
  const merged = { ...values, ...changes } as Record<string, T | null>;
  return Object.fromEntries(Object.entries(merged).filter(([, value]) => value !== null)) as Record<
    string,
    T
  >;
}
