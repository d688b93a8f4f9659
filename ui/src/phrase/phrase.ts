/** Changes to a phrase, as functions from one document to the next. Times are in quarter notes. */
import type { Hit, Phrase, PhraseNote, Strike } from '../api/api';

export const EMPTY: Phrase = {
  format: 'jorvik-phrase',
  version: 1,
  name: 'Untitled phrase',
  tempo_bpm: 96,
  bars: 1,
  played: [
    { key: 48, velocity: 96, at: 0, length: 0.9 },
    { key: 55, velocity: 80, at: 2, length: 0.9 }
  ]
};

/** A sixteenth, to which what is dragged or nudged keeps; and what it keeps to with Shift. */
export const STEP = 0.25;
export const FINE = 1 / 24;
const SHORTEST = 1 / 64;

/** A note, a stroke, with nothing left to what stands when it is not said. */
export type FullNote = Required<PhraseNote>;
export type FullStrike = Required<Strike>;

export const fullNote = (note: PhraseNote): FullNote => ({
  key: note.key ?? 60,
  velocity: note.velocity ?? 96,
  at: note.at ?? 0,
  length: note.length ?? 1
});
export const fullStrike = (strike: Strike): FullStrike => ({
  at: strike.at ?? 0,
  strength: strike.strength ?? 1,
  length: strike.length ?? 0.125
});
export const notesOf = (phrase: Phrase): PhraseNote[] => phrase.played ?? [];
export const hitsOf = (phrase: Phrase): Hit[] => phrase.hits ?? [];
export const strikesOf = (hit: Hit): Strike[] => hit.strikes ?? [];
export const beatS = (phrase: Phrase): number => 60 / (phrase.tempo_bpm ?? 96);
export const barBeats = (phrase: Phrase): number => phrase.beats_per_bar ?? 4;

/** Returns how long a phrase is, as the core counts it: to the last note-off, strike or bar line. */
export function beatsOf(phrase: Phrase): number {
  const ends = [...notesOf(phrase).map(fullNote), ...hitsOf(phrase).flatMap((hit) => strikesOf(hit).map(fullStrike))];
  return Math.max((phrase.bars ?? 2) * barBeats(phrase), ...ends.map((one) => one.at + one.length));
}

const within = (value: number, low: number, high: number): number => Math.max(low, Math.min(high, value));
const tidy = (value: number): number => Number(value.toFixed(6));

/** Returns how far things may go together, in time, so that none begins before 0. */
export const together = (all: readonly { at?: number }[], beats: number): number =>
  Math.max(beats, -Math.min(...all.map((one) => one.at ?? 0)));

/** Returns a phrase with some notes changed, each kept within what a phrase may hold. */
export function withNotes(
  phrase: Phrase,
  numbers: readonly number[],
  to: (note: FullNote) => Partial<FullNote>
): Phrase {
  const played = notesOf(phrase).map((note, i) => {
    if (!numbers.includes(i)) return note;
    const full = fullNote(note);
    const next = { ...full, ...to(full) };
    return {
      key: tidy(within(next.key, 0, 127)),
      velocity: tidy(within(next.velocity, 0, 127)),
      at: tidy(Math.max(0, next.at)),
      length: tidy(Math.max(SHORTEST, next.length))
    };
  });
  return { ...phrase, played };
}

/** Returns a phrase with notes more, and their numbers. */
export function withNewNotes(phrase: Phrase, notes: readonly FullNote[]): [Phrase, number[]] {
  const played = [...notesOf(phrase), ...notes];
  const numbers = notes.map((_, i) => played.length - notes.length + i);
  return [withNotes({ ...phrase, played }, numbers, () => ({})), numbers];
}

/** Returns notes moved so that the first of them begins at a time. */
export function movedTo(notes: readonly FullNote[], at: number): FullNote[] {
  const first = Math.min(...notes.map((note) => note.at));
  return notes.map((note) => ({ ...note, at: note.at - first + at }));
}

/** Returns the step at or after the end of the last of some notes. */
export const afterAll = (notes: readonly FullNote[]): number =>
  Math.ceil(Math.max(0, ...notes.map((note) => note.at + note.length)) / STEP - 1e-9) * STEP;

export function withoutNotes(phrase: Phrase, numbers: readonly number[]): Phrase {
  return { ...phrase, played: notesOf(phrase).filter((_, i) => !numbers.includes(i)) };
}

/** Returns a phrase with fields of one hit track changed. */
export function withHit(phrase: Phrase, track: string, fields: Partial<Hit>): Phrase {
  return { ...phrase, hits: hitsOf(phrase).map((hit) => (hit.id === track ? { ...hit, ...fields } : hit)) };
}

/** Returns a phrase with a hit track more, struck once a bar, and its name. */
export function withNewHit(phrase: Phrase): [Phrase, string] {
  const taken = hitsOf(phrase).map((hit) => hit.id);
  const sound = (['thud', 'snap', 'tick'] as const).find((name) => !taken.includes(name)) ?? 'thud';
  let id: string = sound;
  for (let n = 2; taken.includes(id); n++) id = `${sound} ${n}`;
  const strikes = Array.from({ length: phrase.bars ?? 2 }, (_, bar) => ({ at: bar * barBeats(phrase), strength: 1 }));
  return [{ ...phrase, hits: [...hitsOf(phrase), { id, sound, strikes }] }, id];
}

export function withoutHit(phrase: Phrase, track: string): Phrase {
  return { ...phrase, hits: hitsOf(phrase).filter((hit) => hit.id !== track) };
}

/** Returns a phrase with some strikes of a track changed, each kept within what a phrase may hold. */
export function withStrikes(
  phrase: Phrase,
  track: string,
  numbers: readonly number[],
  to: (strike: FullStrike) => Partial<FullStrike>
): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  if (!hit) return phrase;
  const strikes = strikesOf(hit).map((strike, i) => {
    if (!numbers.includes(i)) return strike;
    const next = { ...strike, ...to(fullStrike(strike)) };
    return { ...next, at: tidy(Math.max(0, next.at ?? 0)), strength: tidy(within(next.strength ?? 1, 0, 1)) };
  });
  return withHit(phrase, track, { strikes });
}

export function withNewStrike(phrase: Phrase, track: string, at: number): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  return hit ? withHit(phrase, track, { strikes: [...strikesOf(hit), { at: tidy(at), strength: 0.8 }] }) : phrase;
}

export function withoutStrikes(phrase: Phrase, track: string, numbers: readonly number[]): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  return hit ? withHit(phrase, track, { strikes: strikesOf(hit).filter((_, i) => !numbers.includes(i)) }) : phrase;
}

/** Returns a time moved to the nearest of a grid. */
export const snapped = (beats: number, fine: boolean): number => {
  const grid = fine ? FINE : STEP;
  return tidy(Math.max(0, Math.round(beats / grid) * grid));
};

/** Returns a time as bar and beat, counted from 1: `2.3`, `2.3½` where it lies between. */
export function barAndBeat(phrase: Phrase, beats: number): string {
  const bar = Math.floor(beats / barBeats(phrase) + 1e-9);
  const beat = beats - bar * barBeats(phrase);
  return `${bar + 1}.${Number((beat + 1).toFixed(3))}`;
}

/** A point of a played lane: a time in beats, and a value. */
export type LanePoint = [number, number];
export const lanesOf = (phrase: Phrase): [string, LanePoint[]][] =>
  Object.entries(phrase.controls ?? {}) as [string, LanePoint[]][];
export const laneTitle = (name: string): string => name.replace(/^macro:/, '').replace('_', ' ');
/** A lane's least and greatest value. */
export type LaneRange = readonly [number, number];

/** Returns a phrase with a played lane, its points kept in time and in range; without it where no point is left. */
export function withLane(phrase: Phrase, name: string, points: LanePoint[], range: LaneRange): Phrase {
  const { [name]: _, ...others } = (phrase.controls ?? {}) as Record<string, LanePoint[]>;
  if (points.length === 0) {
    const { [name]: _record, ...records } = phrase.simplified ?? {};
    return { ...phrase, controls: others, ...(phrase.simplified && { simplified: records }) };
  }
  const kept = points
    .map(([at, value]): LanePoint => [tidy(Math.max(0, at)), tidy(within(value, ...range))])
    .sort((a, b) => a[0] - b[0]);
  return { ...phrase, controls: { ...others, [name]: kept } };
}

/** Returns a phrase with one point of a lane moved, which stays between its neighbours. */
export function withPoint(phrase: Phrase, name: string, number: number, point: LanePoint, range: LaneRange): Phrase {
  const points = lanesOf(phrase).find(([lane]) => lane === name)?.[1] ?? [];
  const [before, after] = [points[number - 1]?.[0] ?? 0, points[number + 1]?.[0] ?? Infinity];
  const moved: LanePoint = [within(point[0], before, after), point[1]];
  return withLane(
    phrase,
    name,
    points.map((one, i) => (i === number ? moved : one)),
    range
  );
}
