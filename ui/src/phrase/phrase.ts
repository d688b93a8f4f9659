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

export interface Played {
  key: number;
  velocity: number;
  at: number;
  length: number;
}

export const playedOf = (note: PhraseNote): Played => ({
  key: note.key ?? 60,
  velocity: note.velocity ?? 96,
  at: note.at ?? 0,
  length: note.length ?? 1
});
export const notesOf = (phrase: Phrase): PhraseNote[] => phrase.played ?? [];
export const hitsOf = (phrase: Phrase): Hit[] => phrase.hits ?? [];
export const strikesOf = (hit: Hit): Strike[] => hit.strikes ?? [];
export const beatS = (phrase: Phrase): number => 60 / (phrase.tempo_bpm ?? 96);
export const barBeats = (phrase: Phrase): number => phrase.beats_per_bar ?? 4;

/** Returns how long a phrase is, as the core counts it: to the last note-off, strike or bar line. */
export function beatsOf(phrase: Phrase): number {
  const notes = notesOf(phrase).map((note) => (note.at ?? 0) + (note.length ?? 1));
  const strikes = hitsOf(phrase).flatMap((hit) => strikesOf(hit).map((one) => (one.at ?? 0) + (one.length ?? 0.125)));
  return Math.max((phrase.bars ?? 2) * barBeats(phrase), ...notes, ...strikes);
}

const within = (value: number, low: number, high: number): number => Math.max(low, Math.min(high, value));
const tidy = (value: number): number => Number(value.toFixed(6));

/** Returns a phrase with fields of one note changed, each kept within what a phrase may hold. */
export function withNote(phrase: Phrase, number: number, fields: Partial<Played>): Phrase {
  const played = notesOf(phrase).map((note, i) => {
    if (i !== number) return note;
    const next = { ...playedOf(note), ...fields };
    return {
      key: tidy(within(next.key, 0, 127)),
      velocity: tidy(within(next.velocity, 0, 127)),
      at: tidy(Math.max(0, next.at)),
      length: tidy(Math.max(SHORTEST, next.length))
    };
  });
  return { ...phrase, played };
}

/** Returns a phrase with a note more, and that note's number. */
export function withNewNote(phrase: Phrase, note: Played): [Phrase, number] {
  const played = [...notesOf(phrase), note];
  return [withNote({ ...phrase, played }, played.length - 1, {}), played.length - 1];
}

export function withoutNote(phrase: Phrase, number: number): Phrase {
  return { ...phrase, played: notesOf(phrase).filter((_, i) => i !== number) };
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

/** Returns a phrase with fields of one strike changed. */
export function withStrike(phrase: Phrase, track: string, number: number, fields: Partial<Strike>): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  if (!hit) return phrase;
  const strikes = strikesOf(hit).map((strike, i) => {
    if (i !== number) return strike;
    const next = { ...strike, ...fields };
    return { ...next, at: tidy(Math.max(0, next.at ?? 0)), strength: tidy(within(next.strength ?? 1, 0, 1)) };
  });
  return withHit(phrase, track, { strikes });
}

export function withNewStrike(phrase: Phrase, track: string, at: number): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  return hit ? withHit(phrase, track, { strikes: [...strikesOf(hit), { at: tidy(at), strength: 0.8 }] }) : phrase;
}

export function withoutStrike(phrase: Phrase, track: string, number: number): Phrase {
  const hit = hitsOf(phrase).find((one) => one.id === track);
  return hit ? withHit(phrase, track, { strikes: strikesOf(hit).filter((_, i) => i !== number) }) : phrase;
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
/** The least value of a lane; its greatest is 1. */
export const laneLow = (name: string): number => (name === 'pitch_bend' ? -1 : 0);
export const laneTitle = (name: string): string => name.replace(/^macro:/, '').replace('_', ' ');

/** Returns a phrase with a played lane, its points kept in time and in range; without it where no point is left. */
export function withLane(phrase: Phrase, name: string, points: LanePoint[]): Phrase {
  const { [name]: _, ...others } = (phrase.controls ?? {}) as Record<string, LanePoint[]>;
  if (points.length === 0) return { ...phrase, controls: others };
  const kept = points
    .map(([at, value]): LanePoint => [tidy(Math.max(0, at)), tidy(within(value, laneLow(name), 1))])
    .sort((a, b) => a[0] - b[0]);
  return { ...phrase, controls: { ...others, [name]: kept } };
}

/** Returns a phrase with one point of a lane moved, which stays between its neighbours. */
export function withPoint(phrase: Phrase, name: string, number: number, point: LanePoint): Phrase {
  const points = lanesOf(phrase).find(([lane]) => lane === name)?.[1] ?? [];
  const [before, after] = [points[number - 1]?.[0] ?? 0, points[number + 1]?.[0] ?? Infinity];
  const moved: LanePoint = [within(point[0], before, after), point[1]];
  return withLane(
    phrase,
    name,
    points.map((one, i) => (i === number ? moved : one))
  );
}
