// @vitest-environment happy-dom
// Somebody else was quicker: what they did is fetched, and one's own change is sent again with what was seen then.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';

import { Refusal, answers, begin, changes, press, visit } from '@/tests/harness';
import { RULES, TOLERANCES } from '@/tests/rules';

import ChecksPage from './ChecksPage.vue';
import RulesPage from './RulesPage.vue';
import TolerancesPage from './TolerancesPage.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const P = '/api/projects/{slug}';
const quicker = (subject: string) =>
  new Refusal(409, subject, 'are at version 4 by now (kestrel: Changed).', 'Load that version.', true);

/** A document that somebody else changes once: at version 3 when it is looked at, at 4 when the first change comes. */
function overtakenOnce(path: string, body: (version: number) => object, subject: string): void {
  let version = 3;
  answers[`GET ${path}`] = () => body(version);
  answers[`PUT ${path}`] = () => {
    if (version === 3) {
      version = 4;
      return quicker(subject);
    }
    version = 5;
    return body(5);
  };
}

const rules = (version: number) => ({
  version,
  // What the other one changed.
  rules: { ...RULES, title: version === 3 ? 'Ours' : 'Theirs' },
  versions: [{ number: version, what: 'Changed', by: 'kestrel', at: '2026-11-02T10:00:00Z' }],
  may_edit: true,
});

describe('when somebody else was quicker', () => {
  it('tolerances are sent again from the version that is there now, and nothing typed is lost', async () => {
    overtakenOnce(
      `${P}/tolerances`,
      (version) => ({
        version,
        versions: [],
        tolerances: { ...TOLERANCES, normal_mean: version === 3 ? 2 : 3 },
      }),
      'The house tolerances',
    );
    const page = await visit(TolerancesPage, 'tolerances');
    await press(page, 'usual: 6');
    await press(page, 'Save');
    await flushPromises();
    expect(changes().map(({ body }) => body?.base)).toEqual([3, 4]);
    expect(changes()[1]?.body?.tolerances).toMatchObject({ normal_p95: 6 });
  });

  it('house rules are offered again as they were typed', async () => {
    overtakenOnce(`${P}/rules`, rules, 'The house rules');
    const page = await visit(RulesPage, 'rules');
    await page.get('input[placeholder="anywhere"]').setValue('{set}');
    await press(page, 'Save');
    await flushPromises();
    expect(changes().map(({ body }) => body?.base)).toEqual([3, 4]);
    expect(changes()[1]?.body?.rules).toMatchObject({ folder: '{set}' });
  });

  it('checks go into the rules as the other one left them', async () => {
    overtakenOnce(`${P}/rules`, rules, 'The house rules');
    answers['GET /api/checks'] = [
      {
        rule: 'seam',
        title: 'Edges that do not meet',
        about: 'Tiles show.',
        limits: [],
        presets: { general: 'off', scanned: 'on', painted: 'off', older: 'off' },
      },
    ];
    const page = await visit(ChecksPage, 'checks');
    await press(page, 'Scanned surfaces');
    await press(page, 'Save');
    await flushPromises();
    expect(changes().map(({ body }) => body?.base)).toEqual([3, 4]);
    // Their title stays: only the checks were this page's to change.
    expect(changes()[1]?.body?.rules).toMatchObject({
      title: 'Theirs',
      checks: { seam: { say: 'on', limits: {} } },
    });
  });

  it('any other refusal is said, and nothing is sent twice', async () => {
    answers[`GET ${P}/rules`] = rules(3);
    answers[`PUT ${P}/rules`] = new Refusal(409, 'The template', 'has no set in it.', 'Put {set} in.');
    const page = await visit(RulesPage, 'rules');
    await page.get('input[placeholder="anywhere"]').setValue('{set}');
    await press(page, 'Save');
    expect(changes()).toHaveLength(1);
    expect((page.get('input[placeholder="anywhere"]').element as HTMLInputElement).value).toBe('{set}');
  });
});
