// Numbers as people type them: with comma or point, with a unit, as a simple sum.
import { DECIMAL } from './local';

/** What was typed, as a number; or why it is none, as a sentence. */
export type Typed = { value: number } | { problem: string };

/** Factors to a field's own unit, for each unit that may be typed into a field with that one. */
const UNITS: Record<string, Record<string, number>> = {
  '': { '%': 0.01 },
  '%': { '%': 1 },
  '°': { '°': 1, deg: 1, rad: 180 / Math.PI, turn: 360, turns: 360 },
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000 },
  mm: { mm: 1, cm: 10, m: 1000 },
  MB: { MB: 1, GB: 1024, KB: 1 / 1024, kB: 1 / 1024 },
  px: { px: 1 },
  '×': { '×': 1, x: 1 },
};
const SPACE = /[\s\u00a0\u2009\u202f'’]/;
const DIGIT = /[\d.,]/;
/** As many digits as a 64-bit float is sure to keep, less what sums like 0.1 + 0.2 add at the end. */
const DIGITS = 12;

/** A number as a field shows it: all the digits that it has, and no noise of binary fractions. */
export function written(value: number): string {
  const text = String(Number(value.toPrecision(DIGITS)));
  return text.replace('-', '−').replace('.', DECIMAL);
}

/** A number as it is read in passing: three digits of it. */
export function rounded(value: number): string {
  return written(Number(value.toPrecision(3)));
}

/** The number that digits with commas, points and spaces stand for; null when nobody could say.
 *
 * A single comma or point parts the decimals. Where both stand, the last one does, and the other parts thousands; one that stands
 * more than once parts thousands. Thousands come in threes. */
export function readDigits(text: string): number | null {
  const plain = [...text].filter((sign) => !SPACE.test(sign)).join('');
  const [commas, points] = [plain.split(',').length - 1, plain.split('.').length - 1];
  if (commas > 1 && points > 1) return null;
  const last = plain.lastIndexOf(',') > plain.lastIndexOf('.') ? ',' : '.';
  const decimal = commas && points ? last : commas === 1 ? ',' : points === 1 ? '.' : null;
  const [whole = '', fraction = '', ...more] = decimal ? plain.split(decimal) : [plain];
  if (more.length || /[.,]/.test(fraction)) return null;
  const groups = whole.split(/[.,]/);
  const inThrees =
    groups.length === 1 || groups.every((group, at) => (at ? /^\d{3}$/ : /^\d{1,3}$/).test(group));
  // 1 234 is a thousand and more; 1 2 is a slip.
  const spaced = text.trim().split(/[.,]/)[0]?.split(SPACE) ?? [];
  const spacedInThrees =
    decimal && groups.length > 1
      ? true
      : spaced.length < 2 || spaced.every((group, at) => (at ? /^\d{3}$/ : /^\d{1,3}$/).test(group));
  const digits = `${groups.join('')}.${fraction}`;
  return inThrees && spacedInThrees && /\d/.test(digits) ? Number(digits) : null;
}

class Slip extends Error {}

/** Reads `sum := product (± product)*`, `product := signed unit? (×÷ signed unit?)*`, `signed := ± signed | ( sum ) | digits`. */
class Reader {
  private at = 0;

  constructor(
    private readonly text: string,
    private readonly unit: string,
  ) {}

  whole(): number {
    const value = this.sum();
    if (this.peek()) throw new Slip();
    return value;
  }

  private peek(): string {
    while (this.at < this.text.length && SPACE.test(this.text[this.at] as string)) this.at++;
    return this.text[this.at] ?? '';
  }

  private takes(signs: string): string {
    const next = this.peek();
    if (!next || !signs.includes(next)) return '';
    this.at++;
    return next;
  }

  private sum(): number {
    let value = this.product();
    for (let sign = this.takes('+-−–'); sign; sign = this.takes('+-−–')) {
      value = sign === '+' ? value + this.product() : value - this.product();
    }
    return value;
  }

  private product(): number {
    // A unit goes with the whole product: 1/4 turn is a quarter of one.
    let value = this.signed() * this.factor();
    for (let sign = this.takes('*×·/÷:'); sign; sign = this.takes('*×·/÷:')) {
      value = '/÷:'.includes(sign) ? value / this.signed() : value * this.signed();
      value *= this.factor();
    }
    return value;
  }

  private signed(): number {
    const sign = this.takes('+-−–');
    if (sign) return sign === '+' ? this.signed() : -this.signed();
    if (this.takes('(')) {
      const value = this.sum();
      if (!this.takes(')')) throw new Slip();
      return value;
    }
    return this.digits();
  }

  private digits(): number {
    this.peek();
    const rest = this.text.slice(this.at);
    let length = 0;
    while (
      DIGIT.test(rest[length] ?? '') ||
      // A space between digits parts thousands.
      (length > 0 && SPACE.test(rest[length] ?? '') && DIGIT.test(rest[length + 1] ?? ''))
    )
      length++;
    const read = readDigits(rest.slice(0, length));
    const power = /^[eE][+−-]?\d{1,3}/.exec(rest.slice(length))?.[0] ?? '';
    if (read === null) throw new Slip();
    this.at += length + power.length;
    return power ? read * 10 ** Number(power.slice(1).replace('−', '-')) : read;
  }

  private factor(): number {
    this.peek();
    const word = /^(%|°|×(?![\s\d(])|[a-zA-Z]+)/.exec(this.text.slice(this.at))?.[0] ?? '';
    if (!word) return 1;
    const known = UNITS[this.unit]?.[word] ?? (word === this.unit ? 1 : undefined);
    if (known === undefined) throw new Slip();
    this.at += word.length;
    return known;
  }
}

/** The number that a person typed into a field with a unit. An empty text, and what is no number, is a problem. */
export function readNumber(text: string, unit = ''): Typed {
  const said = text.trim();
  const example = `Type one such as 0.5, 0,5 or 1/3${unit ? `, with or without ${unit}` : ''}.`;
  if (!said) return { problem: `A number is missing. ${example}` };
  try {
    const value = new Reader(said, unit.trim()).whole();
    if (!Number.isFinite(value)) return { problem: `“${said}” is beyond all numbers. ${example}` };
    return { value: Number(value.toPrecision(15)) };
  } catch (error) {
    if (!(error instanceof Slip)) throw error;
    return { problem: `“${said}” is not a number. ${example}` };
  }
}

export interface Limits {
  low?: number | null;
  high?: number | null;
  whole?: boolean;
}

/** A number within hard limits, with a note when they held it back. */
export function held(value: number, limits: Limits, unit = ''): { value: number; note: string } {
  const { low, high } = limits;
  if (low != null && value < low)
    return { value: low, note: `${said(value)} is below the minimum, ${said(low)}.` };
  if (high != null && value > high)
    return { value: high, note: `${said(value)} is above the maximum, ${said(high)}.` };
  const rounded = Math.round(value);
  if (limits.whole && rounded !== value)
    return { value: rounded, note: `Only whole numbers: ${said(value)} became ${said(rounded)}.` };
  return { value, note: '' };

  function said(number: number): string {
    return `${written(number)}${unit}`;
  }
}

/** How far an arrow key goes: a hundredth of a range, as a power of ten; one for whole numbers and where nothing is known. */
export function stepOf(
  low: number | null | undefined,
  high: number | null | undefined,
  whole = false,
): number {
  if (whole) return 1;
  const span = low != null && high != null ? high - low : 0;
  return span > 0 ? 10 ** Math.floor(Math.log10(span / 100) + 1e-9) : 0.1;
}
