// What the page asks of the table of texture formats.
import { FORMATS, type TextureFormat } from '@/api/formats.generated';

type Sample = (typeof FORMATS)[TextureFormat]['sample'];

const KEYS = Object.keys(FORMATS) as TextureFormat[];

/** Whether a format's texels are encoded together. */
export function isBlocks(format: TextureFormat): boolean {
  return FORMATS[format].block[0] * FORMATS[format].block[1] > 1;
}

export function bitsPerTexel(format: TextureFormat): number {
  const { unit, block } = FORMATS[format];
  return (unit * 8) / (block[0] * block[1]);
}

/** The formats that store pictures of a sample. */
export function storing(sample: Sample): TextureFormat[] {
  return KEYS.filter((key) => FORMATS[key].takes.includes(sample));
}

/** What stores a picture of any channels: BC7 for eight bits (common practice), and otherwise four channels as they are. */
export function usualFormat(sample: Sample): TextureFormat {
  if (sample === 'u8') return 'bc7';
  const plain = storing(sample).find((key) => !isBlocks(key) && FORMATS[key].channels.length === 4);
  if (!plain) throw new Error(`no format stores ${sample}`);
  return plain;
}
