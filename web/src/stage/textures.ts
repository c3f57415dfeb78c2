// What a surface's pictures are on the GPU: blocks as the engine gets them, or pictures; decoded ones where a browser has no blocks.
import type { components } from '@/api/schema.generated';
import { fetchDds, upload, uploadOf } from '@/lib/dds';

export type StagePicture = components['schemas']['StagePicture'];

export interface Held {
  texture: WebGLTexture;
  width: number;
  height: number;
  /** Whether blocks had to be decoded by the server, at a size of their own. */
  decoded: boolean;
}

/** Put a picture on the GPU. Throws an Error that says why it cannot be shown. */
export async function hold(gl: WebGL2RenderingContext, picture: StagePicture): Promise<Held> {
  if (picture.kind === 'picture') return fromPicture(gl, picture.url, picture.srgb, false);
  const source = await fetchDds(picture.url);
  const { width, height } = source;
  const how = uploadOf(gl, source.format, source.srgb);
  if (how && (how.plain || (width % 4 === 0 && height % 4 === 0)))
    return { texture: upload(gl, source), width, height, decoded: false };
  const url = picture.url.replace('/dds?', '/picture?side=after&size=whole&');
  return fromPicture(gl, url, picture.srgb, true);
}

async function fromPicture(
  gl: WebGL2RenderingContext,
  url: string,
  srgb: boolean,
  decoded: boolean,
): Promise<Held> {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error(`a map could not be fetched (status ${answer.status})`);
  const bitmap = await createImageBitmap(await answer.blob(), {
    colorSpaceConversion: 'none',
    premultiplyAlpha: 'none',
  });
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
  const internal = srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8;
  gl.texImage2D(gl.TEXTURE_2D, 0, internal, gl.RGBA, gl.UNSIGNED_BYTE, bitmap);
  gl.generateMipmap(gl.TEXTURE_2D);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.REPEAT);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.REPEAT);
  const { width, height } = bitmap;
  bitmap.close();
  return { texture, width, height, decoded };
}
