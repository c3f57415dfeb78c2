// @vitest-environment happy-dom
// What the picture well of a set's page shows, as rows, outputs and proofs are chosen.
import { describe, expect, it } from 'vitest';
import { effectScope, nextTick, ref } from 'vue';

import type { FileView, OutputView, SetView } from '@/api/client';
import { ofLit, pictureUrl } from '@/lib/pictures/pictures';

import { useShownPicture } from './shownpicture';

const file = (id: number, name: string, channels: string) =>
  ({ id, name, sha256: 'ab'.repeat(32), channels: [...channels] }) as unknown as FileView;
const COLOUR = file(1, 'oak_albedo.png', 'RGB');
const PACKED = file(2, 'oak_arm.png', 'RGB');
const output = (id: number, key: string) => ({
  id,
  key,
  file_name: `t_oak_${key}.png`,
  title: key,
  sha256: 'cd'.repeat(32),
  channels: 'RGB',
  width: 8,
  height: 8,
});
const line = (property: string, source: FileView | null, channels: string, to: string | null) => ({
  property,
  title: property,
  components: channels.length,
  file: source,
  row: source && { property, channels: [...channels], encoding: 'linear' },
  to: to ? [{ output: to, file_name: `t_oak_${to}.png`, channels, stored: '' }] : [],
});
const OUTPUTS = [output(11, 'colour'), output(12, 'packed')] as unknown as [OutputView, OutputView];
const LINES = [
  line('base_colour', COLOUR, 'RGB', 'colour'),
  line('roughness', PACKED, 'G', 'packed'),
  line('height', null, 'Y', null),
];
const SET = {
  id: 7,
  lines: LINES,
  files: [COLOUR, PACKED],
  build: { outputs: OUTPUTS },
  planned: [
    {
      key: 'colour',
      file_name: 't_oak_colour.png',
      channels: 'RGB',
      storage: { format: 'bc7' },
      width: 8,
      height: 8,
      proof: { sha256: 'ef', figures: { colours: [{}], normal: null, levels: 4 } },
    },
    {
      key: 'packed',
      file_name: 't_oak_packed.png',
      channels: 'RGB',
      storage: { format: 'bc1' },
      proof: null,
    },
  ],
} as unknown as SetView;

const LIT = ofLit({ id: 7, name: 'oak' }, 'ab');

function well(set: SetView = SET, first = false) {
  const chosen = ref('base_colour');
  const view = ref<SetView | undefined>(set);
  const place = { channel: ref(''), side: ref<'source' | 'output'>('source'), blocks: ref(false) };
  const used = effectScope().run(() => useShownPicture(view, chosen, place, ref(LIT), first));
  if (!used) throw new Error('the scope is over');
  return { chosen, view, place, ...used };
}

describe('the picture well', () => {
  it('shows the set in light until somebody looks at one of its maps', async () => {
    const { chosen, shown, showChannel, showLit, channels } = well(SET, true);
    expect(shown.value).toEqual(LIT);
    expect(pictureUrl(LIT, 'RGB', 'whole')).toBe('/api/sets/7/lit?size=whole&v=ab');
    showChannel('G');
    expect([shown.value?.name, channels.value]).toEqual(['oak_albedo.png', 'G']);
    showLit();
    expect(shown.value).toEqual(LIT);
    chosen.value = 'roughness';
    await nextTick();
    expect(shown.value?.name).toBe('oak_arm.png');
  });
  it('shows the chosen row by the channel that the row reads', async () => {
    const { chosen, shown, channels } = well();
    expect(shown.value?.name).toBe('oak_albedo.png');
    chosen.value = 'roughness';
    await nextTick();
    expect([shown.value?.name, channels.value]).toEqual(['oak_arm.png', 'G']);
    chosen.value = 'height';
    await nextTick();
    expect(shown.value).toBeNull();
  });

  it('swaps between a row’s source and its output, and back', async () => {
    const { chosen, shown, swap, side } = well();
    swap();
    expect([side.value, shown.value?.name]).toEqual(['output', 't_oak_colour.png']);
    chosen.value = 'roughness';
    await nextTick();
    expect(shown.value?.name).toBe('t_oak_packed.png');
    swap();
    expect(shown.value?.name).toBe('oak_arm.png');
  });

  it('is as its address says when it comes, and as the row asks when another is chosen', async () => {
    const { chosen, channels, place } = well();
    place.channel.value = 'B';
    expect(channels.value).toBe('B');
    channels.value = 'RGB';
    expect(place.channel.value).toBe('');
    channels.value = 'R';
    chosen.value = 'roughness';
    await nextTick();
    expect([channels.value, place.channel.value]).toEqual(['G', '']);
  });

  it('has nothing to swap with where no output stands', () => {
    const { swap, side, shown } = well({ ...SET, build: null });
    swap();
    expect([side.value, shown.value?.name]).toEqual(['source', 'oak_albedo.png']);
  });

  it('keeps what was picked until another row is chosen, or the row changes', async () => {
    const { chosen, view, shown, channels, lookAt, picked } = well();
    lookAt(PACKED, 'B');
    expect([shown.value?.name, channels.value]).toEqual(['oak_arm.png', 'B']);
    chosen.value = 'roughness';
    await nextTick();
    expect(picked.value).toBeNull();
    lookAt(COLOUR, null);
    expect(channels.value).toBe('RGB');
    const cleared = LINES.map((entry) => (entry.property === 'roughness' ? { ...entry, row: null } : entry));
    view.value = { ...SET, lines: cleared } as unknown as SetView;
    await nextTick();
    expect(picked.value).toBeNull();
  });

  it('shows blocks where there is a proof, and only there', () => {
    const { shown, blocks, lookAtBlocks, lookAtOutput, asBlocks } = well();
    lookAtBlocks(OUTPUTS[0]);
    expect(blocks.value).toMatchObject({ title: 'BC7', shown: true, colour: true, rebuild: false });
    expect(blocks.value?.url).toContain('/api/sets/7/proofs/colour/dds');
    expect(shown.value?.name).toBe('t_oak_colour.png');
    lookAtOutput(OUTPUTS[1]);
    expect([asBlocks.value, blocks.value]).toEqual([false, null]);
  });

  it('looks through the levels of blocks and of what they lost, and begins anew with another picture', () => {
    const { shown, blocks, levels, level, lookAtBlocks, lookAtDifference, lookAtLevel, lookAtOutput } =
      well();
    expect(levels.value).toBe(0);
    lookAtBlocks(OUTPUTS[0]);
    expect(levels.value).toBe(4);
    lookAtLevel(2);
    expect(blocks.value?.level).toBe(2);
    expect(shown.value).toMatchObject({ name: 't_oak_colour.png, level 2', width: 2, height: 2 });
    lookAtLevel(9);
    expect(level.value).toBe(3);
    lookAtDifference(SET.planned[0] as SetView['planned'][number], 1);
    expect(shown.value?.address).toContain('side=difference&level=1');
    lookAtLevel(2);
    expect(shown.value?.address).toContain('level=2');
    lookAtOutput(OUTPUTS[1]);
    expect([level.value, levels.value]).toEqual([0, 0]);
  });
});
