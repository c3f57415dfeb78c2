// A proof's figures as people read them: one line for each thing that an output holds.
import type { ProofView } from '@/api/client';
import { fixed } from '@/lib/values/local';

type Figures = ProofView['figures'];
type LevelFigures = Pick<Figures, 'normal' | 'colours' | 'data' | 'width' | 'height'>;
/** Levels under this edge are seen where a surface is a few texels large: they are shown, and not counted as the worst. */
const SMALLEST_JUDGED = 16;

/** What one level lost on average, in the unit of what the output holds first. */
export interface LevelLost {
  level: number;
  width: number;
  height: number;
  mean: number;
  words: string;
}

export interface Lost {
  /** The unit, or the channel of data, whose figures are 8-bit levels. */
  label: string;
  what: string;
  mean: string;
  p95: string;
  worst: string;
}

function meanOf(at: LevelFigures): [mean: number, unit: string] {
  if (at.normal) return [at.normal.mean, '°'];
  const colour = at.colours?.[0];
  if (colour) return [colour.delta_mean, ' ΔE'];
  return [Math.max(0, ...(at.data ?? []).map(({ mean }) => mean)), ' levels'];
}

/** Every level of a texture, the base first. */
export function levelsOf(figures: Figures): LevelLost[] {
  return [figures, ...(figures.below ?? [])].map((at, level) => {
    const [mean, unit] = meanOf(at);
    const words = `level ${level}, ${at.width} × ${at.height}: ${fixed(mean, 2)}${unit} on average`;
    return { level, width: at.width, height: at.height, mean, words };
  });
}

/** The level that lost most, where it is not the base. */
export function worstOf(levels: LevelLost[]): LevelLost | undefined {
  const judged = levels.filter(
    ({ level, width, height }) => !level || Math.min(width, height) >= SMALLEST_JUDGED,
  );
  const worst = judged.reduce((first, second) => (second.mean > first.mean ? second : first));
  return worst.level ? worst : undefined;
}

export function lostOf(figures: Figures): Lost[] {
  const lost: Lost[] = [];
  if (figures.normal) {
    const { mean, p95, worst } = figures.normal;
    const what = 'Normals turn by degrees';
    lost.push({ label: '°', what, mean: fixed(mean, 2), p95: fixed(p95, 1), worst: fixed(worst, 1) });
  }
  for (const colour of figures.colours ?? []) {
    const what = 'Colours move by ΔE2000';
    const exact = colour.psnr === null;
    lost.push({
      label: 'ΔE',
      what,
      mean: exact ? 'exact' : fixed(colour.delta_mean, 2),
      p95: exact ? '' : fixed(colour.delta_p95, 1),
      worst: exact ? '' : fixed(colour.delta_worst, 1),
    });
    if (!exact)
      lost.push({
        label: 'dB',
        what: 'PSNR',
        mean: colour.psnr == null ? '' : fixed(colour.psnr, 1),
        p95: '',
        worst: '',
      });
  }
  for (const { channel, meaning, mean, worst } of figures.data ?? []) {
    const what = `${meaning} moves by 8-bit levels`;
    const exact = worst === 0;
    lost.push({
      label: channel,
      what,
      mean: exact ? 'exact' : fixed(mean, 2),
      p95: '',
      worst: exact ? '' : fixed(worst, 0),
    });
  }
  return lost;
}
