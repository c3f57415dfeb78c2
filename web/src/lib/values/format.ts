// Numbers and names as people read them.
import { DECIMAL } from './local';

const SAMPLES: Record<string, string> = {
  u8: '8 bit',
  u16: '16 bit',
  f16: 'half float',
  f32: '32-bit float',
};

export function sampleWords(sample: string): string {
  return SAMPLES[sample] ?? sample;
}

/** "1024²" for squares, "1024 × 512" otherwise. */
export function sizeWords(width: number, height: number): string {
  return width === height ? `${width}²` : `${width} × ${height}`;
}

/** Bytes with a decimal unit and three significant figures. */
export function bytesWords(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`;
  const units = ['kB', 'MB', 'GB'];
  let value = bytes / 1000;
  let unit = 0;
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${value >= 99.5 ? Math.round(value) : value.toPrecision(3).replace('.', DECIMAL)} ${units[unit]}`;
}

/** A name in the pieces between which it may break: behind separators, and before capitals. */
export function piecesOf(name: string): string[] {
  return name.split(/(?<=[_\-. ])(?=[^_\-. ])|(?<=[a-z])(?=[A-Z])/);
}

/** Names in a row: “a, b and c”, or “a, b, c and 4 more” of `total`. */
export function listedWords(names: readonly string[], most = 3, total = names.length): string {
  const shown = names.slice(0, most);
  const more = total - shown.length;
  return new Intl.ListFormat('en-GB').format(more > 0 ? [...shown, `${more} more`] : shown);
}
