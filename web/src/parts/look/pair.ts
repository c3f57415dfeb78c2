// The one or two pictures of a set that lie on the table: which there are to choose from, and how the second goes with the first.
import { computed, ref, watch, type Ref } from 'vue';

import { useFile } from '@/api/arriving';
import type { SetView } from '@/api/client';
import type { Figure } from '@/parts/widgets/FigureList.vue';

import { useAddress } from '@/lib/page/address';
import { WAYS_TOGETHER, type Look, type Together } from './painter';
import { isOverlay, ofEvidence, ofFile, ofOutput, VIEWS, viewsOf, type View } from '@/lib/pictures/pictures';

/** The key of a figure's picture among those that can be laid over the first. */
export function keyOf({ kind, channel }: Pick<Figure, 'kind' | 'channel'>): string {
  return `evidence-${kind}${channel ? `-${channel}` : ''}`;
}

export function usePair(set: Ref<SetView | undefined>) {
  const a = useAddress('a', '');
  const b = useAddress('b', '');
  const view = useAddress<View>('channel', 'RGB', VIEWS);
  const place = {
    exposure: useAddress('exposure', 0),
    times: useAddress('tiling', 1, [1, 2, 3]),
    together: useAddress<Together>('together', 'a', WAYS_TOGETHER),
    wipe: useAddress('wipe', 0.5),
    factor: useAddress('factor', 8),
    clipping: useAddress('clipping', false),
  };
  const look = ref<Look>({
    channel: 0,
    exposure: place.exposure.value,
    colour: true,
    times: place.times.value,
    together: place.together.value,
    wipe: place.wipe.value,
    factor: place.factor.value,
    clipping: place.clipping.value,
  });
  watch(
    look,
    (now) => {
      place.exposure.value = now.exposure;
      place.times.value = now.times;
      place.together.value = now.together;
      place.wipe.value = Math.round(now.wipe * 1000) / 1000;
      place.factor.value = now.factor;
      place.clipping.value = now.clipping;
    },
    { deep: true },
  );
  const subjects = computed(() => {
    const now = set.value;
    if (!now) return [];
    const files = now.files.map((file) => ofFile(file));
    const outputs = (now.build?.outputs ?? []).map((output) => ofOutput(output));
    return [...files, ...outputs].map((subject) => ({
      key: `${subject.kind}-${subject.id}`,
      label: subject.name,
      subject,
    }));
  });
  const first = computed(() => subjects.value.find((entry) => entry.key === a.value)?.subject ?? null);
  const firstFile = computed(() => (first.value?.kind === 'files' ? first.value.id : null));
  const measured = useFile(firstFile);
  /** Lay a figure's picture over the first one, or take it away again; one that cannot lie over it stands in its place. */
  function lay(figure: Figure): void {
    b.value = b.value === keyOf(figure) ? '' : keyOf(figure);
  }
  /** Pictures behind the figures of the first file, to be laid over it or to stand in its place. */
  const overlays = computed(() => {
    const file = first.value;
    const figures = measured.data.value?.figures ?? [];
    if (file?.kind !== 'files' || measured.data.value?.id !== file.id) return [];
    return figures.flatMap(({ what, kind, channel, caption }) => {
      if (!kind || kind === 'plain') return [];
      const label = `${what.startsWith('channel') ? `${what}: ` : ''}${caption}`;
      return [
        {
          key: keyOf({ kind, channel }),
          label,
          subject: ofEvidence(file, kind, label, channel),
        },
      ];
    });
  });
  const others = computed(() => [
    ...overlays.value,
    ...subjects.value.filter((entry) => entry.key !== a.value),
  ]);
  const second = computed(() => others.value.find((entry) => entry.key === b.value)?.subject ?? null);
  const views = computed(() => viewsOf(first.value?.channels ?? []));
  const shown = computed<View>(() => (views.value.includes(view.value) ? view.value : 'RGB'));
  const onTable = computed(() =>
    look.value.together === 'b' && second.value && !second.value.address ? second.value : first.value,
  );

  watch(
    subjects,
    (now) => {
      if (now.length && !now.some((entry) => entry.key === a.value)) {
        const base = set.value?.lines.find((line) => line.property === 'base_colour')?.file;
        a.value = base ? `files-${base.id}` : (now[0]?.key ?? '');
      }
    },
    { immediate: true },
  );
  watch(b, (now) => {
    const kind = now.startsWith('evidence-') ? now.replace('evidence-', '') : '';
    const aside = kind && !isOverlay(kind.replace(/-[YRGBA]$/, ''));
    look.value.together = now ? (aside ? 'b' : 'wipe') : 'a';
  });
  watch(shown, (now) => (look.value.channel = { RGB: 0, R: 1, G: 2, B: 3, A: 1 }[now]));
  watch(
    first,
    (now) => {
      const line = set.value?.lines.find(
        (line) => line.file?.id === now?.id && line.row?.encoding === 'srgb',
      );
      const output = set.value?.build?.outputs.find((output) => output.id === now?.id);
      look.value.colour = now?.kind === 'outputs' ? output?.encoding === 'srgb' : Boolean(line);
    },
    { immediate: true },
  );
  return {
    a,
    b,
    view,
    look,
    subjects,
    others,
    first,
    second,
    firstFile,
    measured,
    views,
    shown,
    onTable,
    lay,
  };
}
