// What the picture well of a set's page shows: the chosen row's source or output, or what was picked from the shelf, the outputs or
// the proofs; by which channels, and whether as the blocks that the engine gets.
import { computed, ref, watch, type Ref } from 'vue';

import type { ChannelName, FileView, OutputView, PlannedView, SetView } from '@/api/client';
import { FORMATS } from '@/api/formats.generated';
import type { Blocks } from './PictureWell.vue';

import { ddsUrl } from '@/lib/pictures/dds';
import {
  ofDifference,
  ofFile,
  ofOutput,
  VIEWS,
  viewOfChannels,
  viewOfLine,
  type Pictured,
  type View,
} from '@/lib/pictures/pictures';

/** Where the page's address says what the well shows. */
export interface WellPlace {
  /** Empty for the view that fits the row. */
  channel: Ref<string>;
  side: Ref<'source' | 'output'>;
  blocks: Ref<boolean>;
}

/** `lit` is the set in light, where it has maps: it is shown first (`first`), and whenever somebody asks for it. */
export function useShownPicture(
  view: Ref<SetView | undefined>,
  chosen: Ref<string>,
  place: WellPlace,
  lit: Ref<Pictured | null>,
  first: boolean,
) {
  /** What was picked from the shelf or the outputs; null shows the chosen row. */
  const picked = ref<Pictured | null>(null);
  const inLight = ref(first);
  const { blocks: asBlocks, side } = place;
  /** The level of a texture that is looked at, and the output whose difference is. */
  const level = ref(0);
  const differs = ref('');
  /** The view that fits what is shown, for as long as nobody chooses another. */
  const fitting = ref<View>('RGB');
  const channels = computed<View>({
    get: () =>
      (VIEWS as readonly string[]).includes(place.channel.value)
        ? (place.channel.value as View)
        : fitting.value,
    set: (to) => (place.channel.value = to === fitting.value ? '' : to),
  });

  const line = computed(() => view.value?.lines.find((line) => line.property === chosen.value));
  const outputOfLine = computed(() => {
    const goes = line.value?.to[0];
    return view.value?.build?.outputs.find((output) => output.file_name === goes?.file_name);
  });
  const subject = computed<Pictured | null>(() => {
    if (picked.value) return picked.value;
    if (inLight.value && lit.value) return lit.value;
    if (side.value === 'output' && outputOfLine.value) return ofOutput(outputOfLine.value);
    return line.value?.file ? ofFile(line.value.file) : null;
  });
  /** The output whose picture or blocks the well shows. */
  const outputShown = computed(() => {
    if (picked.value?.kind === 'outputs') {
      return view.value?.build?.outputs.find((output) => output.id === picked.value?.id);
    }
    return picked.value || subject.value?.kind === 'lit' ? undefined : outputOfLine.value;
  });
  const blocks = computed<Blocks | null>(() => {
    const planned = view.value?.planned.find((entry) => entry.file_name === outputShown.value?.file_name);
    if (!view.value || !planned?.proof) return null;
    const { figures, sha256 } = planned.proof;
    return {
      url: ddsUrl(view.value.id, planned.key, sha256),
      title: FORMATS[planned.storage.format].title,
      shown: asBlocks.value,
      level: level.value,
      colour: (figures.colours?.length ?? 0) > 0,
      rebuild: figures.normal != null && FORMATS[planned.storage.format].channels === 'RG',
      grey: planned.channels === 'Y',
    };
  });
  const shown = computed<Pictured | null>(() => {
    const output = outputShown.value;
    if (!blocks.value?.shown || !output) return subject.value;
    const whole = ofOutput(output);
    if (!level.value) return whole;
    const edge = (texels: number): number => Math.max(1, texels >> level.value);
    const name = `${whole.name}, level ${level.value}`;
    return { ...whole, name, width: edge(output.width), height: edge(output.height) };
  });
  const proofShown = computed(() => {
    const name = picked.value?.kind === 'proofs' ? '' : outputShown.value?.file_name;
    const entry = view.value?.planned.find((planned) =>
      name ? planned.file_name === name : planned.key === differs.value,
    );
    return entry?.proof && (blocks.value?.shown || picked.value?.kind === 'proofs') ? entry : undefined;
  });
  /** The levels that can be looked through; none where no blocks and no difference are shown. */
  const levels = computed(() => {
    const figures = proofShown.value?.proof?.figures;
    return figures && figures.levels > 1 ? figures.levels : 0;
  });
  function lookAtLevel(to: number): void {
    level.value = Math.max(0, Math.min(to, levels.value - 1));
    const entry = proofShown.value;
    if (picked.value?.kind === 'proofs' && entry?.proof && view.value)
      picked.value = ofDifference(view.value.id, entry, entry.proof.sha256, level.value);
  }

  // Another row is looked at as a whole; the same one that comes again, after a reload say, as it was.
  watch(chosen, () => show());
  watch(() => line.value?.row, fitRow);
  function show(): void {
    inLight.value = false;
    place.channel.value = '';
    fitRow();
  }
  function fitRow(): void {
    picked.value = null;
    level.value = 0;
    if (!line.value) return;
    const goes = side.value === 'output' && outputOfLine.value ? line.value.to[0] : undefined;
    fitting.value = goes ? viewOfChannels([...goes.channels] as ChannelName[]) : viewOfLine(line.value);
  }
  function swap(): void {
    if (!outputOfLine.value && side.value === 'source') return;
    side.value = side.value === 'source' ? 'output' : 'source';
    show();
  }
  function pick(what: Pictured, by: View = 'RGB'): void {
    picked.value = what;
    level.value = 0;
    fitting.value = by;
    place.channel.value = '';
  }
  return {
    line,
    outputOfLine,
    blocks,
    shown,
    picked,
    asBlocks,
    side,
    channels,
    show,
    swap,
    /** The chosen row's own picture, by one of its channels. */
    showChannel(to: View): void {
      if (inLight.value) show();
      channels.value = to;
    },
    /** The whole set in light. */
    showLit(): void {
      picked.value = null;
      inLight.value = true;
    },
    lookAt: (file: FileView, channel: ChannelName | null) =>
      pick(ofFile(file), channel ? viewOfChannels([channel]) : 'RGB'),
    lookAtOutput(output: OutputView): void {
      asBlocks.value = false;
      pick(ofOutput(output));
    },
    lookAtBlocks(output: OutputView): void {
      pick(ofOutput(output));
      asBlocks.value = true;
    },
    level,
    levels,
    lookAtLevel,
    lookAtDifference(planned: PlannedView, at = 0): void {
      if (!planned.proof || !view.value) return;
      pick(ofDifference(view.value.id, planned, planned.proof.sha256, at));
      differs.value = planned.key;
      level.value = at;
    },
  };
}
