// What is painted on a model and not kept yet: it outlives the brush that is put away, and nobody leaves it without a question.
import { computed, ref, shallowRef, triggerRef, watch, type ShallowRef } from 'vue';

import { useUnkept } from '@/lib/page/unkept';
import { listedWords } from '@/lib/values/format';
import type { Model, ModelPart } from '@/stage/model';
import { Strokes } from '@/stage/painting';

/** `keep` keeps the parts that it is given, and throws what is wrong; `stay` says whether the page stays open. */
export function usePainted(
  model: ShallowRef<Model | null>,
  keep: (parts: ModelPart[], stay: boolean) => Promise<void>,
  wrong: (error: unknown) => void,
) {
  const strokes = shallowRef(new Strokes<ModelPart>());
  const changed = shallowRef<ModelPart[]>([]);
  const undoable = ref(0);
  const keeping = ref(false);
  const unkept = computed(() => changed.value.length > 0);

  function clear(): void {
    strokes.value = new Strokes<ModelPart>();
    changed.value = [];
    undoable.value = 0;
  }
  // The same model is told of anew when its triangles are counted anew.
  watch(model, (now, before) => now !== before && clear(), { flush: 'sync' });
  /** Something was painted, or taken back. */
  function look(): void {
    changed.value = strokes.value.changed();
    undoable.value = strokes.value.count;
  }
  /** A density was raised, or was taken back: the model has other triangles. */
  function recount(): void {
    if (model.value)
      model.value.triangles = model.value.parts.reduce((sum, { triangles }) => sum + triangles, 0);
    triggerRef(model);
  }
  async function save(stay: boolean): Promise<boolean> {
    keeping.value = true;
    try {
      await keep(changed.value, stay);
      return true;
    } catch (error) {
      wrong(error);
      return false;
    } finally {
      keeping.value = false;
    }
  }
  const names = () => listedWords(changed.value.map(({ name }) => name));
  const leave = useUnkept(unkept, {
    header: 'Leave what is painted?',
    message: () => `What you painted on ${names()} is not kept yet: leaving throws it away.`,
    leave: 'Throw it away',
    keep: { label: 'Keep it and leave', run: () => save(false) },
  });
  return { strokes, changed, undoable, unkept, keeping, look, recount, clear, save, leave };
}
