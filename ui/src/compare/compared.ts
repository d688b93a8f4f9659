/** A patch at a sweep of something, or beside its versions: what is asked for, and its figures in words. */
import type { Module } from '../api/api';
import { VELOCITIES } from '../api/facts.gen';
import { figure, seconds, shown } from '../common/format';
import type { components } from '../api/schema.gen';

export type Comparison = components['schemas']['Comparison'];
export type ComparedStep = Comparison['steps'][number];

export interface Sweep {
  name: string;
  by: string;
  unit: string;
  /** The steps for a note at a key, of a length, at a tempo. */
  steps: (note: { key: number; length_s: number; tempo: number }) => number[];
}

const TIMES = [0.25, 0.5, 1, 2];
const TEMPOS = [0.5, 0.75, 1, 1.5, 2];
/** In quarter notes: 1/4, 1/8, 1/8t, 1/16 and 1/32. */
const NOTE_VALUES = [1, 1 / 2, 1 / 3, 1 / 4, 1 / 8];
const POSITIONS = [0, 0.25, 0.5, 0.75, 1];
const OCTAVES = [-24, -12, 0, 12, 24];

export const SWEEPS: readonly Sweep[] = [
  {
    name: 'soft, medium, hard',
    by: 'velocity',
    unit: 'velocity',
    steps: () => VELOCITIES.map(({ velocity }) => velocity)
  },
  {
    name: 'velocity 1 to 127',
    by: 'velocity',
    unit: 'velocity',
    steps: () => Array.from({ length: 16 }, (_, i) => Math.round(1 + i * 8.4))
  },
  {
    name: 'keys, an octave apart',
    by: 'key',
    unit: 'key',
    steps: ({ key }) => OCTAVES.map((apart) => key + apart).filter((k) => k >= 0 && k <= 127)
  },
  { name: 'short to long', by: 'length_s', unit: 's', steps: ({ length_s }) => TIMES.map((times) => times * length_s) },
  {
    name: 'note values, 1/4 to 1/32',
    by: 'length_s',
    unit: 's',
    steps: ({ tempo }) => NOTE_VALUES.map((beats) => (beats * 60) / tempo)
  },
  { name: 'the wheel, down to up', by: 'mod_wheel', unit: 'ratio', steps: () => POSITIONS },
  { name: 'pressure, none to full', by: 'pressure', unit: 'ratio', steps: () => POSITIONS },
  { name: 'tempos', by: 'tempo_bpm', unit: 'bpm', steps: ({ tempo }) => TEMPOS.map((t) => Math.round(t * tempo)) },
  { name: 'seeds', by: 'seed', unit: 'count', steps: () => [1, 2, 3, 4] }
];

/** Returns what a patch can be swept over: its note, its performance, and each source that a lane plays. */
export function sweepsOf(played: readonly [lane: string, module: Module][]): Sweep[] {
  const held = played.map(([lane, { id }]): Sweep => ({
    name: `macro ${id}, none to full`,
    by: lane,
    unit: 'ratio',
    steps: () => POSITIONS
  }));
  return [...SWEEPS, ...held];
}

/** Returns what a step of a sweep is called. */
export function stepLabel(sweep: Sweep, value: number): string {
  return sweep.by === 'velocity' ? figure(value) : shown(value, sweep.unit);
}

export const MEASURES = [
  ['peak', 'peak'],
  ['peak_s', 'peak after'],
  ['settle', 'settles at'],
  ['at_off', 'at note-off'],
  ['least', 'least']
] as const;
export type Measure = (typeof MEASURES)[number][0];

/** Returns a figure of a stave at a step; null where it is still moving, undefined where it has none. */
export function measured(step: ComparedStep | undefined, stave: string, measure: Measure): number | null | undefined {
  return step?.measures.lanes[stave]?.measures[measure];
}

/** Returns a figure of a stave as it is read, in its unit. */
export function inWords(value: number, unit: string, measure: Measure, digits = 4): string {
  if (measure === 'peak_s') return seconds(value);
  return shown(Number(value.toPrecision(digits)), unit);
}

/** Returns how far a figure lies from the first's, in musical units; nothing where it is the same. */
export function apart(first: number, value: number, unit: string, measure: Measure): string {
  const sign = value > first ? '+' : '';
  if (measure === 'peak_s') return value === first ? '' : `${sign}${seconds(value - first)}`;
  if (unit === 'Hz') {
    const semitones = 12 * Math.log2(value / first);
    return Math.abs(semitones) < 0.005 ? '' : `${sign}${figure(semitones, 3)} st`;
  }
  return Math.abs(value - first) < 1e-6 ? '' : sign + inWords(value - first, unit, measure, 3);
}

/** Says which figure of a stave differs most from step to step, and by how much: a level, or else when the peak comes. */
export function answer(steps: readonly ComparedStep[], stave: string, unit: string): string {
  if (steps.length < 2) return '';
  const found = MEASURES.flatMap(([measure, name]): { name: string; way: number; words: string }[] => {
    const values = steps.map((step) => measured(step, stave, measure)).filter((value) => value != null);
    if (values.length < 2) return [];
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const words = apart(low, high, unit, measure).replace('+', '');
    if (!words) return [];
    if (measure === 'peak_s') return [{ name, way: 0, words }];
    const way = unit === 'Hz' ? 12 * Math.log2(high / low) : high - low;
    return [{ name, way, words: unit === 'st' ? `${figure(100 * way)} cents` : words }];
  });
  const most = found.sort((a, b) => b.way - a.way)[0];
  return most ? `${most.name}: ${most.words} apart` : 'the same at each step';
}
