// What a target's parts are called on the page, and the questions that its sheet asks of them.
import { FORMATS } from '@/api/formats.generated';
import type { TargetChannel, TargetOutput, TargetProblem, Vocabulary } from '@/api/targets';

export const LAYOUTS = ['Y', 'YA', 'RGB', 'RGBA'] as const;
export const FILTERS = [
  { value: 'box', text: 'box' },
  { value: 'mitchell', text: 'Mitchell' },
  { value: 'lanczos', text: 'Lanczos' },
] as const;

export function layoutOf(output: TargetOutput): string {
  return output.channels.map((channel) => channel.channel).join('');
}
export function blank(channel: TargetChannel['channel'], value = 0): TargetChannel {
  return {
    channel,
    property: 'constant',
    component: 0,
    inverted: false,
    label: '',
    drop_when_absent: false,
    constant: value,
    when_absent: null,
    low: 0,
    high: 1,
    fitted: false,
    multiplied_by: '',
    strength: 1,
  };
}
/** An output as it begins: black, 8 bits, to be filled. */
export function blankOutput(taken: readonly TargetOutput[]): TargetOutput {
  let number = taken.length + 1;
  while (taken.some(({ key, suffix }) => key === `out${number}` || suffix === `o${number}`)) number += 1;
  return {
    key: `out${number}`,
    title: `Output ${number}`,
    suffix: `o${number}`,
    file_format: 'png',
    sample: 'u8',
    encoding: 'linear',
    channels: [blank('R'), blank('G'), blank('B')],
    only_with: [],
    only_without: [],
    storage: { format: 'bc7', srgb: false, mips: true },
    format_with_alpha: null,
    container: 'dds',
    size: {
      among: 'largest',
      scale: 1,
      smallest: 1,
      largest: 16384,
      power_of_two: false,
      multiple_of_four: false,
      square: false,
    },
    resampling: 'mitchell',
    mip_filter: 'box',
    dither: false,
    quality: 95,
    alpha_mode: 'as found',
    threshold: 0.5,
  };
}
/** An output's channels in another layout: what stands in both stays, grey becomes red and back. */
export function inLayout(channels: readonly TargetChannel[], layout: string): TargetChannel[] {
  const held = new Map(channels.map((channel) => [channel.channel, channel]));
  return [...layout].map((letter) => {
    const channel = letter as TargetChannel['channel'];
    const other = channel === 'R' ? held.get('Y') : channel === 'Y' ? held.get('R') : undefined;
    const kept = held.get(channel) ?? other ?? blank(channel, channel === 'A' ? 1 : 0);
    return { ...kept, channel, drop_when_absent: channel === 'A' && kept.drop_when_absent };
  });
}
/** A property put into a channel: a colour or a normal that lands on red fills green and blue too. */
export function filled(
  channels: readonly TargetChannel[],
  at: number,
  meant: TargetChannel,
  words: Vocabulary | undefined,
): TargetChannel[] {
  const parts = words?.properties.find(({ key }) => key === meant.property)?.components.length ?? 1;
  const first = channels[at];
  const spread = first?.channel === 'R' && parts === 3 && meant.component === 0;
  return channels.map((channel, place) => {
    const step = place - at;
    if (place === at || (spread && step > 0 && step < 3 && channel.channel !== 'A'))
      return { ...meant, channel: channel.channel, component: meant.component + (spread ? step : 0) };
    return channel;
  });
}
/** Let an output hold other channels. Where colour alone comes to fill it, whole numbers are written and flagged as sRGB, and where
 * data comes beside or in its place, as linear, since what is no colour may not be bent: whoever means otherwise says so afterwards.
 * Alpha is linear in either. */
export function holding(
  output: TargetOutput,
  channels: TargetChannel[],
  words: Vocabulary | undefined,
): void {
  const isColour = ({ property }: TargetChannel) =>
    words?.properties.find(({ key }) => key === property)?.colour === true;
  const coloured = (all: readonly TargetChannel[]) => {
    const filled = all.filter(({ channel, property }) => channel !== 'A' && property !== 'constant');
    return filled.length > 0 && filled.every(isColour);
  };
  const [before, now] = [coloured(output.channels), coloured(channels)];
  output.channels = channels;
  if (before === now || !output.sample.startsWith('u')) return;
  output.encoding = now ? 'srgb' : 'linear';
  output.storage = { ...output.storage, srgb: now && FORMATS[output.storage.format].srgb !== null };
}
/** What a cell says: “1 − roughness”, “normal x”, “0.5”. */
export function cellWords(entry: TargetChannel, words: Vocabulary | undefined): string {
  if (entry.property === 'constant') return String(entry.constant ?? 0);
  const known = words?.properties.find(({ key }) => key === entry.property);
  const title = (known?.title ?? entry.property.replace('mask.', 'Mask ')).toLowerCase();
  const part = known && known.components.length > 1 ? ` ${known.components[entry.component] ?? '?'}` : '';
  return `${entry.inverted ? '1 − ' : ''}${title}${part}`;
}
/** What is done beside, in few words. */
export function cellNotes(entry: TargetChannel, words: Vocabulary | undefined): string[] {
  const by = words?.properties.find(({ key }) => key === entry.multiplied_by)?.title.toLowerCase();
  const notes = [];
  if (entry.fitted) notes.push('over its own range');
  else if (entry.low !== 0 || entry.high !== 1) notes.push(`${entry.low} to ${entry.high}`);
  if (entry.multiplied_by) notes.push(`× ${by ?? entry.multiplied_by} at ${entry.strength}`);
  if (entry.when_absent !== null && entry.when_absent !== undefined)
    notes.push(`${entry.when_absent} when absent`);
  if (entry.drop_when_absent) notes.push('left out when absent');
  return notes;
}
/** The mistakes that were made at a place: those of its parts too, unless only its own are asked for. */
export function problemsAt(
  problems: readonly TargetProblem[],
  place: readonly (string | number)[],
  own = false,
): TargetProblem[] {
  return problems.filter(
    (problem) =>
      (own ? problem.place.length <= place.length + 1 : true) &&
      place.every((part, index) => problem.place[index] === part) &&
      (!own || problem.place[place.length] !== 'channels' || problem.place.length === place.length + 1),
  );
}
