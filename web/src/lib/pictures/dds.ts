// Delivered textures as the page reads them: the header of a DDS file and its levels, and how a GPU takes them.
import { FORMATS, type TextureFormat } from '@/api/formats.generated';

import { isBlocks } from '@/lib/values/formats';
import { lookedAt } from './targetshown';

export interface BlockTexture {
  width: number;
  height: number;
  format: TextureFormat;
  srgb: boolean;
  levels: { width: number; height: number; data: Uint8Array<ArrayBuffer> }[];
}

/** Formats by their DXGI numbers, and whether a number says sRGB. */
const NUMBERS = new Map(
  (Object.keys(FORMATS) as TextureFormat[]).flatMap((key) => {
    const { linear, srgb } = FORMATS[key];
    const plain: [number, [TextureFormat, boolean]] = [linear.dxgi, [key, false]];
    return srgb ? [plain, [srgb.dxgi, [key, true]] as typeof plain] : [plain];
  }),
);
const HEADER = 148;

/** Read a DDS file with a DX10 header. Throws an Error that says what is wrong with it. */
export function readDds(buffer: ArrayBuffer): BlockTexture {
  const words = new DataView(buffer);
  if (buffer.byteLength < HEADER || words.getUint32(0, true) !== 0x20534444) throw new Error('no DDS file');
  const known = NUMBERS.get(words.getUint32(128, true));
  if (!known) throw new Error('a format that is not known here');
  const [format, srgb] = known;
  const { block, unit } = FORMATS[format];
  const height = words.getUint32(12, true);
  const width = words.getUint32(16, true);
  const levels = [];
  let at = HEADER;
  for (let level = 0; level < Math.max(1, words.getUint32(28, true)); level++) {
    const wide = Math.max(1, width >> level);
    const high = Math.max(1, height >> level);
    const length = Math.ceil(wide / block[0]) * Math.ceil(high / block[1]) * unit;
    if (at + length > buffer.byteLength) throw new Error('a file that ends too early');
    levels.push({ width: wide, height: high, data: new Uint8Array(buffer, at, length) });
    at += length;
  }
  return { width, height, format, srgb, levels };
}

interface Upload {
  internal: number;
  /** Set for plain formats, which are not uploaded as blocks. */
  plain?: { format: number; type: number };
}

/** How WebGL 2 takes a format; null when this GPU does not offer it. */
export function uploadOf(gl: WebGL2RenderingContext, format: TextureFormat, srgb: boolean): Upload | null {
  const { linear, srgb: flagged, channels, sample } = FORMATS[format];
  const { webgl, extension } = (srgb && flagged) || linear;
  if (extension && !gl.getExtension(extension)) return null;
  if (isBlocks(format)) return { internal: webgl };
  const layout = { 1: gl.RED, 2: gl.RG, 4: gl.RGBA }[channels.length] ?? gl.RGBA;
  return {
    internal: webgl,
    plain: { format: layout, type: sample === 'u8' ? gl.UNSIGNED_BYTE : gl.HALF_FLOAT },
  };
}

/** Whether a GPU takes a texture as it is: Direct3D and WebGL take blocks only for pictures of whole blocks. */
export function isWhole({ format, width, height }: BlockTexture): boolean {
  const [wide, high] = FORMATS[format].block;
  return width % wide === 0 && height % high === 0;
}

/** Put a texture on the GPU, all its levels. Throws an Error when the GPU does not offer the format. */
export function upload(gl: WebGL2RenderingContext, source: BlockTexture): WebGLTexture {
  const how = uploadOf(gl, source.format, source.srgb);
  if (!how) throw new Error(`${FORMATS[source.format].title} is not offered by this browser's GPU`);
  // An empty picture would say nothing.
  if (!isWhole(source)) {
    throw new Error(`${source.width} × ${source.height} is no whole number of blocks, which GPUs refuse`);
  }
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  unpackAsIs(gl);
  source.levels.forEach((level, index) => {
    if (how.plain) {
      const { format, type } = how.plain;
      gl.texImage2D(
        gl.TEXTURE_2D,
        index,
        how.internal,
        level.width,
        level.height,
        0,
        format,
        type,
        view(source.format, level.data),
      );
    } else {
      gl.compressedTexImage2D(gl.TEXTURE_2D, index, how.internal, level.width, level.height, 0, level.data);
    }
  });
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, source.levels.length - 1);
  const least = source.levels.length > 1 ? gl.LINEAR_MIPMAP_LINEAR : gl.LINEAR;
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, least);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.REPEAT);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.REPEAT);
  return texture;
}

/** Take texels as they lie in memory, whatever was drawn on this context before: else they lie upside down at times. */
export function unpackAsIs(gl: WebGL2RenderingContext): void {
  gl.pixelStorei(gl.UNPACK_FLIP_Y_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
}

/** A plain level as it is uploaded: bytes, or half floats. */
function view(format: TextureFormat, data: Uint8Array<ArrayBuffer>): ArrayBufferView<ArrayBuffer> {
  const { sample } = FORMATS[format];
  if (sample === 'u8') return data;
  // A copy, since values of several bytes must lie at even addresses.
  const { buffer } = data.slice();
  if (sample === 'f16') return new Uint16Array(buffer);
  if (sample === 'u16') return new Uint16Array(buffer).map((value) => halfOf(value / 65535));
  return Uint16Array.from(new Float32Array(buffer), halfOf);
}

/** A number as the bits of a half float, rounded towards 0; what is too large for one is the largest. */
export function halfOf(value: number): number {
  if (Number.isNaN(value)) return 0x7e00;
  const sign = value < 0 ? 0x8000 : 0;
  const size = Math.min(65504, Math.abs(value));
  if (size < 2 ** -24) return sign;
  if (size < 2 ** -14) return sign | Math.floor(size * 2 ** 24);
  const exponent = Math.floor(Math.log2(size));
  return sign | ((exponent + 15) << 10) | Math.floor((size / 2 ** exponent - 1) * 1024);
}

const kept = new Map<string, Promise<BlockTexture>>();

/** A texture by address, from the last few that were fetched where it is among them. */
export function fetchDds(url: string): Promise<BlockTexture> {
  const known = kept.get(url);
  if (known) return known;
  const asked = fetch(url).then(async (answer) => {
    if (!answer.ok) throw new Error(`the server answered with status ${answer.status}`);
    return readDds(await answer.arrayBuffer());
  });
  kept.set(url, asked);
  asked.catch(() => kept.delete(url));
  for (const key of kept.keys()) {
    if (kept.size <= 12) break;
    kept.delete(key);
  }
  return asked;
}

export function ddsUrl(setId: number, output: string, sha256: string): string {
  return `/api/sets/${setId}/proofs/${output}/dds?v=${sha256.slice(0, 12)}${lookedAt()}`;
}
