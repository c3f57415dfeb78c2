// One rule for work that is only on the page: nobody leaves it, or has it taken away, without a question. The question offers to keep
// the work where that can be done, and staying is what enter does.
import { onBeforeUnmount, onMounted, shallowRef, watch, type Ref } from 'vue';
import { useRouter } from 'vue-router';

export interface Unkept {
  header: string;
  /** What is not kept, and what leaving does to it. */
  message: () => string;
  /** What leaving is called. */
  leave: string;
  /** Keep it first; gives whether that was done. */
  keep?: { label: string; run: () => Promise<boolean> };
}
interface Asked {
  unkept: Unkept;
  answer: (go: boolean) => void;
}
/** The question that stands over the page. */
export const asked = shallowRef<Asked | null>(null);
/** What asks on the pages that are open. */
const asking = new Set<() => Promise<boolean>>();

/** Whether all that is only on the page may be left: whoever has such work is asked. */
export async function mayLeave(): Promise<boolean> {
  for (const ask of asking) if (!(await ask())) return false;
  return true;
}

/** Ask before the page is left while `unkept` holds. Gives the same question for what takes the work away on the page itself. */
export function useUnkept(unkept: Ref<boolean>, words: Unkept): () => Promise<boolean> {
  const router = useRouter();
  // Who has said that it may go is not asked twice for the same work.
  let given = false;
  watch(unkept, () => (given = false));
  const warn = (event: BeforeUnloadEvent) => {
    if (unkept.value) event.preventDefault();
  };
  const ask = async (): Promise<boolean> => {
    if (!unkept.value || given) return true;
    asked.value?.answer(false);
    given = await new Promise<boolean>((resolve) => {
      asked.value = {
        unkept: words,
        answer: (go) => {
          asked.value = null;
          resolve(go);
        },
      };
    });
    return given;
  };
  // What is chosen on a page stands in its address: that is no leaving.
  const stop = router.beforeEach((to, from) => to.path === from.path || ask());
  asking.add(ask);
  onMounted(() => window.addEventListener('beforeunload', warn));
  onBeforeUnmount(() => {
    stop();
    asking.delete(ask);
    window.removeEventListener('beforeunload', warn);
  });
  return ask;
}
