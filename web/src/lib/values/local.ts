// Dates and numbers as the browser's language writes them; the words around them are British English.

/** The language of dates and numbers. A browser that says American, as most do that nobody asked, gets the page's own English. */
function languageOf(asked: string): string {
  return /^en(-us)?$/i.test(asked) ? 'en-GB' : asked;
}
const LANGUAGE = languageOf(typeof navigator === 'undefined' ? 'en' : navigator.language || 'en');
type Moment = string | number | Date;

function dates(options: Intl.DateTimeFormatOptions): (at: Moment) => string {
  const format = new Intl.DateTimeFormat(LANGUAGE, options);
  return (at) => format.format(new Date(at));
}
/** A day, as “2 Dec 2026”. */
export const dayWords = dates({ dateStyle: 'medium' });
/** A day with its weekday, as “Wednesday 2 December 2026”. */
export const weekdayWords = dates({ dateStyle: 'full' });
/** A time of the day, as “14:05”. */
export const timeWords = dates({ timeStyle: 'short' });
/** A day and a time of it, as “2 Dec 2026, 14:05”. */
export const momentWords = dates({ dateStyle: 'medium', timeStyle: 'short' });

const COUNT = new Intl.NumberFormat(LANGUAGE, { maximumFractionDigits: 0 });
/** The sign between a number's whole part and the rest. */
export const DECIMAL = new Intl.NumberFormat(LANGUAGE).format(1.5).charAt(1);

/** A count, its thousands parted. */
export function counted(count: number): string {
  return COUNT.format(count);
}
/** A number with just so many digits after its decimal sign. */
export function fixed(value: number, digits: number): string {
  return value.toFixed(digits).replace('-', '−').replace('.', DECIMAL);
}
