/** What a sweep says, and where its values stand on the screen. The server computes it; nothing of it is worked out here. */

import { shown } from '../common/format';

export interface Step {
  value: number;
  loudness_lufs: number;
  centroid_hz: number;
  sharpness_acum: number | null;
  low_db: number;
  limited_db: number;
  change_db: number | null;
  bands_db: readonly number[];
}

export interface Range {
  of: string;
  title: string;
  unit: string;
  log: boolean;
  key: number;
  velocity: number;
  starts_at: number | null;
  stops_at: number | null;
  thin_from: number | null;
  harsh_from: number | null;
  useful: readonly [number, number] | null;
  jumps: readonly { low: number; high: number; lu: number }[];
  sentences: readonly string[];
  band_hz: readonly number[];
  steps: readonly Step[];
}

/** What a job of a sweep makes, and tells while it is at it. */
export interface Found {
  ranges: readonly Range[];
  holds_for_all: readonly [number, number] | null;
  sounds?: { rate: number; loops: readonly string[] };
}

interface Side {
  of: string;
  title: string;
  unit: string;
  log: boolean;
  values: readonly number[];
}

export interface FoundMap {
  across: Side;
  up: Side;
  centroid_hz: readonly (readonly number[])[];
  loudness_lufs: readonly (readonly number[])[];
  change_db: readonly (readonly number[])[];
}

type Spread = Pick<Range, 'log'> & { steps: readonly { value: number }[] };

const on = (log: boolean, value: number): number => (log ? Math.log2(Math.max(value, 1e-9)) : value);

/** Returns where a value stands, from 0 at the first step to 1 at the last. */
export function placeOf(range: Spread, value: number): number {
  const [first, last] = [range.steps[0]!.value, range.steps.at(-1)!.value].map((v) => on(range.log, v));
  return (on(range.log, value) - first!) / (last! - first! || 1);
}

/** Returns the value that stands at a place. */
export function valueAt(range: Spread, place: number): number {
  const [first, last] = [range.steps[0]!.value, range.steps.at(-1)!.value].map((v) => on(range.log, v));
  const at = first! + Math.max(0, Math.min(1, place)) * (last! - first!);
  return range.log ? 2 ** at : at;
}

/** Returns the number of the step that lies nearest to a place. */
export function stepAt(range: Spread, place: number): number {
  let nearest = 0;
  range.steps.forEach((step, i) => {
    const [now, before] = [step, range.steps[nearest]!].map((s) => Math.abs(placeOf(range, s.value) - place));
    if (now! < before!) nearest = i;
  });
  return nearest;
}

const ROUND = [1, 2, 5];

/** Returns round values along a sweep, as many as have room. */
export function roundValues(range: Spread, most: number): number[] {
  const [first, last] = [range.steps[0]!.value, range.steps.at(-1)!.value];
  const found: number[] = [];
  if (range.log) {
    for (let power = Math.floor(Math.log10(first)); 10 ** power <= last; power++)
      for (const digit of ROUND) found.push(Number((digit * 10 ** power).toPrecision(3)));
  } else {
    const rough = (last - first) / most;
    const power = 10 ** Math.floor(Math.log10(rough));
    const step = power * ([...ROUND, 10].find((digit) => digit * power >= rough) ?? 10);
    for (let i = Math.ceil(first / step); i * step <= last; i++) found.push(Number((i * step).toPrecision(6)));
  }
  const inside = found.filter((value) => value >= first && value <= last);
  return inside.length > most && range.log
    ? inside.filter((value) => String(value).replace(/[0.]/g, '') === '1')
    : inside;
}

/** Returns a useful range as it stands on a stave and in a field: `240 Hz to 2.9 kHz`. */
export function usefulText(ends: { low: number; high: number }, unit: string): string {
  return [ends.low, ends.high].map((value) => shown(Number(value.toPrecision(3)), unit)).join(' to ');
}

/** Returns the loudness that stands in the middle: loops are brought to it. */
export function middleLoudness(range: Range): number {
  const heard = range.steps.map((step) => step.loudness_lufs).filter((lufs) => lufs > -119);
  heard.sort((a, b) => a - b);
  return heard[Math.floor(heard.length / 2)] ?? -120;
}
