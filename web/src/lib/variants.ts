// A variant's own values on the page, as they were set, and a history of them.
import { ref } from 'vue';

import type { Parameter, Value, Values } from '@/api/client';

import { written } from './numbers';

export function sameValue(first: unknown, second: unknown): boolean {
  if (Array.isArray(first) && Array.isArray(second)) {
    return first.length === second.length && first.every((part, index) => part === second[index]);
  }
  return first === second;
}

/** What is wrong with a number's ranges, as a sentence; empty where nothing is. */
export function rangeProblem(parameter: Parameter): string {
  if (parameter.kind !== 'number') return '';
  const { soft_low: low, soft_high: high, hard_low: least, hard_high: most } = parameter;
  const value = Number(parameter.default);
  if (low >= high) return `The slider runs from ${written(low)} to ${written(high)}: from must be below to.`;
  if (least != null && most != null && least >= most)
    return `The hard minimum, ${written(least)}, must be below the hard maximum, ${written(most)}.`;
  if (least != null && (value < least || low < least))
    return `Default and slider must not go below the hard minimum, ${written(least)}.`;
  if (most != null && (value > most || high > most))
    return `Default and slider must not go above the hard maximum, ${written(most)}.`;
  return '';
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

/** Every parameter's value: its own where there is one, the master's otherwise. */
export function withDefaults(parameters: readonly Parameter[], own: Values): Values {
  return Object.fromEntries(parameters.map((entry) => [entry.name, own[entry.name] ?? entry.default]));
}

/** Whether two sets of values are alike. */
export function sameValues(first: Values, second: Values): boolean {
  const names = new Set([...Object.keys(first), ...Object.keys(second)]);
  return [...names].every((name) => sameValue(first[name], second[name]));
}

/** Values that can be changed, undone and done again. A drag is one step: `settle` ends it. */
export function useValues(start: Values) {
  const values = ref<Values>({ ...start });
  const past = ref<Values[]>([]);
  const future = ref<Values[]>([]);
  let settled: Values = { ...start };
  return {
    values,
    past,
    future,
    /** Set a value; undefined gives it back to the master. */
    set(name: string, value: Value | undefined): void {
      const others = Object.entries(values.value).filter(([other]) => other !== name);
      values.value = Object.fromEntries(value === undefined ? others : [...others, [name, value]]);
    },
    /** Make what was changed since the last time one step. Says whether there was anything. */
    settle(): boolean {
      if (sameValues(settled, values.value)) return false;
      past.value.push(settled);
      future.value = [];
      settled = { ...values.value };
      return true;
    },
    /** Go a step back or forth. Says whether there was one. */
    step(direction: 'undo' | 'redo'): boolean {
      const [from, to] = direction === 'undo' ? [past, future] : [future, past];
      const next = from.value.pop();
      if (!next) return false;
      to.value.push(settled);
      settled = { ...next };
      values.value = { ...next };
      return true;
    },
    /** Begin again from what the server holds. */
    start(from: Values): void {
      settled = { ...from };
      values.value = { ...from };
      past.value = [];
      future.value = [];
    },
  };
}
