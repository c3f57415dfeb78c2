// Tiles of one picture as textures: fetched when wanted, a few at a time, the oldest forgotten.
import type { Size } from './zoom';
import type { LevelTile } from './zoom';

const AT_ONCE = 6;
// 512² RGBA is a megabyte on the GPU.
const MOST_KEPT = 120;

interface Kept {
  texture: WebGLTexture;
  width: number;
  height: number;
  used: number;
}

export class Tiles {
  private readonly kept = new Map<string, Kept>();
  private readonly loading = new Map<string, AbortController>();
  private readonly failed = new Set<string>();
  private clock = 0;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    /** The address of a tile. */
    private readonly address: (tile: LevelTile) => string,
    readonly picture: Size,
    private readonly arrived: () => void,
  ) {}

  /** The texture of a tile, where it is here. */
  get(tile: LevelTile): Kept | null {
    const found = this.kept.get(name(tile));
    if (found) found.used = ++this.clock;
    return found ?? null;
  }

  /** Fetch what is wanted and not here, in order; requests for what is no longer wanted are given up. */
  want(tiles: LevelTile[]): void {
    const wanted = new Set(tiles.map(name));
    for (const [key, control] of this.loading) {
      if (!wanted.has(key)) control.abort();
    }
    for (const tile of tiles) {
      if (this.loading.size >= AT_ONCE) return;
      const key = name(tile);
      if (!this.kept.has(key) && !this.loading.has(key) && !this.failed.has(key)) void this.fetch(tile, key);
    }
  }

  /** Whether everything that was wanted last is here or has failed. */
  get settled(): boolean {
    return this.loading.size === 0;
  }

  get broken(): boolean {
    return this.failed.size > 0 && this.kept.size === 0;
  }

  dispose(): void {
    for (const control of this.loading.values()) control.abort();
    for (const { texture } of this.kept.values()) this.gl.deleteTexture(texture);
    this.kept.clear();
  }

  private async fetch(tile: LevelTile, key: string): Promise<void> {
    const control = new AbortController();
    this.loading.set(key, control);
    try {
      const answer = await fetch(this.address(tile), { signal: control.signal });
      if (!answer.ok) throw new Error(String(answer.status));
      // Values as stored: no colour management, and alpha never multiplied in.
      const bitmap = await createImageBitmap(await answer.blob(), {
        premultiplyAlpha: 'none',
        colorSpaceConversion: 'none',
      });
      if (control.signal.aborted) return;
      this.keep(key, bitmap);
      bitmap.close();
    } catch {
      if (!control.signal.aborted) this.failed.add(key);
    } finally {
      this.loading.delete(key);
      this.arrived();
    }
  }

  private keep(key: string, bitmap: ImageBitmap): void {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, gl.RGBA, gl.UNSIGNED_BYTE, bitmap);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    this.kept.set(key, { texture, width: bitmap.width, height: bitmap.height, used: ++this.clock });
    while (this.kept.size > MOST_KEPT) {
      const [oldest] = [...this.kept].reduce((a, b) => (a[1].used < b[1].used ? a : b));
      gl.deleteTexture(this.kept.get(oldest)?.texture ?? null);
      this.kept.delete(oldest);
    }
  }
}

function name(tile: LevelTile): string {
  return `${tile.level}-${tile.column}-${tile.row}`;
}
