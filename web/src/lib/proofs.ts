// A proof's figures as people read them: one line for each thing that an output holds.
import type { ProofView } from '@/api/client';

type Figures = ProofView['figures'];

export interface Lost {
  /** The unit, or the channel of data, whose figures are 8-bit levels. */
  label: string;
  what: string;
  mean: string;
  p95: string;
  worst: string;
}

export function lostOf(figures: Figures): Lost[] {
  const lost: Lost[] = [];
  if (figures.normal) {
    const { mean, p95, worst } = figures.normal;
    const what = 'Normals turn by degrees';
    lost.push({ label: '°', what, mean: mean.toFixed(2), p95: p95.toFixed(1), worst: worst.toFixed(1) });
  }
  for (const colour of figures.colours ?? []) {
    const what = 'Colours move by ΔE2000';
    const exact = colour.psnr === null;
    lost.push({
      label: 'ΔE',
      what,
      mean: exact ? 'exact' : colour.delta_mean.toFixed(2),
      p95: exact ? '' : colour.delta_p95.toFixed(1),
      worst: exact ? '' : colour.delta_worst.toFixed(1),
    });
    if (!exact)
      lost.push({ label: 'dB', what: 'PSNR', mean: colour.psnr?.toFixed(1) ?? '', p95: '', worst: '' });
  }
  for (const { channel, meaning, mean, worst } of figures.data ?? []) {
    const what = `${meaning} moves by 8-bit levels`;
    const exact = worst === 0;
    lost.push({
      label: channel,
      what,
      mean: exact ? 'exact' : mean.toFixed(2),
      p95: '',
      worst: exact ? '' : worst.toFixed(0),
    });
  }
  return lost;
}
