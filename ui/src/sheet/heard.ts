/** What can be heard of a patch over time, and stand as staves beside what was set. */
import { fixed, hertz, shown } from '../common/format';
import type { components } from '../api/schema.gen';

export const HEARD = ['level', 'brightness', 'pitch'] as const;
export type HeardName = (typeof HEARD)[number];
export type HeardLanes = components['schemas']['HeardLanes'];

/** Returns a value of what is heard as it reads. */
export function heardText(name: HeardName, value: number): string {
  if (name === 'level') return `${fixed(value, 1)} dB`;
  return name === 'brightness' ? hertz(value, 3) : shown(Number(value.toFixed(2)), 'st');
}

/** Returns the least and greatest that are drawn: of what is there, without the few outliers of a pitch. */
export function heardExtent(name: HeardName, values: readonly (number | null)[]): readonly [number, number] {
  const known = values.filter((value) => value !== null).toSorted((a, b) => a - b);
  if (known.length === 0) return [0, 1];
  const [least, greatest] = [known[0]!, known.at(-1)!];
  if (name === 'level') return [Math.max(least, greatest - 60), greatest + 2];
  if (name === 'brightness') return [Math.max(least / 1.3, 20), greatest * 1.3];
  const [low, high] = [0.01, 0.99].map((q) => known[Math.round(q * (known.length - 1))]!) as [number, number];
  const room = Math.max(0.3, (high - low) * 0.15);
  return [low - room, high + room];
}
