// What the picture well of a set's page shows: the chosen row's source or output, or what was picked from the shelf, the outputs or
// the proofs; by which channels, and whether as the blocks that the engine gets.
import { computed, ref, watch, type Ref } from 'vue';

import type { ChannelName, FileView, OutputView, SetView } from '@/api/client';
import type { Blocks } from '@/parts/PictureWell.vue';

import { ddsUrl } from './dds';
import { ofFile, ofOutput, viewOfChannels, viewOfLine, type Pictured, type View } from './pictures';

export function useWell(view: Ref<SetView | undefined>, chosen: Ref<string>) {
  /** What was picked from the shelf or the outputs; null shows the chosen row. */
  const picked = ref<Pictured | null>(null);
  const asBlocks = ref(false);
  const side = ref<'source' | 'output'>('source');
  const channels = ref<View>('RGB');

  const line = computed(() => view.value?.lines.find((entry) => entry.property === chosen.value));
  const outputOfLine = computed(() => {
    const goes = line.value?.to[0];
    return view.value?.build?.outputs.find((output) => output.file_name === goes?.file_name);
  });
  const subject = computed<Pictured | null>(() => {
    if (picked.value) return picked.value;
    if (side.value === 'output' && outputOfLine.value) return ofOutput(outputOfLine.value);
    return line.value?.file ? ofFile(line.value.file) : null;
  });
  /** The output whose picture or blocks the well shows. */
  const outputShown = computed(() => {
    if (picked.value?.kind === 'outputs') {
      return view.value?.build?.outputs.find((output) => output.id === picked.value?.id);
    }
    return picked.value ? undefined : outputOfLine.value;
  });
  const blocks = computed<Blocks | null>(() => {
    const planned = view.value?.planned.find((entry) => entry.file_name === outputShown.value?.file_name);
    if (!view.value || !planned?.proof) return null;
    const { figures, sha256 } = planned.proof;
    return {
      url: ddsUrl(view.value.id, planned.key, sha256),
      title: planned.storage.format.toUpperCase(),
      shown: asBlocks.value,
      colour: (figures.colours?.length ?? 0) > 0,
      rebuild: figures.normal != null && ['bc5'].includes(planned.storage.format),
      grey: planned.channels === 'Y',
    };
  });
  const shown = computed(() => {
    const output = outputShown.value;
    return blocks.value?.shown && output ? ofOutput(output) : subject.value;
  });

  watch(chosen, show);
  watch(() => line.value?.row, show);
  function show(): void {
    picked.value = null;
    if (!line.value) return;
    const goes = side.value === 'output' && outputOfLine.value ? line.value.to[0] : undefined;
    channels.value = goes ? viewOfChannels([...goes.channels] as ChannelName[]) : viewOfLine(line.value);
  }
  function swap(): void {
    if (!outputOfLine.value && side.value === 'source') return;
    side.value = side.value === 'source' ? 'output' : 'source';
    show();
  }
  function pick(what: Pictured, by: View = 'RGB'): void {
    picked.value = what;
    channels.value = by;
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
    lookAtDifference: (difference: Pictured) => pick(difference),
  };
}
