import { describe, expect, it } from 'vitest';
import { laneScale, signalScale, timeTicks } from './scale';
import { columnAt, extentOf, unpack, type Lane } from '../api/sheet';

const lane = (fields: Partial<Lane>): Lane =>
  ({ low: 0, high: 1, least: 0.2, greatest: 0.6, set_value: 0.3, unit: 'ratio', law: 'sum', ...fields }) as Lane;

const CASES: [string, Lane][] = [
  ['pitch', lane({ reads_as: 'note', low: -60, high: 60, least: -1.6, greatest: 0.28, set_value: 0, unit: 'st' })],
  ['pitch', lane({ reads_as: 'note', low: -60, high: 60, least: 0, greatest: 48, set_value: 0, unit: 'st' })],
  ['cutoff', lane({ low: 16, high: 20000, least: 165, greatest: 1300, set_value: 180, unit: 'Hz' })],
  ['cutoff', lane({ low: 16, high: 20000, least: 20000, greatest: 20000, set_value: 20000, unit: 'Hz' })],
  ['amplitude', lane({ reads_as: 'level', least: 0, greatest: 1, set_value: 1 })],
  ['wavetable_position', lane({ least: 0.5, greatest: 0.5, set_value: 0.5 })]
];

describe('scales of staves', () => {
  it('hold everything that is drawn on them', () => {
    for (const [name, of] of CASES) {
      const scale = laneScale(of, 43);
      for (const value of [of.least, of.greatest, of.set_value]) {
        expect(scale.at(value), name).toBeGreaterThanOrEqual(0);
        expect(scale.at(value), name).toBeLessThanOrEqual(1);
      }
    }
  });

  it('go there and back', () => {
    for (const [, of] of CASES) {
      const scale = laneScale(of, 43);
      for (const height of [0.1, 0.5, 0.9]) expect(scale.at(scale.from(height))).toBeCloseTo(height, 9);
    }
    const scale = signalScale(-1, 1);
    expect(scale.at(scale.from(0.3))).toBeCloseTo(0.3, 12);
  });

  it('label pitch with note names, or with cents where it moves little', () => {
    expect(laneScale(CASES[1]![1], 43).ticks.every((tick) => /^[A-G]#?-?\d$/.test(tick.label))).toBe(true);
    expect(laneScale(CASES[0]![1], 43).ticks.some((tick) => tick.label === '0 cents')).toBe(true);
  });

  it('are logarithmic in hertz: an octave is as tall anywhere', () => {
    const scale = laneScale(CASES[2]![1], 60);
    expect(scale.at(400) - scale.at(200)).toBeCloseTo(scale.at(800) - scale.at(400), 9);
  });

  it('put decibels where the linear level is', () => {
    const ticks = laneScale(CASES[4]![1], 60).ticks;
    for (const tick of ticks)
      expect(20 * Math.log10(tick.value)).toBeCloseTo(Number.parseFloat(tick.label.replace('−', '-')), 1);
  });
});

describe('time', () => {
  it('is ticked at round places within the note', () => {
    for (const seconds of [0.05, 0.7, 2.3, 60]) {
      const ticks = timeTicks(0, seconds, 700);
      expect(ticks[0]).toBe(0);
      expect(ticks.at(-1)!).toBeLessThan(seconds);
      expect(ticks.length).toBeGreaterThan(2);
    }
  });
});

describe('the sheet over the wire', () => {
  const text = (bytes: ArrayBuffer): string => btoa(String.fromCharCode(...new Uint8Array(bytes)));
  const packed = (values: number[]): string => text(new Float32Array(values).buffer);
  const row = { first: packed([1, 2]), least: packed([0, 2]), greatest: packed([1, 5]) };
  const sheet = unpack({
    rate: 48000,
    seconds: 2,
    from_s: 0,
    to_s: 2,
    columns: 2,
    starts_s: text(new Float64Array([0, 1]).buffer),
    notes: [],
    signals: { w: { row, summary: '', low: 0, high: 1, swings: false, handles: [] } },
    lanes: {},
    overlays: []
  });

  it('is unpacked into numbers', () => {
    expect([...sheet.signals['w']!.row.greatest]).toEqual([1, 5]);
    expect([...sheet.starts]).toEqual([0, 1]);
    expect(extentOf(sheet.signals['w']!.row)).toEqual([0, 5]);
  });

  it('finds the column of a time, and the ends beyond the ends', () => {
    expect([-1, 0, 0.999, 1, 5].map((time) => columnAt(sheet, time))).toEqual([0, 0, 0, 1, 1]);
  });
});
