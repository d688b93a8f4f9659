import { describe, expect, it } from 'vitest';
import type { SheetWire } from './api';
import { bytes, byLetters } from './wire';
import { alongKeys, columnAt, extentOf, placeOf, timeAt, unpack, unpackRow, unpackVoice } from './sheet';

const packed = (numbers: Float32Array | Float64Array): string =>
  btoa(String.fromCharCode(...new Uint8Array(numbers.buffer)));
const row = (...values: number[]): string => packed(new Float32Array(values));

const wire = {
  rate: 48000,
  seconds: 2,
  from_s: 0.5,
  to_s: 1.5,
  columns: 4,
  starts_s: packed(new Float64Array([0.5, 0.75, 1.0, 1.25])),
  notes: [],
  signals: {
    s: { row: { first: row(1, 2, 3, 4), least: '', greatest: '' }, summary: '', low: 0, high: 1, handles: [] }
  },
  lanes: {},
  overlays: [{ velocity: 40, lanes: { cutoff: { first: row(5, 6, 7, 8), least: '', greatest: '' } } }]
} as unknown as SheetWire;

describe('the sheet over the wire', () => {
  it('comes out as it went in', () => {
    const sheet = unpack(wire);
    expect([...sheet.starts]).toEqual([0.5, 0.75, 1.0, 1.25]);
    expect([...sheet.signals['s']!.row.first]).toEqual([1, 2, 3, 4]);
    expect([...sheet.overlays[0]!.lanes['cutoff']!.first]).toEqual([5, 6, 7, 8]);
  });
  it('lays a voice of a phrase in its place, and holds no number beside it', () => {
    const part = { ...wire, columns: 2, begins_s: 0.75, ends_s: 1.25 };
    const signal = { ...wire.signals['s']!, row: { first: row(8, 9), least: '', greatest: '' } };
    const sheet = unpack({ ...part, signals: { s: signal }, overlays: [] } as unknown as SheetWire, 4);
    expect([...sheet.signals['s']!.row.first]).toEqual([NaN, 8, 9, NaN]);
    expect(sheet.signals['s']!.row.least).toBe(sheet.signals['s']!.row.first);
    expect([...sheet.starts]).toEqual([0.5, 0.75, 1.0, 1.25]);
    expect(extentOf(sheet.signals['s']!.row)).toEqual([8, 9]);
    const faint = {
      number: 3,
      begins_s: 0.25,
      ends_s: 1,
      columns: 3,
      lanes: { c: { first: row(5, 6, 7), least: '', greatest: '' } }
    };
    expect([...unpackVoice(faint, sheet).lanes['c']!.first]).toEqual([6, 7, NaN, NaN]);
  });
  it('shares one array where nothing goes beyond the line through the columns', () => {
    const smooth = unpackRow({ first: row(1, 2), least: '', greatest: '' }, 2);
    expect(smooth.least).toBe(smooth.first);
    const moving = unpackRow({ first: row(1, 2), least: row(-1, 0), greatest: row(3, 9) }, 2);
    expect(extentOf(moving)).toEqual([-1, 9]);
  });
  it('stands still where one number comes', () => {
    expect([...unpackRow({ first: row(7), least: '', greatest: '' }, 3).first]).toEqual([7, 7, 7]);
  });
  it('is decoded alike with and without the browser’s own decoder', () => {
    const text = btoa(String.fromCharCode(...Array.from({ length: 256 }, (_, i) => i)));
    expect(byLetters(text)).toEqual(bytes(text));
  });
});

it('is drawn along the keys of a voice that glides', () => {
  // A quarter of a second a column; the second key, 12 st higher, is struck in the third and glides for 0.25 s.
  const pitch = {
    value: { first: row(0, 0, -12, 0), least: row(0, -12, -12, 0), greatest: row(0, 0, 0, 0) },
    base: { first: row(0, 0, -12, 0), least: '', greatest: '' },
    contributions: {}
  };
  const notes = [
    { on_s: 0.5, off_s: 1, key: 48 },
    { on_s: 1, off_s: 1.5, key: 60 }
  ];
  const sheet = unpack({ ...wire, notes, lanes: { pitch } } as unknown as SheetWire);
  const along = alongKeys(sheet).lanes['pitch']!;
  expect([...along.value.first]).toEqual([0, 0, 0, 12]);
  expect([...along.value.least]).toEqual([0, 0, 0, 12]);
  expect([...along.value.greatest]).toEqual([0, 0, 12, 12]);
  expect([along.least, along.greatest]).toEqual([0, 12]);
  expect([...along.base.first]).toEqual([0, 0, 0, 12]);
  expect(alongKeys(unpack(wire)).lanes['pitch']).toBeUndefined();
});

describe('places', () => {
  const sheet = unpack(wire);
  it('run over the stretch that is shown', () => {
    expect(placeOf(sheet, 0.5)).toBe(0);
    expect(placeOf(sheet, 1.5)).toBe(1);
    expect(placeOf(sheet, 0.25)).toBe(-0.25);
    expect(timeAt(sheet, placeOf(sheet, 1.1))).toBeCloseTo(1.1, 12);
  });
  it('fall into columns, the ends held', () => {
    expect([0, 0.5, 0.74, 0.75, 1.49, 1.5, 9].map((t) => columnAt(sheet, t))).toEqual([0, 0, 0, 1, 3, 3, 3]);
  });
});
