// Dragging a channel, or a whole file, onto a ledger row; and what such a drop means.
import type { Assignment, ChannelName, FileView } from '@/api/client';

const KIND = 'application/x-fair-texel-channel';

export interface Carried {
  file: number;
  channel: ChannelName | null;
}

export function putCarried(event: DragEvent, carried: Carried): void {
  event.dataTransfer?.setData(KIND, JSON.stringify(carried));
  if (event.dataTransfer) event.dataTransfer.effectAllowed = 'copy';
}

export function carriesChannel(event: DragEvent): boolean {
  return event.dataTransfer?.types.includes(KIND) ?? false;
}

export function takeCarried(event: DragEvent): Carried | null {
  const text = event.dataTransfer?.getData(KIND);
  return text ? (JSON.parse(text) as Carried) : null;
}

/** The channels that a property of `components` takes from a file: the chosen one, or the first colours. */
export function channelsFor(file: FileView, components: number, chosen: ChannelName | null): ChannelName[] {
  if (chosen) return Array<ChannelName>(components).fill(chosen);
  const colours = file.channels.filter((channel) => channel !== 'A');
  if (components === 1) return colours.slice(0, 1);
  return colours.length >= 3 ? colours.slice(0, 3) : Array<ChannelName>(components).fill(colours[0] ?? 'Y');
}

/** What a drop on a property's row asks the server to do. */
export function assignmentOf(
  file: FileView,
  components: number,
  chosen: ChannelName | null,
  property: string,
): Assignment {
  return {
    file: file.id,
    channels: channelsFor(file, components, chosen),
    inverted: false,
    normal_y: property === 'normal' ? '+Y' : null,
    encoding: null,
  };
}
