// A variant's own values on the page, as they were set, and a history of them.
import { ref } from 'vue';

import { mergedValues } from '@/api/changes';
import type { Parameter, Value, Values } from '@/api/client';

import { written } from './numbers';

export function sameValue(first: unknown, second: unknown): boolean {
  if (Array.isArray(first) && Array.isArray(second)) {
    return first.length === second.length && first.every((part, index) => part === second[index]);
  }
  return first === second;
}

/** What is wrong between the values of one group, as a sentence: a minimum above its maximum. */
export function groupProblem(parameters: readonly Parameter[], own: Values): string {
  const value = (end: string) => {
    const found = parameters.find((parameter) => parameter.kind === 'number' && parameter.name.endsWith(end));
    return found ? Number(own[found.name] ?? found.default) : null;
  };
  const [low, high] = [value(' low'), value(' high')];
  if (low === null || high === null || low <= high) return '';
  return `The minimum, ${written(low)}, is above the maximum, ${written(high)}: the range is turned around.`;
}

/** The parameters in their groups, in the master's order. */
export function grouped(parameters: readonly Parameter[]): { group: string; parameters: Parameter[] }[] {
  const groups = new Map<string, Parameter[]>();
  for (const parameter of parameters) {
    const group = groups.get(parameter.group) ?? [];
    group.push(parameter);
    groups.set(parameter.group, group);
  }
  return [...groups].map(([group, members]) => ({ group, parameters: members }));
}

/** The master that most sets are dressed with; the first where the studio does not have it. */
export function usualMaster<T extends { name: string }>(masters: readonly T[]): T | undefined {
  return masters.find(({ name }) => name === 'solid-surface') ?? masters[0];
}

/** Whether a parameter counts as things stand: the switch or choice that it is shown with is on, or at its word. */
export function counts(parameter: Parameter, values: Values): boolean {
  if (!parameter.only_with) return true;
  const other = values[parameter.only_with];
  return typeof other === 'boolean' ? other : other === parameter.only_at;
}

/** Every parameter's value: its own where there is one, the master's otherwise. */
export function withDefaults(parameters: readonly Parameter[], own: Values): Values {
  // What is no parameter of its own is a constant in the place of a map.
  return {
    ...Object.fromEntries(parameters.map((parameter) => [parameter.name, parameter.default])),
    ...own,
  };
}

/** Whether two sets of values are alike. */
export function sameValues(first: Values, second: Values): boolean {
  const names = new Set([...Object.keys(first), ...Object.keys(second)]);
  return [...names].every((name) => sameValue(first[name], second[name]));
}

/** What differs between two sets of values: the new value of each name, null where the second has none. */
export function changedValues(before: Values, after: Values): Record<string, Value | null> {
  const names = new Set([...Object.keys(before), ...Object.keys(after)]);
  const other = [...names].filter((name) => !sameValue(before[name], after[name]));
  return Object.fromEntries(other.map((name) => [name, after[name] ?? null]));
}

/** Values as they are set on a page. A drag is one change: `settle` ends it and says what it changed. */
export function useValues(start: Values) {
  const values = ref<Values>({ ...start });
  let settled: Values = { ...start };
  return {
    values,
    /** Set a value; undefined gives it back to the master. */
    set(name: string, value: Value | undefined): void {
      const others = Object.entries(values.value).filter(([other]) => other !== name);
      values.value = Object.fromEntries(value === undefined ? others : [...others, [name, value]]);
    },
    /** What was changed since the last time; null where nothing was. */
    settle(): Record<string, Value | null> | null {
      if (sameValues(settled, values.value)) return null;
      const changed = changedValues(settled, values.value);
      settled = { ...values.value };
      return changed;
    },
    /** Take what the server holds, with what still waits to be saved over it; a drag that is under way stays. */
    follow(from: Values, waiting: readonly Record<string, Value | null>[] = []): void {
      const drag = changedValues(settled, values.value);
      settled = waiting.reduce<Values>((values, changes) => mergedValues(values, changes), { ...from });
      values.value = mergedValues(settled, drag);
    },
  };
}
