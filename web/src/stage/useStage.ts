// A stage on a page's canvas: it follows what it is given and what somebody likes, and tells how it stands.
import { useQuery } from '@tanstack/vue-query';
import { computed, onBeforeUnmount, onMounted, reactive, ref, shallowRef, watch, type Ref } from 'vue';

import { api, take, type EnvironmentView, type Values } from '@/api/client';

import { ofLink, useLiking } from './kept';
import type { Model } from './model';
import type { Together } from './output';
import type { Part, Reading } from './shading';
import type { Surface } from './stage';
import { Stage } from './stage';

/** What stands beside the surface: nothing, itself read wrongly or in another light, or what the page gives. */
export type Beside = 'nothing' | `reading:${Reading}` | `light:${string}` | 'other';

export interface Given {
  surface: Ref<Surface | null>;
  values: Ref<Values>;
  other: Ref<Surface | null>;
  model: Ref<Model | null>;
}

export function useEnvironments() {
  return useQuery({
    queryKey: ['environments'],
    queryFn: () => take(api.GET('/api/environments')),
    staleTime: Infinity,
  });
}

export function useStage(canvas: Ref<HTMLCanvasElement | null>, given: Given, link: Ref<string>) {
  const liking = useLiking();
  const stage = shallowRef<Stage | null>(null);
  const environments = useEnvironments();
  const state = reactive({
    ready: false,
    resting: false,
    problem: '',
    notice: '',
    frames: 0,
    script: 0,
    turning: '' as '' | 'light' | 'object',
  });
  const look = reactive({
    part: 'lit' as Part,
    reading: 'as meant' as Reading,
    beside: 'nothing' as Beside,
    together: 'beside' as Together,
    wipe: 0.5,
    factor: 4,
    /** −1 leaves it to the GPU. */
    level: -1,
  });
  const named = (name: string): EnvironmentView | undefined =>
    environments.data.value?.find((entry) => entry.name === name) ?? environments.data.value?.[0];
  const own = ref<{ file: Blob; name: string } | null>(null);

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    try {
      await work();
      state.problem = '';
    } catch (error) {
      state.problem = error instanceof Error ? error.message : 'it could not be drawn';
    }
  }
  /** Dress the stage, the newest ask last. */
  let asked = 0;
  async function dress(): Promise<void> {
    const mine = ++asked;
    state.ready = false;
    await attempt(async () => {
      if (!stage.value || !given.surface.value) return;
      const notice = await stage.value.dress({ ...given.surface.value, values: given.values.value });
      if (mine !== asked) return;
      state.notice = notice;
      await beside();
      if (mine !== asked) return;
      state.ready = true;
    });
  }
  /** Put beside the surface what was chosen. */
  async function beside(): Promise<void> {
    const on = stage.value;
    const surface = given.surface.value;
    if (!on || !surface) return;
    const [kind, ...rest] = look.beside.split(':');
    const what = rest.join(':');
    if (kind === 'light') {
      await on.dress(null, 1);
      const view = named(what);
      if (view) await on.environment(view, 1);
    } else {
      on.oneLight();
      const second = kind === 'other' ? given.other.value : kind === 'reading' ? surface : null;
      await on.dress(
        second && { ...second, values: kind === 'reading' ? given.values.value : second.values },
        1,
      );
    }
    seen();
  }
  function seen(): void {
    const on = stage.value;
    if (!on) return;
    on.look(look.part, look.reading);
    on.look(
      look.part,
      look.beside.startsWith('reading:') ? (look.beside.slice(8) as Reading) : look.reading,
      1,
    );
    on.show({
      together: look.beside === 'nothing' ? 'one' : look.together,
      wipe: look.wipe,
      factor: look.factor,
    });
  }
  function light(): void {
    const on = stage.value;
    if (!on) return;
    const mine = own.value;
    if (mine) return void attempt(() => on.ownEnvironment(mine.file, mine.name));
    const view = named(liking.environment);
    if (view) void attempt(() => on.environment(view));
  }
  function like(): void {
    const on = stage.value;
    if (!on) return;
    on.show({ exposure: liking.exposure, toned: liking.toned });
    on.ground(liking.behind);
    on.wish(liking.density);
    if (state.turning === '') on.turn((liking.light * Math.PI) / 180, (liking.object * Math.PI) / 180);
  }

  /** Put the model on the stage, or the shape that is liked. */
  function form(): void {
    if (given.model.value) stage.value?.model(given.model.value.geometry);
    else stage.value?.shape(liking.shape);
  }

  const watcher = new ResizeObserver(() => stage.value?.resize());
  onMounted(() => {
    if (!canvas.value) return;
    const told = ofLink(link.value);
    if (told) Object.assign(liking, told.liking);
    try {
      stage.value = new Stage(canvas.value);
    } catch {
      state.problem = 'this browser offers no WebGL 2';
      return;
    }
    const on = stage.value;
    on.onFrame = (full, script) => {
      state.resting = full;
      state.frames++;
      state.script = script;
    };
    form();
    if (liking.field !== on.camera.fov) on.field(liking.field);
    if (told?.eye) on.view = told.eye;
    watcher.observe(canvas.value);
    like();
    light();
    void dress();
  });
  onBeforeUnmount(() => {
    watcher.disconnect();
    stage.value?.end();
    stage.value = null;
  });

  const drawn = computed(() => {
    const surface = given.surface.value;
    return surface && surface.shader.glsl + surface.pictures.map((picture) => picture.url).join();
  });
  watch(drawn, () => void dress());
  // Before the frame is drawn, so that a slider and its picture move together.
  watch(
    given.values,
    (values) => {
      stage.value?.set(values);
      if (look.beside.startsWith('reading:')) stage.value?.set(values, 1);
    },
    { deep: true, flush: 'sync' },
  );
  watch(() => environments.data.value, light);
  watch(
    () => liking.environment,
    () => ((own.value = null), light()),
  );
  watch(own, light);
  watch([() => liking.shape, given.model], form);
  watch(
    () => liking.field,
    (now) => stage.value?.field(now),
  );
  watch(() => ({ ...liking }), like, { flush: 'sync' });
  watch([() => look.beside, given.other], () => void attempt(beside));
  watch(() => [look.part, look.reading, look.together, look.wipe, look.factor], seen, { flush: 'sync' });
  watch(
    () => look.level,
    (now) => stage.value?.level(now < 0 ? null : now),
  );
  watch(
    () => [state.turning, liking.speed],
    () => {
      const on = stage.value;
      if (!on) return;
      const speed = (liking.speed * Math.PI) / 180;
      on.turningLight = state.turning === 'light' ? speed : 0;
      on.turningObject = state.turning === 'object' ? speed : 0;
      if (!state.turning) {
        const degrees = (turn: number) => Math.round((turn * 180) / Math.PI) % 360;
        Object.assign(liking, { light: degrees(on.turns.light), object: degrees(on.turns.object) });
      }
      on.touch();
    },
  );
  return { stage, liking, environments, state, look, own };
}
