// @vitest-environment happy-dom
// A studio's people, record and many sets: what pages ask for, and what they say of the answers.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { defineComponent, h, type Component } from 'vue';

import BulkLine from '@/parts/board/BulkLine.vue';
import MembersPart from '@/parts/studio/MembersPart.vue';
import NotesPart from '@/parts/set/NotesPart.vue';
import RecordList from '@/parts/studio/RecordList.vue';
import { dayOf, whereOf } from '@/parts/studio/record';
import type { StepView } from '@/lib/page/steps';
import { Refusal, answers, asked, begin, changes, press, visit } from '@/tests/harness';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const P = '/api/projects/{slug}';
const part = (component: Component, props: object): Component =>
  defineComponent({ setup: () => () => h(component, props) });
const step = (id: number, more: Partial<StepView> = {}): StepView => ({
  id,
  kind: 'set',
  thing: '7',
  set_id: 7,
  name: 'oak',
  what: 'Renamed from elm to oak',
  by: 'wren',
  mine: false,
  at: '2026-11-02T10:00:00Z',
  undone: null,
  may_undo: true,
  act: null,
  others: 0,
  ...more,
});

describe('people of a project', () => {
  const people = (over: object = {}) => ({
    members: [
      { id: 1, name: 'wren', role: 'lead', active: true, me: true },
      { id: 2, name: 'kestrel', role: 'artist', active: true, me: false },
    ],
    invitations: [],
    may_edit: true,
    ...over,
  });

  it('are invited by a link that is shown once, with the secret behind the sign that is never sent', async () => {
    answers[`GET ${P}/people`] = people();
    answers[`POST ${P}/invitations`] = {
      secret: 'abc',
      invitation: {
        id: 3,
        role: 'artist',
        studio: false,
        note: 'Heron',
        by: 'wren',
        expires: '2026-11-09T10:00:00Z',
      },
    };
    const page = await visit(part(MembersPart, { slug: 'weir' }), 'board');
    await page.get('input[aria-label="For whom the invitation is"]').setValue('Heron');
    await press(page, 'Make an invitation');
    expect(changes()[0]?.body).toEqual({ role: 'artist', note: 'Heron' });
    expect(page.get('output').text()).toMatch(/\/join#abc$/);
    await press(page, 'I have it');
    expect(page.find('output').exists()).toBe(false);
  });

  it('keep their role where the server refuses, and the page shows what stands', async () => {
    answers[`GET ${P}/people`] = people();
    answers[`DELETE ${P}/people/{user_id}`] = new Refusal(
      409,
      'wren',
      'is the last lead of Weir.',
      'Make another first.',
    );
    const page = await visit(part(MembersPart, { slug: 'weir' }), 'board');
    const before = asked.length;
    await page.get('button[aria-label="Remove wren"]').trigger('click');
    await flushPromises();
    expect(asked.slice(before).map(({ method }) => method)).toEqual(['DELETE', 'GET']);
    expect(page.text()).toContain('kestrel');
  });

  it('are only looked at by who is no lead', async () => {
    answers[`GET ${P}/people`] = people({ may_edit: false });
    const page = await visit(part(MembersPart, { slug: 'weir' }), 'board', 'guest');
    expect(page.findAll('button')).toHaveLength(0);
    expect(page.text()).toContain('a lead invites and removes');
  });
});

describe('the record', () => {
  it('is narrowed by kind, person and words, and goes on page by page', async () => {
    answers[`GET ${P}/record`] = () => {
      const before = asked.at(-1)?.params?.query?.before;
      const steps = before
        ? [step(1, { what: 'First' })]
        : [step(9), step(8, { kind: 'build', may_undo: false })];
      return { steps, more: !before, people: ['wren'] };
    };
    const page = await visit(part(RecordList, { slug: 'weir' }), 'board');
    expect(page.findAll('.step')).toHaveLength(2);
    expect(page.findAll('.step button')).toHaveLength(1);
    await press(page, 'Show older');
    expect(page.text()).toContain('First');
    expect(asked.at(-1)?.params?.query).toMatchObject({ before: 8 });
    await page.get('input[aria-label="Search the record"]').setValue('elm');
    await flushPromises();
    expect(asked.at(-1)?.params?.query).toMatchObject({ words: 'elm', kinds: [], by: '', before: null });
  });

  it.each([
    [step(1), { name: 'set', params: { slug: 'weir', id: '7' } }],
    [step(1, { what: 'Removed' }), null],
    [step(1, { kind: 'build' }), { name: 'set', params: { slug: 'weir', id: 7 } }],
    [
      step(1, { kind: 'master', thing: 'solid', set_id: null }),
      { name: 'master', params: { slug: 'weir', name: 'solid' } },
    ],
    [step(1, { kind: 'people', set_id: null }), { name: 'project', params: { slug: 'weir' } }],
  ])('leads to what a deed is about: %#', (entry, to) => expect(whereOf(entry, 'weir')).toEqual(to));

  it('says today and yesterday by the calendar, not by hours', () => {
    const now = new Date(2026, 10, 3, 0, 30);
    expect(dayOf(new Date(2026, 10, 3, 0, 10).toISOString(), now)).toBe('Today');
    expect(dayOf(new Date(2026, 10, 2, 23, 50).toISOString(), now)).toBe('Yesterday');
    expect(dayOf(new Date(2026, 9, 31).toISOString(), now)).toContain('October');
  });
});

describe('work on many sets', () => {
  const work = (state: string, items: object[]) => ({
    id: 4,
    action: 'build',
    job: {
      id: 'j',
      kind: 'bulk',
      title: 'Building 3 sets',
      state,
      progress: 0.5,
      doing: 'oak (2 of 3)',
      problem: '',
      way_out: '',
    },
    items,
  });
  const item = (set_id: number, state: string, problem = '') => ({
    set_id,
    name: `set ${set_id}`,
    state,
    said: '',
    problem,
    way_out: 'Assign one.',
  });
  const shown = () => visit(part(BulkLine, { slug: 'weir', id: 4, mayWork: true }), 'board');

  it('says how far it is and can be cancelled', async () => {
    answers['GET /api/bulk/{bulk_id}'] = work('running', [
      item(1, 'done'),
      item(2, 'running'),
      item(3, 'waiting'),
    ]);
    answers['POST /api/jobs/{job_id}/cancel'] = {};
    const page = await shown();
    expect(page.text()).toContain('oak (2 of 3)');
    await press(page, 'Cancel');
    expect(changes()[0]?.path).toBe('/api/jobs/{job_id}/cancel');
  });

  it('says afterwards what did not work and why, and tries that again', async () => {
    answers['GET /api/bulk/{bulk_id}'] = work('done', [
      item(1, 'done'),
      item(2, 'skipped'),
      item(3, 'failed', 'Base colour is missing.'),
    ]);
    answers[`POST ${P}/bulk`] = work('queued', []);
    const page = await shown();
    expect(page.text()).toContain('1 built, 1 already as they should be, 1 did not work');
    expect(page.text()).toContain('Base colour is missing. Assign one.');
    await press(page, 'Try it again');
    expect(changes()[0]?.body).toEqual({ action: 'build', sets: [3], master: '' });
  });

  it('goes on with the rest after it was cancelled', async () => {
    answers['GET /api/bulk/{bulk_id}'] = work('cancelled', [
      item(1, 'done'),
      item(2, 'waiting'),
      item(3, 'waiting'),
    ]);
    answers['POST /api/jobs/{job_id}/retry'] = {};
    const page = await shown();
    expect(page.text()).toContain('1 built, 2 not begun; cancelled');
    await press(page, 'Go on with the rest');
    expect(changes()[0]?.path).toBe('/api/jobs/{job_id}/retry');
  });
});

describe('notes beside a set', () => {
  const note = { id: 5, text: 'Bake again', by: 'wren', at: '2026-11-02T10:00:00Z', mine: false };

  it('are written and removed, and what was typed stays where the server refuses', async () => {
    answers['GET /api/sets/{set_id}/notes'] = [note];
    answers['POST /api/sets/{set_id}/notes'] = new Refusal(
      409,
      'The note',
      'has 1,001 characters.',
      'Write something shorter.',
    );
    const page = await visit(part(NotesPart, { id: 7, mayWork: true }), 'board');
    expect(page.text()).toContain('Bake again');
    await page.get('textarea').setValue('Done');
    await page.get('form').trigger('submit');
    await flushPromises();
    expect((page.get('textarea').element as HTMLTextAreaElement).value).toBe('Done');
    answers['POST /api/sets/{set_id}/notes'] = [{ ...note, id: 6, text: 'Done' }, note];
    await page.get('form').trigger('submit');
    await flushPromises();
    expect(page.findAll('.note')).toHaveLength(2);
    expect((page.get('textarea').element as HTMLTextAreaElement).value).toBe('');
  });
});
