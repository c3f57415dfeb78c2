// @vitest-environment happy-dom
// Under the pointer: whose value it is, and of two pictures what they differ by.
import { flushPromises } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { h } from 'vue';

import type { Pictured } from '@/lib/pictures/pictures';
import { answers, asked, begin, visit } from '@/tests/harness';

import TexelReadout from './TexelReadout.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
afterEach(() => void vi.useRealTimers());

const A = { kind: 'files', id: 1, name: 'oak.png', stamp: 'a', width: 8, height: 8 } as Pictured;
const B = { kind: 'outputs', id: 2, name: 'we_oak.png', stamp: 'b', width: 4, height: 4 } as Pictured;
const DRAWN = {
  kind: 'evidence',
  id: 1,
  name: 'curl',
  stamp: 'c',
  width: 8,
  height: 8,
  address: '/x',
} as never;

beforeEach(() => {
  vi.useFakeTimers();
  begin();
  const texel = (stored: object, shares: object, means: string) => ({ x: 0, y: 0, stored, shares, means });
  answers['GET /api/files/{file_id}/texel'] = texel({ R: 255, G: 51 }, { R: 1, G: 0.2 }, 'roughness 0.2');
  answers['GET /api/outputs/{output_id}/texel'] = texel({ R: 65535, G: 32768 }, { R: 1, G: 0.50001 }, '');
});

async function readout(together: string, second: Pictured | null, ofB = false) {
  const props = { first: A, second, together, texel: null as object | null, edit: 1 };
  const page = await visit(
    { data: () => ({ props }), render: (self: { props: object }) => h(TexelReadout, self.props as never) },
    'board',
  );
  const host = page.findComponent(TexelReadout);
  (host.vm.$.parent?.data as { props: object }).props = { ...props, texel: { x: 6, y: 2, ofB } };
  await vi.advanceTimersByTimeAsync(200);
  await flushPromises();
  return host;
}
const words = (host: Awaited<ReturnType<typeof readout>>) => host.text().replace(/\s+/g, ' ');

describe('the readout under the pointer', () => {
  it('of one picture says what is stored and what it means', async () => {
    const said = words(await readout('a', null));
    expect(said).toContain('R 255');
    expect(said).toContain('roughness 0.2');
    expect(said).not.toContain('A − B');
  });

  it('of two gives both, at the same place of each, and A less B as shares of their ranges', async () => {
    const said = words(await readout('difference', B));
    expect(said).toContain('A oak.png');
    expect(said).toContain('B we_oak.png');
    expect(said).toMatch(/A − B .*R 0 ?G −0\.3/);
    const places = asked.flatMap(({ path, params }) => (path.endsWith('/texel') ? [params?.query] : []));
    expect(places).toEqual([
      { x: 6, y: 2 },
      { x: 3, y: 1 },
    ]);
  });

  it('says on which side of the wipe the pointer is', async () => {
    const host = await readout('wipe', B, true);
    expect(host.get('.under').text()).toContain('we_oak.png');
    expect(host.get('.under').text()).toContain('under the pointer');
  });

  it('gives A where B is a picture that stores nothing of its own', async () => {
    const said = words(await readout('b', DRAWN));
    expect(said).toContain('A oak.png');
    expect(said).toContain('R 255');
  });
});
