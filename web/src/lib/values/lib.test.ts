import { describe, expect, it } from 'vitest';

import { ApiError, csrfToken, toApiError, type FileView } from '@/api/client';

import { assignmentOf } from '@/parts/set/channels';
import { bytesWords } from './format';
import { tilesIn, viewOfChannels, viewsOf } from '@/lib/pictures/pictures';

const file = (channels: string) => ({ id: 7, channels: [...channels] }) as unknown as FileView;

describe('tiles', () => {
  it('cover the window and nothing beyond the picture', () => {
    expect(tilesIn({ width: 1024, height: 600 }, 0, 0, 400, 400)).toEqual([{ column: 0, row: 0 }]);
    const all = tilesIn({ width: 1024, height: 600 }, -50, -50, 5000, 5000);
    expect(all).toHaveLength(4);
    expect(tilesIn({ width: 4096, height: 4096 }, 500, 1000, 100, 100)).toEqual([
      { column: 0, row: 1 },
      { column: 1, row: 1 },
      { column: 0, row: 2 },
      { column: 1, row: 2 },
    ]);
  });
});

describe('channels', () => {
  it('show what a row reads', () => {
    expect(viewOfChannels(['G'])).toBe('G');
    expect(viewOfChannels(['R', 'G', 'B'])).toBe('RGB');
    expect(viewOfChannels(['Y', 'Y', 'Y'])).toBe('RGB');
    expect(viewsOf(['Y'])).toEqual(['RGB']);
    expect(viewsOf(['R', 'G', 'B', 'A'])).toEqual(['RGB', 'R', 'G', 'B', 'A']);
  });

  it('fill a property from a whole file or from one channel', () => {
    expect(assignmentOf(file('RGBA'), 1, 'A').channels).toEqual(['A']);
    expect(assignmentOf(file('RGBA'), 3, 'G').channels).toEqual(['G', 'G', 'G']);
    // Which channels a whole file gives is the server's to say.
    expect(assignmentOf(file('RGB'), 3, null)).toMatchObject({ channels: null, normal_y: null });
  });
});

describe('words', () => {
  it('give bytes three figures', () => {
    expect([0, 999, 1000, 12_345, 999_600, 123_456_789].map(bytesWords)).toEqual([
      '0 B',
      '999 B',
      '1.00 kB',
      '12.3 kB',
      '1.00 MB',
      '123 MB',
    ]);
  });
});

describe('refusals', () => {
  it('keep the three parts that the server gave, and invent plain ones where it gave none', () => {
    const given = toApiError(409, { subject: 'a.png', problem: 'is empty.', way_out: 'Export it again.' });
    expect([given.subject, given.problem, given.wayOut]).toEqual(['a.png', 'is empty.', 'Export it again.']);
    expect(toApiError(502, '<html>')).toBeInstanceOf(ApiError);
    expect(toApiError(502, '<html>').problem).toContain('502');
  });

  it('find the token among other cookies', () => {
    expect(csrfToken('a=1; csrftoken=abc; b=2')).toBe('abc');
    expect(csrfToken('xcsrftoken=no')).toBe('');
  });
});
