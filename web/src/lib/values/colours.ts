// Colours of parameters: linear light in documents, sRGB in fields (IEC 61966-2-1).
export type Linear = readonly [number, number, number];

function encode(value: number): number {
  return value <= 0.0031308 ? value * 12.92 : 1.055 * value ** (1 / 2.4) - 0.055;
}
function decode(value: number): number {
  return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
}

/** "#rrggbb" for a linear colour; what is brighter than white shows as white. */
export function hexOf(colour: Linear): string {
  const parts = colour.map((part) => Math.round(Math.min(1, Math.max(0, encode(part))) * 255));
  return `#${parts.map((part) => part.toString(16).padStart(2, '0')).join('')}`;
}

/** The linear colour of "#rrggbb". */
export function linearOf(hex: string): [number, number, number] {
  const part = (at: number) => decode(parseInt(hex.slice(at, at + 2), 16) / 255);
  return [part(1), part(3), part(5)];
}
