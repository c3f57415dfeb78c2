// Paints one or two pictures on the table: each is drawn from its tiles, then both are put together on the GPU.
import { COVER, program } from '@/lib/pictures/drawing';
import { TILE } from '@/lib/pictures/pictures';
import { levelFor, tilesFor, topLevel, type LevelTile, type Placement, type Size } from './zoom';
import { Tiles } from './tiles';

export const WAYS_TOGETHER = ['a', 'b', 'wipe', 'difference'] as const;
export type Together = (typeof WAYS_TOGETHER)[number];

export interface Look {
  /** 0 shows colours, 1 to 3 red, green and blue as grey. */
  channel: number;
  /** In stops: light is multiplied by 2 to this power, before the screen's encoding. */
  exposure: number;
  /** Whether values are colours, which exposure must linearise first. */
  colour: boolean;
  times: number;
  together: Together;
  /** Where the wipe stands, as a share of the window's width. */
  wipe: number;
  factor: number;
  clipping: boolean;
}

const PLACE = `#version 300 es
uniform vec4 box;
out vec2 inside;
void main() {
  vec2 corner = vec2(float(gl_VertexID & 1), float(gl_VertexID >> 1));
  inside = corner;
  gl_Position = vec4(mix(box.xy, box.zw, corner), 0.0, 1.0);
}`;
const TILE_TEXT = `#version 300 es
precision highp float;
uniform sampler2D tile;
uniform vec2 share;
in vec2 inside;
out vec4 shown;
void main() { shown = vec4(texture(tile, inside * share).rgb, 1.0); }`;
/* The screen's encoding is sRGB (IEC 61966-2-1). */
const TOGETHER = `#version 300 es
precision highp float;
uniform sampler2D first, second;
uniform int channel, mode;
uniform vec2 gains;
uniform float wipe, factor;
uniform bool colour, clipping;
in vec2 place;
out vec4 shown;
vec3 linear(vec3 v) { return mix(pow((v + 0.055) / 1.055, vec3(2.4)), v / 12.92, lessThanEqual(v, vec3(0.04045))); }
vec3 encoded(vec3 v) { return mix(1.055 * pow(max(v, 0.0), vec3(1.0 / 2.4)) - 0.055, v * 12.92, lessThanEqual(v, vec3(0.0031308))); }
vec3 picked(vec3 v) { return channel == 0 ? v : vec3(v[channel - 1]); }
vec3 exposed(vec3 v, float gain) {
  if (gain == 1.0) return v;
  return colour ? encoded(linear(v) * gain) : v * gain;
}
void main() {
  vec2 at = vec2(place.x, 1.0 - place.y);
  vec4 a = texture(first, at), b = texture(second, at);
  bool right = mode == 2 ? place.x > wipe : mode == 1;
  vec4 one = right ? b : a;
  vec3 stored = picked(one.rgb);
  vec3 value = exposed(stored, right ? gains.y : gains.x);
  float there = one.a;
  if (mode == 3) {
    vec3 apart = abs(picked(a.rgb) - picked(b.rgb)) * factor;
    value = clamp(apart, 0.0, 1.0);
    there = min(a.a, b.a);
  }
  if (clipping && mode != 3) {
    if (all(lessThan(stored, vec3(0.5 / 255.0)))) value = vec3(0.18, 0.35, 0.66);
    if (any(greaterThan(stored, vec3(254.5 / 255.0)))) value = vec3(0.66, 0.18, 0.2);
  }
  if (mode == 2 && abs(place.x - wipe) * float(textureSize(first, 0).x) < 0.75) value = vec3(1.0), there = 1.0;
  // The neutral well, sRGB 119, where no picture lies.
  shown = vec4(mix(vec3(119.0 / 255.0), value, there), 1.0);
}`;

interface Layer {
  tiles: Tiles | null;
  /** Whether its tiles come exposed already. */
  exposed: boolean;
  frame: WebGLFramebuffer | null;
  texture: WebGLTexture | null;
}

/** Paints on a canvas when asked; `changed` is called when a tile has come and it should be asked again. */
export class Painter {
  private readonly gl: WebGL2RenderingContext;
  private readonly tileProgram: WebGLProgram;
  private readonly bothProgram: WebGLProgram;
  private readonly empty: WebGLVertexArrayObject | null;
  private readonly layers: [Layer, Layer];
  private size: Size = { width: 0, height: 0 };

  /** Throws an Error that says what this browser cannot do. */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly changed: () => void,
  ) {
    const gl = canvas.getContext('webgl2', { antialias: false, preserveDrawingBuffer: true });
    if (!gl) throw new Error('This browser has no WebGL 2.');
    this.gl = gl;
    this.tileProgram = program(gl, PLACE, TILE_TEXT);
    this.bothProgram = program(gl, COVER, TOGETHER);
    this.empty = gl.createVertexArray();
    this.layers = [this.layer(), this.layer()];
  }

  /** Show a picture as the first (0) or second (1); null takes it away. */
  put(index: 0 | 1, picture: Size | null, address: (tile: LevelTile) => string, exposed = false): void {
    const layer = this.layers[index];
    layer.exposed = exposed;
    layer.tiles?.dispose();
    layer.tiles = picture ? new Tiles(this.gl, address, picture, this.changed) : null;
  }

  /** Whether a picture could not be fetched at all. */
  get broken(): boolean {
    return this.layers.some((layer) => layer.tiles?.broken);
  }

  get settled(): boolean {
    return this.layers.every((layer) => layer.tiles?.settled ?? true);
  }

  /** Draw a frame. `view` is in screen pixels, `density` device pixels for each. */
  paint(from: Placement, view: Size, density: number, look: Look): void {
    const { gl, canvas } = this;
    const width = Math.max(1, Math.round(view.width * density));
    const height = Math.max(1, Math.round(view.height * density));
    if (canvas.width !== width || canvas.height !== height) {
      canvas.width = width;
      canvas.height = height;
    }
    if (this.size.width !== width || this.size.height !== height) this.resize(width, height);
    gl.bindVertexArray(this.empty);
    const first = this.layers[0].tiles?.picture;
    for (const layer of this.layers) {
      gl.bindFramebuffer(gl.FRAMEBUFFER, layer.frame);
      gl.viewport(0, 0, width, height);
      gl.clearColor(0, 0, 0, 0);
      gl.clear(gl.COLOR_BUFFER_BIT);
      const picture = layer.tiles?.picture;
      if (!layer.tiles || !picture || !first) continue;
      // The second picture lies where the first does, whatever its size.
      const scale = picture.width / first.width;
      const placed = { zoom: from.zoom / scale, x: from.x * scale, y: from.y * scale };
      this.lay(layer.tiles, placed, view, look.times);
    }
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.viewport(0, 0, width, height);
    gl.useProgram(this.bothProgram);
    this.layers.forEach((layer, unit) => {
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(gl.TEXTURE_2D, layer.texture);
    });
    const mode = { a: 0, b: 1, wipe: 2, difference: 3 }[look.together];
    const at = (name: string) => gl.getUniformLocation(this.bothProgram, name);
    gl.uniform1i(at('first'), 0);
    gl.uniform1i(at('second'), 1);
    gl.uniform1i(at('channel'), look.channel);
    gl.uniform1i(at('mode'), mode);
    const [gainA, gainB] = this.layers.map((layer) => (layer.exposed ? 1 : 2 ** look.exposure));
    gl.uniform2f(at('gains'), gainA ?? 1, gainB ?? 1);
    gl.uniform1f(at('wipe'), look.wipe);
    gl.uniform1f(at('factor'), look.factor);
    gl.uniform1i(at('colour'), Number(look.colour));
    gl.uniform1i(at('clipping'), Number(look.clipping));
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  dispose(): void {
    for (const layer of this.layers) layer.tiles?.dispose();
    this.gl.getExtension('WEBGL_lose_context')?.loseContext();
  }

  /** Draw a picture from its coarsest tile up to the level that is sharp enough, as far as tiles are here. */
  private lay(tiles: Tiles, from: Placement, view: Size, times: number): void {
    const { gl } = this;
    const { picture } = tiles;
    const sharp = levelFor(from.zoom, picture);
    const top = topLevel(picture);
    const wanted = [{ level: top, column: 0, row: 0 }, ...tilesFor(from, view, picture, sharp, times)];
    tiles.want(wanted);
    gl.useProgram(this.tileProgram);
    gl.activeTexture(gl.TEXTURE0);
    gl.uniform1i(gl.getUniformLocation(this.tileProgram, 'tile'), 0);
    for (const tile of wanted) this.layTile(tiles, tile, from, view, times);
  }

  private layTile(tiles: Tiles, tile: LevelTile, from: Placement, view: Size, times: number): void {
    const { gl } = this;
    const kept = tiles.get(tile);
    if (!kept) return;
    const { picture } = tiles;
    const size = TILE * 2 ** tile.level;
    const left = tile.column * size;
    const top = tile.row * size;
    const right = Math.min(picture.width, left + size);
    const bottom = Math.min(picture.height, top + size);
    gl.bindTexture(gl.TEXTURE_2D, kept.texture);
    const filter = from.zoom * 2 ** tile.level >= 1 ? gl.NEAREST : gl.LINEAR;
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
    const scale = 2 ** tile.level;
    // A tile at the picture's edge may hold repeated texels beyond it.
    gl.uniform2f(
      gl.getUniformLocation(this.tileProgram, 'share'),
      (right - left) / scale / kept.width,
      (bottom - top) / scale / kept.height,
    );
    const box = gl.getUniformLocation(this.tileProgram, 'box');
    for (let y = 0; y < times; y++) {
      for (let x = 0; x < times; x++) {
        const across = (texel: number) => (2 * (texel + x * picture.width - from.x) * from.zoom) / view.width;
        const down = (texel: number) =>
          (-2 * (texel + y * picture.height - from.y) * from.zoom) / view.height;
        gl.uniform4f(box, across(left), down(top), across(right), down(bottom));
        gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
      }
    }
  }

  private layer(): Layer {
    return {
      tiles: null,
      exposed: false,
      frame: this.gl.createFramebuffer(),
      texture: this.gl.createTexture(),
    };
  }

  private resize(width: number, height: number): void {
    const { gl } = this;
    this.size = { width, height };
    for (const layer of this.layers) {
      gl.bindTexture(gl.TEXTURE_2D, layer.texture);
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, width, height, 0, gl.RGBA, gl.UNSIGNED_BYTE, null);
      for (const name of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER])
        gl.texParameteri(gl.TEXTURE_2D, name, gl.NEAREST);
      gl.bindFramebuffer(gl.FRAMEBUFFER, layer.frame);
      gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, layer.texture, 0);
    }
  }
}
