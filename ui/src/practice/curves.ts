/** Curves of a task as paths: several in one box, on one scale. */
import type { Curve } from './practice.svelte';

export interface Box {
  low: number;
  high: number;
  log: boolean;
  seconds: number;
}

/** Returns the scale on which all curves of one name fit, with a little room. */
export function boxOf(curves: readonly Curve[]): Box {
  const values = curves.flatMap((curve) => curve.values);
  const log = (curves[0]?.log ?? false) && values.every((value) => value > 0);
  let [low, high] = [Math.min(...values), Math.max(...values)];
  if (high - low < 1e-9) [low, high] = log ? [low / 2, high * 2] : [low - 0.5, high + 0.5];
  return { low, high, log, seconds: Math.max(...curves.map((curve) => curve.seconds)) };
}

const placed = (box: Box, value: number): number =>
  box.log
    ? Math.log(Math.max(value, 1e-9) / box.low) / Math.log(box.high / box.low)
    : (value - box.low) / (box.high - box.low);

/** Returns a curve as a path in a box so wide and so tall, its values upward. */
export function pathOf(curve: Curve, box: Box, wide: number, tall: number): string {
  const last = Math.max(curve.values.length - 1, 1);
  return curve.values
    .map((value, at) => {
      const x = ((at / last) * curve.seconds * wide) / box.seconds;
      return `${at ? 'L' : 'M'}${x.toFixed(1)} ${(4 + (1 - placed(box, value)) * (tall - 8)).toFixed(1)}`;
    })
    .join('');
}

/** Returns the value of a curve at a place from 0 to 1 along the box, and the moment that is. */
export function readAt(curve: Curve, box: Box, place: number): { seconds: number; value: number } {
  const seconds = place * box.seconds;
  const at = Math.round((seconds / curve.seconds) * (curve.values.length - 1));
  return { seconds, value: curve.values[Math.min(Math.max(at, 0), curve.values.length - 1)]! };
}

const PLAYED = 400;

/** Returns a played lane as the curve that it is until a moment: straight between its points, held beyond them. */
export function playedCurve(lane: readonly (readonly number[])[], seconds: number): Curve {
  const values = [];
  let next = 0;
  for (let n = 0; n < PLAYED; n++) {
    const at = (n / (PLAYED - 1)) * seconds;
    while (next < lane.length && lane[next]![0]! < at) next++;
    const [before, after] = [lane[next - 1] ?? lane[0] ?? [0, 0], lane[next] ?? lane.at(-1) ?? [0, 0]];
    const [from, to] = [before[0]!, after[0]!];
    const share = to > from ? Math.min(Math.max((at - from) / (to - from), 0), 1) : 1;
    values.push(before[1]! + share * (after[1]! - before[1]!));
  }
  return { name: 'cutoff', title: 'Played', unit: 'ratio', log: false, seconds, values };
}
