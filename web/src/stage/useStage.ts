// A stage on a page's canvas: it follows what it is given and what somebody likes, and tells how it stands.
import { useQuery } from '@tanstack/vue-query';
import { computed, onBeforeUnmount, onMounted, reactive, shallowRef, watch, type Ref } from 'vue';

import { api, take, type EnvironmentView, type Values } from '@/api/client';

import { ofLink, useLiking } from './kept';
import type { Model } from './model';
import type { Together } from './output';
import type { Dress } from './piece';
import type { Part, Reading } from './shading';
import type { Surface } from './stage';
import { Stage } from './stage';

/** What stands beside the surface: nothing, itself read wrongly or in another light, or what the page gives under a key. */
export type Beside = 'nothing' | `reading:${Reading}` | `light:${string}` | `other:${string}`;
/** How two stand together: as the output lays them, or one in the place of the other. */
export type Way = Exclude<Together, 'one'> | 'swap';

/** What is looked at, and how. */
export interface Look {
  part: Part;
  reading: Reading;
  beside: Beside;
  together: Way;
  swapped: boolean;
  wipe: number;
  factor: number;
  /** −1 leaves it to the GPU. */
  level: number;
}

export interface Given {
  /** What all that stands on the stage wears. */
  surface: Ref<Surface | null>;
  /** Or what each part of the model wears, where they differ. */
  worn: Ref<readonly Dress[] | null>;
  /** Values that go over those of `surface`. */
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
  const told = ofLink(link.value);
  // What a link shows is somebody else's liking: it is followed here, and takes nothing away from one's own.
  const liking = told ? reactive(told.liking) : useLiking();
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
    /** Time runs for what moves by it. */
    running: false,
  });
  const look = reactive<Look>({
    part: 'lit',
    reading: 'as meant',
    beside: 'nothing',
    together: 'beside',
    swapped: false,
    wipe: 0.5,
    factor: 4,
    level: -1,
  });
  const named = (name: string): EnvironmentView | undefined =>
    environments.data.value?.find((environment) => environment.name === name) ?? environments.data.value?.[0];

  async function attempt(work: () => Promise<unknown>): Promise<void> {
    // Where there is no stage at all, or none any more, that stays said.
    const on = stage.value;
    if (!on) return;
    let problem = '';
    try {
      await work();
    } catch (error) {
      problem = error instanceof Error ? error.message : 'it could not be drawn';
    }
    if (stage.value === on) state.problem = problem;
  }
  /** What is shown instead of what was asked for, on either side. */
  const notices = [new Set<string>(), new Set<string>()] as const;
  /** Dress the stage, the newest ask last. */
  let asked = 0;
  async function dress(): Promise<void> {
    const mine = ++asked;
    await working(() =>
      attempt(async () => {
        const on = stage.value;
        if (!on || (!given.surface.value && !given.worn.value)) return;
        notices[0].clear();
        for (const [piece, surface] of wearing().entries()) {
          notices[0].add(await on.dress(surface, 0, piece));
          if (mine !== asked) return;
        }
        await beside();
      }),
    );
  }
  /** Whether all that was asked for stands on the stage: what stands beside may still be fetched. */
  function isWhole(): boolean {
    if (!given.surface.value && !given.worn.value) return false;
    return !look.beside.startsWith('other:') || given.other.value !== null;
  }
  /** Something else is to stand beside. */
  async function besideAnew(): Promise<void> {
    await working(() => attempt(beside));
  }
  /** While anything is put on the stage, it is not ready. */
  let busy = 0;
  async function working(work: () => Promise<void>): Promise<void> {
    state.ready = false;
    busy++;
    await work();
    busy--;
    state.ready = busy === 0 && state.problem === '' && isWhole();
  }
  /** What each piece wears. */
  function wearing(): Dress[] {
    const surface = given.surface.value && { ...given.surface.value, values: given.values.value };
    const count = given.model.value?.parts.length ?? 1;
    return Array.from({ length: count }, (_, piece) =>
      given.worn.value ? (given.worn.value[piece] ?? null) : surface,
    );
  }
  /** Put beside the surface what was chosen. */
  async function beside(): Promise<void> {
    const on = stage.value;
    if (!on) return;
    const all = wearing();
    notices[1].clear();
    const [kind, ...rest] = look.beside.split(':');
    const what = rest.join(':');
    if (kind === 'light') {
      for (const piece of all.keys()) await on.dress(null, 1, piece);
      const view = named(what);
      if (view) await on.environment(view, 1);
    } else {
      on.oneLight();
      for (const [piece, surface] of all.entries())
        notices[1].add(
          await on.dress(
            kind === 'other' ? given.other.value : kind === 'reading' ? surface : null,
            1,
            piece,
          ),
        );
    }
    state.notice = [...new Set([...notices[0], ...notices[1]])].filter(Boolean).join(' ');
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
      together: look.beside === 'nothing' || look.together === 'swap' ? 'one' : look.together,
      swapped: look.together === 'swap' && look.swapped,
      wipe: look.wipe,
      factor: look.factor,
    });
  }
  function light(): void {
    const on = stage.value;
    if (!on) return;
    const view = named(liking.environment);
    if (view) void attempt(() => on.environment(view));
  }
  function like(): void {
    const on = stage.value;
    if (!on) return;
    on.show({ exposure: liking.exposure, toned: liking.toned });
    on.ground(liking.behind);
    on.wish(liking.density);
    on.relief(liking.relief, liking.depth, liking.mid);
    if (state.turning === '') on.turn((liking.light * Math.PI) / 180, (liking.object * Math.PI) / 180);
  }

  /** What turns by itself, and whether time runs. */
  function turn(): void {
    const on = stage.value;
    if (!on) return;
    const speed = (liking.speed * Math.PI) / 180;
    on.turningLight = state.turning === 'light' ? speed : 0;
    on.turningObject = state.turning === 'object' ? speed : 0;
    on.timeRuns = state.running;
    on.touch();
  }

  /** Put the model on the stage, or the shape that is liked. */
  function form(): void {
    const model = given.model.value;
    if (model) stage.value?.model(model.parts, model.floor);
    else stage.value?.shape(liking.shape);
    // New pieces wear nothing yet.
    void dress();
  }

  const watcher = new ResizeObserver(() => stage.value?.resize());
  function begin(on: HTMLCanvasElement, view: string | undefined): void {
    try {
      stage.value = new Stage(on);
    } catch {
      state.problem = 'this browser offers no WebGL 2';
      return;
    }
    const begun = stage.value;
    begun.onStir = () => (state.resting = false);
    begun.onFrame = (full, script) => {
      state.resting = full;
      state.frames++;
      state.script = script;
    };
    // A canvas that was drawn on already has the size of that, in the screen's pixels: nothing else would say its own again.
    begun.resize();
    form();
    if (liking.field !== begun.eye.camera.fov) begun.eye.field(liking.field);
    if (view) begun.eye.view = view;
    like();
    light();
    if (look.level >= 0) begun.level(look.level);
    if (state.turning || state.running) turn();
  }
  /** What a GPU held is gone when its driver starts anew, and comes again from what was asked for. */
  let lostView: string | undefined;
  function lost(event: Event): void {
    // Otherwise it would not come back.
    event.preventDefault();
    lostView = stage.value?.eye.view;
    stage.value?.end();
    stage.value = null;
    state.ready = false;
    state.problem = 'the GPU was taken away from it; it is drawn again as soon as it is given back';
  }
  function restored(): void {
    state.problem = '';
    if (canvas.value) begin(canvas.value, lostView);
  }
  onMounted(() => {
    const on = canvas.value;
    if (!on) return;
    on.addEventListener('webglcontextlost', lost);
    on.addEventListener('webglcontextrestored', restored);
    begin(on, told?.eye);
    watcher.observe(on);
  });
  onBeforeUnmount(() => {
    watcher.disconnect();
    canvas.value?.removeEventListener('webglcontextlost', lost);
    canvas.value?.removeEventListener('webglcontextrestored', restored);
    stage.value?.end();
    stage.value = null;
  });

  const drawn = computed(() => {
    const surface = given.surface.value;
    return surface && surface.shader.glsl + surface.pictures.map((picture) => picture.url).join();
  });
  watch([drawn, given.worn], () => void dress());
  // Before the frame is drawn, so that a slider and its picture move together.
  watch(
    given.values,
    (values) => {
      if (!given.surface.value) return;
      for (const piece of wearing().keys()) {
        stage.value?.set(values, 0, piece);
        if (look.beside.startsWith('reading:')) stage.value?.set(values, 1, piece);
      }
    },
    { deep: true, flush: 'sync' },
  );
  // Another list alone changes nothing: the light that is named may just have come, or gone.
  watch(() => named(liking.environment)?.url, light);
  watch([() => liking.shape, given.model], form);
  watch(
    () => liking.field,
    (now) => stage.value?.eye.field(now),
  );
  watch(() => ({ ...liking }), like, { flush: 'sync' });
  watch([() => look.beside, given.other], () => void besideAnew());
  watch(() => [look.part, look.reading, look.together, look.swapped, look.wipe, look.factor], seen, {
    flush: 'sync',
  });
  watch(
    () => look.level,
    (now) => stage.value?.level(now < 0 ? null : now),
  );
  watch(
    () => [state.turning, liking.speed, state.running],
    () => {
      const on = stage.value;
      if (!on) return;
      turn();
      if (!state.turning) {
        const degrees = (angle: number) => Math.round((angle * 180) / Math.PI) % 360;
        Object.assign(liking, { light: degrees(on.turns.light), object: degrees(on.turns.object) });
      }
    },
  );
  return { stage, liking, environments, state, look };
}
