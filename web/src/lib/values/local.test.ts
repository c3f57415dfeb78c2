// Dates and numbers follow the browser's language; a browser that nobody asked speaks British English.
import { afterEach, describe, expect, it, vi } from 'vitest';

const AT = '2026-11-26T14:05:00';
afterEach(() => {
  // Other files of tests share the modules.
  vi.unstubAllGlobals();
  vi.resetModules();
});
async function inLanguage(language: string) {
  vi.resetModules();
  vi.stubGlobal('navigator', { language });
  const [local, numbers] = await Promise.all([import('./local'), import('./numbers')]);
  return { ...local, ...numbers };
}

describe('dates and numbers', () => {
  it.each([
    ['en-US', '26 Nov 2026', '14:05', '1,234,567', '−0.25', '0.5'],
    ['en-GB', '26 Nov 2026', '14:05', '1,234,567', '−0.25', '0.5'],
    ['de', '26.11.2026', '14:05', '1.234.567', '−0,25', '0,5'],
    ['fr', '26 nov. 2026', '14:05', '1\u202f234\u202f567', '−0,25', '0,5'],
  ])('in %s', async (language, day, time, count, number, half) => {
    const local = await inLanguage(language);
    expect([local.dayWords(AT), local.timeWords(AT)]).toEqual([day, time]);
    expect([local.counted(1234567), local.fixed(-0.25, 2), local.written(0.5)]).toEqual([
      count,
      number,
      half,
    ]);
    // What is shown can be typed again.
    expect(local.readDigits(half)).toBe(0.5);
  });
});
