// @vitest-environment happy-dom
// The place on a page is kept: how far it was scrolled, and where the keyboard is.
import { flushPromises, mount } from '@vue/test-utils';
import { beforeEach, describe, expect, it } from 'vitest';
import { defineComponent, nextTick, ref, type Ref } from 'vue';
import { createMemoryHistory, createRouter, RouterView } from 'vue-router';

import { useCarried } from './address';
import { useFocusKept } from './focus';
import { movedKinds, SHOWS, waitsForProof } from './live';
import { vRove } from './roving';
import { forgetAhead, vKeepScroll } from './scroll';

beforeEach(() => {
  sessionStorage.clear();
  // The test's window draws nothing: what is on the page counts as seen.
  Object.defineProperty(HTMLElement.prototype, 'offsetParent', {
    configurable: true,
    get() {
      return (this as HTMLElement).parentElement;
    },
  });
});

const frame = () => new Promise((resolve) => requestAnimationFrame(resolve));
async function settle(): Promise<void> {
  await flushPromises();
  await frame();
  await frame();
}

describe('how far a page was scrolled', () => {
  const long = { template: '<div v-scrolled class="page">long</div>', directives: { scrolled: vKeepScroll } };
  const open = () => mount(long, { attachTo: document.body }).get('.page').element;
  function scroll(page: Element, to: number): void {
    page.scrollTop = to;
    page.dispatchEvent(new Event('scroll'));
  }

  it('is found again at the same step of the history, and only there', () => {
    history.replaceState({ position: 4 }, '', '/board');
    scroll(open(), 320);
    expect(open().scrollTop).toBe(320);
    history.replaceState({ position: 5 }, '', '/board');
    expect(open().scrollTop).toBe(0);
    history.replaceState({ position: 4 }, '', '/maps');
    expect(open().scrollTop).toBe(0);
  });

  it('is forgotten for what lay ahead when another way is gone', () => {
    for (const position of [2, 3, 4]) {
      history.replaceState({ position }, '', '/board');
      scroll(open(), position * 100);
    }
    history.replaceState({ position: 3 }, '', '/board');
    forgetAhead();
    expect(Object.keys(sessionStorage)).toHaveLength(2);
  });
});

describe('where the keyboard is', () => {
  async function page() {
    const state = { gone: ref(false), off: ref(false) };
    const view = defineComponent({
      setup: () => state,
      template: `<main id="content"><section aria-label="Outputs">
        <button v-if="!gone" id="one" :disabled="off">one</button><button id="two">two</button></section></main>`,
    });
    const router = createRouter({
      history: createMemoryHistory(),
      routes: [
        { path: '/', component: view },
        { path: '/other', component: { template: '<main id="content" class="other">other</main>' } },
      ],
    });
    await router.push('/');
    const frameOf = { components: { RouterView }, setup: () => useFocusKept(), template: '<RouterView />' };
    mount(frameOf, { attachTo: document.body, global: { plugins: [router] } });
    await settle();
    const focus = (id: string) => document.getElementById(id)?.focus();
    return { ...state, router, focus, at: () => document.activeElement };
  }

  it('goes to the region around when what had it is taken away', async () => {
    const { focus, gone, at } = await page();
    focus('one');
    gone.value = true;
    await settle();
    expect(at()?.getAttribute('aria-label')).toBe('Outputs');
  });

  it('begins at the content of the next page', async () => {
    const { focus, router, at } = await page();
    focus('two');
    await router.push('/other');
    await settle();
    expect(at()?.className).toBe('other');
  });

  it('moves inside a list by arrows, and the tab key stops there once', async () => {
    const list = mount(
      {
        template: '<ul v-rove><li v-for="n in 4" :key="n" data-rove :id="`item${n}`" /></ul>',
        directives: { rove: vRove },
      },
      { attachTo: document.body },
    );
    const stops = () => list.findAll('li').map((item) => (item.element as HTMLElement).tabIndex);
    expect(stops()).toEqual([0, -1, -1, -1]);
    list.get<HTMLElement>('#item1').element.focus();
    for (const [key, id] of [
      ['ArrowDown', 'item2'],
      ['End', 'item4'],
      ['ArrowDown', 'item4'],
      ['ArrowUp', 'item3'],
      ['Home', 'item1'],
    ]) {
      document.activeElement?.dispatchEvent(
        new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }),
      );
      await nextTick();
      expect(document.activeElement?.id).toBe(id);
    }
    expect(stops().filter((stop) => stop === 0)).toHaveLength(1);
  });
});

describe('what the list at the side is searched for', () => {
  async function project(address: string) {
    const held: { wanted?: Ref<string> } = {};
    const side = { setup: () => ((held.wanted = useCarried('sets')), {}), template: '<i />' };
    const router = createRouter({
      history: createMemoryHistory(),
      routes: [{ path: '/projects/:slug/:page', component: { template: '<b />' } }],
    });
    await router.push(address);
    mount(side, { global: { plugins: [router] } });
    await settle();
    return { router, wanted: held.wanted as Ref<string> };
  }

  it('comes from the address, and goes along to the next page of the project and to no other', async () => {
    const { router, wanted } = await project('/projects/weir/board?sets=oak');
    expect(wanted.value).toBe('oak');
    await router.push('/projects/weir/maps?file=3');
    expect(router.currentRoute.value.query).toEqual({ file: '3', sets: 'oak' });
    await router.push('/projects/mill/board');
    expect(router.currentRoute.value.query).toEqual({});
    await settle();
    expect(wanted.value).toBe('');
  });
});

describe('what others do', () => {
  it('is asked for again by its kind alone, and not at the first look', () => {
    const asked = (queryKey: unknown[], data: unknown) => waitsForProof({ queryKey, state: { data } });
    // A surface that could not be shown is asked for again once something was proved; one that stands there is not.
    expect(asked(['surface', 3, 1, 'orbit-desktop'], { ready: false })).toBe(true);
    expect(asked(['surface', 3, 1, 'orbit-desktop'], { ready: true })).toBe(false);
    expect(asked(['variant', 4, 'surface'], null)).toBe(true);
    expect(asked(['variant', 4, 'surface'], { shader: {} }) || asked(['variant', 4], null)).toBe(false);
    expect(movedKinds({}, { board: 'a', jobs: 'b' })).toEqual([]);
    expect(movedKinds({ board: 'a', jobs: 'b' }, { board: 'a', jobs: 'c' })).toEqual(['jobs']);
    expect(SHOWS.questions).toContain('projects');
  });
});
