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

/** What a drop on a property's row asks the server to do: a channel for every component, or the file as a whole. */
export function assignmentOf(file: FileView, components: number, chosen: ChannelName | null): Assignment {
  return {
    file: file.id,
    channels: chosen ? Array<ChannelName>(components).fill(chosen) : null,
    inverted: false,
    normal_y: null,
    encoding: null,
  };
}
