// Rows of a list that are chosen together, one by one or by reaching from row to row.
import { computed, ref } from 'vue';

/** `names` gives all rows in their order; those that are gone are not chosen any more. */
export function useChosen(names: () => readonly string[]) {
  const chosen = ref(new Set<string>());
  const picked = computed(() => names().filter((name) => chosen.value.has(name)));
  function choose(name: string): void {
    const next = new Set(chosen.value);
    if (!next.delete(name)) next.add(name);
    chosen.value = next;
  }
  /** Reach from a row to the one so many further: both are chosen, and going back lets go. Gives the row that is reached. */
  function reach(at: number, by: number): string {
    const [here, there] = [names()[at], names()[at + by]];
    if (here === undefined || there === undefined) return here ?? '';
    const next = new Set(chosen.value);
    if (next.has(here) && next.has(there)) next.delete(here);
    else next.add(here).add(there);
    chosen.value = next;
    return there;
  }
  function none(): void {
    chosen.value = new Set();
  }
  return { chosen, picked, choose, reach, none };
}
