// What a surface's pictures are on the GPU: blocks as the engine gets them, or pictures; decoded ones where a browser has no blocks.
import type { components } from '@/api/schema.generated';
import { fetchDds, isWhole, unpackAsIs, upload, uploadOf } from '@/lib/pictures/dds';

export type StagePicture = components['schemas']['StagePicture'];

export interface Held {
  key: string;
  texture: WebGLTexture;
  width: number;
  height: number;
  /** Whether blocks had to be decoded by the server, at a size of their own. */
  decoded: boolean;
}

/** The pictures that lie on the GPU: each once, however many surfaces show it, and for as long as one does. They are ours and not the
 * library's: nobody else frees them. */
export class Shelf {
  private readonly kept = new Map<string, { coming: Promise<Held>; users: number }>();

  constructor(private readonly gl: WebGL2RenderingContext) {}

  get count(): number {
    return this.kept.size;
  }

  /** Put pictures on the GPU, or find them there. Throws an Error that says why one cannot be shown; none is held then. */
  async take(pictures: StagePicture[]): Promise<Held[]> {
    const asked = pictures.map((picture) => {
      const key = `${picture.srgb ? 'srgb' : 'linear'} ${picture.url}`;
      const known = this.kept.get(key) ?? { coming: hold(this.gl, picture, key), users: 0 };
      known.users++;
      this.kept.set(key, known);
      return { key, known };
    });
    const settled = await Promise.allSettled(asked.map(({ known }) => known.coming));
    const failed = settled.find((entry) => entry.status === 'rejected');
    if (!failed) return settled.flatMap((entry) => (entry.status === 'fulfilled' ? [entry.value] : []));
    asked.forEach(({ key }) => this.drop(key));
    throw failed.reason;
  }

  /** Say that pictures are not shown any more. */
  give(held: Held[]): void {
    for (const { key } of held) this.drop(key);
  }

  private drop(key: string): void {
    const known = this.kept.get(key);
    if (!known || --known.users > 0) return;
    this.kept.delete(key);
    known.coming.then(({ texture }) => this.gl.deleteTexture(texture)).catch(() => undefined);
  }
}

/** Put a picture on the GPU. Throws an Error that says why it cannot be shown. */
async function hold(gl: WebGL2RenderingContext, picture: StagePicture, key: string): Promise<Held> {
  if (picture.kind === 'picture') return { ...(await fromPicture(gl, picture.url, picture.srgb)), key };
  const source = await fetchDds(picture.url);
  const { width, height } = source;
  if (uploadOf(gl, source.format, source.srgb) && isWhole(source))
    return { key, texture: upload(gl, source), width, height, decoded: false };
  const url = picture.url.replace('/dds?', '/picture?side=after&size=whole&');
  return { ...(await fromPicture(gl, url, picture.srgb)), key, decoded: true };
}

async function fromPicture(
  gl: WebGL2RenderingContext,
  url: string,
  srgb: boolean,
): Promise<Omit<Held, 'key'>> {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error(`a map could not be fetched (status ${answer.status})`);
  const bitmap = await createImageBitmap(await answer.blob(), {
    colorSpaceConversion: 'none',
    premultiplyAlpha: 'none',
  });
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  unpackAsIs(gl);
  const internal = srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8;
  gl.texImage2D(gl.TEXTURE_2D, 0, internal, gl.RGBA, gl.UNSIGNED_BYTE, bitmap);
  gl.generateMipmap(gl.TEXTURE_2D);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.REPEAT);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.REPEAT);
  const { width, height } = bitmap;
  bitmap.close();
  return { texture, width, height, decoded: false };
}
