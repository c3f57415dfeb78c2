// Delivered textures as the page reads them: the header of a DDS file and its levels. Numbers: Microsoft's DXGI_FORMAT list.
import { lookedAt } from './looking';
export type BlockFormat = 'bc1' | 'bc3' | 'bc4' | 'bc5' | 'bc7' | 'r8' | 'rgba8' | 'r16' | 'rgba16f';

export interface BlockTexture {
  width: number;
  height: number;
  format: BlockFormat;
  srgb: boolean;
  levels: { width: number; height: number; data: Uint8Array<ArrayBuffer> }[];
}

const NUMBERS: Record<number, [BlockFormat, boolean]> = {
  71: ['bc1', false],
  72: ['bc1', true],
  77: ['bc3', false],
  78: ['bc3', true],
  80: ['bc4', false],
  83: ['bc5', false],
  98: ['bc7', false],
  99: ['bc7', true],
  61: ['r8', false],
  28: ['rgba8', false],
  29: ['rgba8', true],
  56: ['r16', false],
  10: ['rgba16f', false],
};
/** Bytes of a block, and its edge in texels. */
const UNITS: Record<BlockFormat, [bytes: number, edge: number]> = {
  bc1: [8, 4],
  bc3: [16, 4],
  bc4: [8, 4],
  bc5: [16, 4],
  bc7: [16, 4],
  r8: [1, 1],
  rgba8: [4, 1],
  r16: [2, 1],
  rgba16f: [8, 1],
};
const HEADER = 148;

/** Read a DDS file with a DX10 header. Throws an Error that says what is wrong with it. */
export function readDds(buffer: ArrayBuffer): BlockTexture {
  const words = new DataView(buffer);
  if (buffer.byteLength < HEADER || words.getUint32(0, true) !== 0x20534444) throw new Error('no DDS file');
  const known = NUMBERS[words.getUint32(128, true)];
  if (!known) throw new Error('a format that is not known here');
  const [format, srgb] = known;
  const [bytes, edge] = UNITS[format];
  const height = words.getUint32(12, true);
  const width = words.getUint32(16, true);
  const levels = [];
  let at = HEADER;
  for (let level = 0; level < Math.max(1, words.getUint32(28, true)); level++) {
    const wide = Math.max(1, width >> level);
    const high = Math.max(1, height >> level);
    const length = Math.ceil(wide / edge) * Math.ceil(high / edge) * bytes;
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
export function uploadOf(gl: WebGL2RenderingContext, format: BlockFormat, srgb: boolean): Upload | null {
  const s3tc = gl.getExtension('WEBGL_compressed_texture_s3tc');
  const s3tcSrgb = gl.getExtension('WEBGL_compressed_texture_s3tc_srgb');
  const rgtc = gl.getExtension('EXT_texture_compression_rgtc');
  const bptc = gl.getExtension('EXT_texture_compression_bptc');
  const block = (internal: number | undefined): Upload | null =>
    internal === undefined ? null : { internal };
  switch (format) {
    case 'bc1':
      return block(srgb ? s3tcSrgb?.COMPRESSED_SRGB_S3TC_DXT1_EXT : s3tc?.COMPRESSED_RGB_S3TC_DXT1_EXT);
    case 'bc3':
      return block(
        srgb ? s3tcSrgb?.COMPRESSED_SRGB_ALPHA_S3TC_DXT5_EXT : s3tc?.COMPRESSED_RGBA_S3TC_DXT5_EXT,
      );
    case 'bc4':
      return block(rgtc?.COMPRESSED_RED_RGTC1_EXT);
    case 'bc5':
      return block(rgtc?.COMPRESSED_RED_GREEN_RGTC2_EXT);
    case 'bc7':
      return block(srgb ? bptc?.COMPRESSED_SRGB_ALPHA_BPTC_UNORM_EXT : bptc?.COMPRESSED_RGBA_BPTC_UNORM_EXT);
    case 'r8':
      return { internal: gl.R8, plain: { format: gl.RED, type: gl.UNSIGNED_BYTE } };
    case 'rgba8':
      return {
        internal: srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8,
        plain: { format: gl.RGBA, type: gl.UNSIGNED_BYTE },
      };
    case 'r16':
      // Sixteen-bit integers are not filtered by WebGL 2; as half floats they are near enough to be looked at.
      return { internal: gl.R16F, plain: { format: gl.RED, type: gl.HALF_FLOAT } };
    case 'rgba16f':
      return { internal: gl.RGBA16F, plain: { format: gl.RGBA, type: gl.HALF_FLOAT } };
  }
}

/** Put a texture on the GPU, all its levels. Throws an Error when the GPU does not offer the format. */
export function upload(gl: WebGL2RenderingContext, source: BlockTexture): WebGLTexture {
  const how = uploadOf(gl, source.format, source.srgb);
  if (!how) throw new Error(`${source.format.toUpperCase()} is not offered by this browser's GPU`);
  // WebGL, as Direct3D, takes blocks only for pictures of whole blocks; an empty picture would say nothing.
  if (!how.plain && (source.width % 4 || source.height % 4)) {
    throw new Error(`${source.width} × ${source.height} is no whole number of blocks, which GPUs refuse`);
  }
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
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

function view(format: BlockFormat, data: Uint8Array<ArrayBuffer>): ArrayBufferView<ArrayBuffer> {
  if (format === 'r8' || format === 'rgba8') return data;
  // A copy, since two-byte values must lie at even addresses.
  const shorts = new Uint16Array(data.slice().buffer);
  return format === 'r16' ? shorts.map((value) => halfOf(value / 65535)) : shorts;
}

/** A number from 0 to 1 as the bits of a half float, rounded down. */
export function halfOf(value: number): number {
  if (value < 2 ** -24) return 0;
  if (value < 2 ** -14) return Math.floor(value * 2 ** 24);
  const exponent = Math.floor(Math.log2(value));
  return ((exponent + 15) << 10) | Math.floor((value / 2 ** exponent - 1) * 1024);
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
