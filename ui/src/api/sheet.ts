/** The sheet as it comes over the wire, unpacked into typed arrays. */
import type { LaneView, Handle, NoteView, RowWire, SheetWire, VoiceWire } from './api';
import { doubles, floats, type Chunks } from './wire';

/** One signal over the columns. Where nothing goes beyond the line through the columns all three are the same array. */
export interface Row {
  first: Float32Array;
  least: Float32Array;
  greatest: Float32Array;
}

export interface SignalRow {
  row: Row;
  summary: string;
  low: number;
  high: number;
  /** Whether it goes to both sides of 0, whatever it does in this note. */
  swings: boolean;
  handles: Handle[];
}

export interface Lane extends Omit<LaneView, 'value' | 'raw' | 'base' | 'contributions'> {
  value: Row;
  raw: Row;
  base: Row;
  contributions: Record<string, Row>;
}

export interface Sheet {
  rate: number;
  seconds: number;
  /** The stretch that the columns show. */
  from_s: number;
  to_s: number;
  columns: number;
  starts: Float64Array;
  notes: NoteView[];
  signals: Record<string, SignalRow>;
  lanes: Record<string, Lane>;
  overlays: { velocity: number; lanes: Record<string, Row> }[];
}

export function unpackRow(wire: RowWire, columns: number, chunks: Chunks = []): Row {
  const given = floats(wire.first, chunks);
  const first = given.length === 1 ? new Float32Array(columns).fill(given[0]!) : given;
  // The chunk of a row may have the number 0.
  const { least = '', greatest = '' } = wire;
  if (least === '') return { first, least: first, greatest: first };
  return { first, least: floats(least, chunks), greatest: floats(greatest, chunks) };
}

function each<A, B>(of: Record<string, A>, change: (value: A) => B): Record<string, B> {
  return Object.fromEntries(Object.entries(of).map(([name, value]) => [name, change(value)]));
}

/** Lays the columns of a window in their place among those of a whole sheet: the others hold no number. */
function laid(values: Float32Array, lead: number, count: number): Float32Array {
  const whole = new Float32Array(count).fill(NaN);
  for (let i = Math.max(0, -lead); i < values.length && i + lead < count; i++) whole[i + lead] = values[i]!;
  return whole;
}

function laidRow(row: Row, lead: number, count: number): Row {
  const first = laid(row.first, lead, count);
  if (row.least === row.first) return { first, least: first, greatest: first };
  return { first, least: laid(row.least, lead, count), greatest: laid(row.greatest, lead, count) };
}

/** A voice that is seen behind the strong one. */
export interface FaintVoice {
  number: number;
  lanes: Record<string, Row>;
}

/** Lays another voice of a phrase on a sheet's columns. */
export function unpackVoice(wire: VoiceWire, sheet: Sheet, chunks: Chunks = []): FaintVoice {
  const lead = Math.round(((wire.begins_s - sheet.from_s) / (sheet.to_s - sheet.from_s)) * sheet.columns);
  const row = (of: RowWire): Row => laidRow(unpackRow(of, wire.columns, chunks), lead, sheet.columns);
  return { number: wire.number, lanes: each(wire.lanes, row) };
}

/**
 * Unpacks a sheet. Of a voice in a phrase only the columns of its own window come: they are laid in their place among
 * the `wanted` ones, and the others hold no number.
 */
export function unpack(wire: SheetWire, wanted = wire.columns, chunks: Chunks = []): Sheet {
  const { from_s, to_s, columns } = wire;
  const begins = wire.begins_s ?? from_s;
  const ends = wire.ends_s || to_s;
  const isWhole = begins <= from_s + 1e-6 && ends >= to_s - 1e-6;
  const count = isWhole ? columns : Math.max(wanted, columns);
  const lead = Math.round(((begins - from_s) / (to_s - from_s)) * count);
  const row = (of: RowWire): Row => {
    const made = unpackRow(of, columns, chunks);
    return isWhole ? made : laidRow(made, lead, count);
  };
  return {
    ...wire,
    columns: count,
    starts: isWhole
      ? doubles(wire.starts_s, chunks)
      : Float64Array.from({ length: count }, (_, i) => from_s + (i / count) * (to_s - from_s)),
    signals: each(wire.signals, (signal) => ({ ...signal, row: row(signal.row) })),
    lanes: each(wire.lanes, (lane) => {
      const value = row(lane.value);
      const raw = lane.raw ? row(lane.raw) : value;
      return { ...lane, value, raw, base: row(lane.base), contributions: each(lane.contributions, row) };
    }),
    overlays: wire.overlays.map((overlay) => ({ velocity: overlay.velocity, lanes: each(overlay.lanes, row) }))
  };
}

/**
 * Returns a sheet whose pitch is drawn along the keys that a gliding voice plays, in semitones from its first key: one
 * curve from key to key, where the pitch lane itself jumps away from each new key and comes back to it.
 */
export function alongKeys(sheet: Sheet): Sheet {
  const { notes, lanes, starts } = sheet;
  const pitch = lanes['pitch'];
  if (!pitch || notes.length < 2) return sheet;
  const keyAt = (time: number): number => (notes.findLast(({ on_s }) => on_s <= time + 1e-9) ?? notes[0]!).key;
  const offsets = Float32Array.from(starts, (time) => keyAt(time) - notes[0]!.key);
  const shifted = ({ first, least, greatest }: Row): Row => {
    const along = first.map((value, i) => value + offsets[i]!);
    if (least === first) return { first: along, least: along, greatest: along };
    // In a column that a new key falls into the ends are of both keys: the line to the next column stands for it.
    const ends = (of: Float32Array, end: (a: number, b: number) => number): Float32Array =>
      of.map((value, i) => {
        const next = Math.min(i + 1, of.length - 1);
        return offsets[i] === offsets[next] ? value + offsets[i]! : end(along[i]!, along[next]!);
      });
    return { first: along, least: ends(least, Math.min), greatest: ends(greatest, Math.max) };
  };
  const value = shifted(pitch.value);
  const [least, greatest] = extentOf(value);
  const raw = pitch.raw === pitch.value ? value : shifted(pitch.raw);
  const along = { ...pitch, value, raw, base: shifted(pitch.base), least, greatest };
  return { ...sheet, lanes: { ...lanes, pitch: along } };
}

/** Returns the least and the greatest of a row. */
export function extentOf(row: Row): [number, number] {
  let least = Infinity;
  let greatest = -Infinity;
  for (const value of row.least) if (value < least) least = value;
  for (const value of row.greatest) if (value > greatest) greatest = value;
  return [least, greatest];
}

/** Returns where a time lies on the sheet, 0 at its left end and 1 at its right. */
export function placeOf(sheet: Sheet, time: number): number {
  return (time - sheet.from_s) / (sheet.to_s - sheet.from_s);
}

/** Returns the time at a place on the sheet. */
export function timeAt(sheet: Sheet, place: number): number {
  return sheet.from_s + place * (sheet.to_s - sheet.from_s);
}

/** Returns the column that a time falls in. */
export function columnAt(sheet: Sheet, time: number): number {
  const column = Math.floor(placeOf(sheet, time) * sheet.columns + 1e-6);
  return Math.max(0, Math.min(sheet.columns - 1, column));
}
