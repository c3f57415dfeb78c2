// Addresses of pictures, and the arithmetic of tiles.
import type { ChannelName, FileView, LineView, OutputView, PlannedView } from '@/api/client';
import { lookedAt } from './targetshown';

export type View = 'RGB' | 'R' | 'G' | 'B' | 'A';
export const VIEWS: View[] = ['RGB', 'R', 'G', 'B', 'A'];
export const TILE = 512;

/** What the well shows: a source file, an output, the difference that a proof measured, or a whole set in light. */
export interface Pictured {
  kind: 'files' | 'outputs' | 'proofs' | 'lit';
  id: number;
  name: string;
  width: number;
  height: number;
  channels: readonly string[];
  stamp: string;
  /** More than 8 bits a channel: such pictures are exposed by the server, before they are rounded to what a screen shows. */
  deep?: boolean;
  /** A proof's difference and a lit set have addresses of their own, and no tiles. */
  address?: string;
}

export function ofFile(file: FileView): Pictured {
  const { id, name, width, height, channels, sha256, sample } = file;
  const stamp = sha256.slice(0, 12);
  return { kind: 'files', id, name, width, height, channels, stamp, deep: sample !== 'u8' };
}

export function ofOutput(output: OutputView): Pictured {
  const { id, file_name, width, height, channels, sha256 } = output;
  return {
    kind: 'outputs',
    id,
    name: file_name,
    width,
    height,
    channels: [...channels],
    stamp: sha256.slice(0, 12),
    deep: output.sample !== 'u8',
  };
}

/** The difference that a proof measured in a level, as a picture. */
export function ofDifference(setId: number, planned: PlannedView, sha256: string, level = 0): Pictured {
  return {
    kind: 'proofs',
    id: setId,
    name: `${planned.file_name}, difference${level ? ` in mip ${level}` : ''}`,
    width: Math.max(1, planned.width >> level),
    height: Math.max(1, planned.height >> level),
    channels: ['Y'],
    stamp: sha256.slice(0, 12),
    address: `/api/sets/${setId}/proofs/${planned.key}/picture?side=difference&level=${level}${lookedAt()}`,
  };
}

/** A set as its maps look in light: the server's small picture of it. `stamp` is the board's, of what the picture shows. */
export function ofLit({ id, name }: { id: number; name: string }, stamp: string): Pictured {
  const [address, edge] = [`/api/sets/${id}/lit`, 384];
  return { kind: 'lit', id, name: `${name}, lit`, width: edge, height: edge, channels: [], stamp, address };
}

/** The address of an evidence picture of a file: what a figure or a finding was seen in. */
export function evidenceUrl(
  file: number | string,
  kind: string,
  channel?: string | null,
  stamp = '',
): string {
  const query = [channel ? `channel=${channel}` : '', stamp ? `v=${stamp}` : ''].filter(Boolean).join('&');
  return `/api/files/${file}/evidence/${kind}${query ? `?${query}` : ''}`;
}

/** Evidence pictures that lie just where the file's own picture does. */
const ALIGNED = ['between', 'dark', 'lit-up', 'lit-down', 'curl-up', 'curl-down', 'length', 'range', 'light'];

export function isOverlay(kind: string): boolean {
  return ALIGNED.includes(kind);
}

/** What was measured on a file as a picture to lay over it: one tile, shrunk as the server shrinks it. */
export function ofEvidence(file: Pictured, kind: string, name: string, channel?: string | null): Pictured {
  const factor = Math.max(1, Math.ceil(Math.max(file.width, file.height) / TILE));
  return {
    ...file,
    name,
    width: Math.floor(file.width / factor),
    height: Math.floor(file.height / factor),
    channels: ['R', 'G', 'B'],
    deep: false,
    address: evidenceUrl(file.id, kind, channel, file.stamp),
  };
}

export function pictureUrl(subject: Pictured, view: View, size: 'small' | 'whole'): string {
  const joint = subject.address?.includes('?') ? '&' : '?';
  if (subject.address) return `${subject.address}${joint}size=${size}&v=${subject.stamp}`;
  return `/api/${subject.kind}/${subject.id}/picture?view=${view}&size=${size}&v=${subject.stamp}`;
}

export function tileUrl(subject: Pictured, view: View, column: number, row: number): string {
  return `/api/${subject.kind}/${subject.id}/tile?view=${view}&column=${column}&row=${row}&v=${subject.stamp}`;
}

/** The views that a picture can give: grey pictures show one channel, and alpha where there is one. */
export function viewsOf(channels: readonly string[]): View[] {
  return VIEWS.filter((view) => (view === 'RGB' ? true : channels.includes(view)));
}

/** The view that shows just what a row reads: its one channel, or all colours. */
export function viewOfChannels(channels: readonly ChannelName[]): View {
  const distinct = [...new Set(channels)];
  const only = distinct.length === 1 ? distinct[0] : undefined;
  return only && only !== 'Y' ? only : 'RGB';
}

export function viewOfLine(line: LineView): View {
  return line.row ? viewOfChannels(line.row.channels) : 'RGB';
}

export interface Tile {
  column: number;
  row: number;
}

/** The tiles that a window of `width` × `height` at (`left`, `top`) touches in a picture at 100 %. */
export function tilesIn(
  picture: { width: number; height: number },
  left: number,
  top: number,
  width: number,
  height: number,
): Tile[] {
  const tiles: Tile[] = [];
  const lastColumn = Math.min(Math.ceil(picture.width / TILE), Math.ceil((left + width) / TILE));
  const lastRow = Math.min(Math.ceil(picture.height / TILE), Math.ceil((top + height) / TILE));
  for (let row = Math.max(0, Math.floor(top / TILE)); row < lastRow; row++) {
    for (let column = Math.max(0, Math.floor(left / TILE)); column < lastColumn; column++) {
      tiles.push({ column, row });
    }
  }
  return tiles;
}
