/** What is played, as it is told back: the page keeps it, so that it is there whatever becomes of who plays. */

/** What took effect since the last time, as `Log` of the live voice has it. */
export interface Logged {
  on: [number, number, number, number][];
  off: [number, number][];
  lanes: Record<string, [number, number][]>;
  edits: number[];
}

export interface Session {
  rate: number;
  /** The sample of all that is heard with which it began. */
  first: number;
  tempo_bpm: number;
  beats_per_bar: number;
  /** The sample from which bars are counted, and the phrase beside it runs. */
  bars_from: number;
  /** Samples of one turn of that phrase; 0 where nothing turns. */
  turn: number;
  over: Record<string, unknown> | null;
  /** By number: key, velocity, first sample, and the last where it has ended. */
  notes: { number: number; key: number; velocity: number; on: number; off: number | null }[];
  lanes: Record<string, [number, number][]>;
  /** The last sample of which anything was told. */
  until: number;
  /** The samples at which an edit took effect. */
  edits: number[];
}

/** As far back as what was played is kept. */
export const KEPT_S = 120;
/** As many points of a lane, and notes, as a take has. */
const MOST_POINTS = 10_000;
const MOST_NOTES = 512;

export function begun(rate: number, tempo: number, beatsPerBar: number, first = 0): Session {
  return {
    rate,
    first,
    tempo_bpm: tempo,
    beats_per_bar: beatsPerBar,
    bars_from: 0,
    turn: 0,
    over: null,
    notes: [],
    lanes: {},
    until: 0,
    edits: []
  };
}

/** Adds what was told, and lets go what lies too far back. */
export function add(to: Session, told: Logged): void {
  for (const [number, key, velocity, on] of told.on) {
    to.notes.push({ number, key, velocity, on, off: null });
    to.until = Math.max(to.until, on + 1);
  }
  for (const [number, off] of told.off) {
    const note = to.notes.find((one) => one.number === number);
    if (note) note.off = off;
  }
  for (const [name, points] of Object.entries(told.lanes)) {
    const lane = (to.lanes[name] ??= []);
    lane.push(...points);
    lane.splice(0, lane.length - MOST_POINTS);
    to.until = Math.max(to.until, points.at(-1)?.[0] ?? 0);
  }
  to.notes.splice(0, to.notes.length - MOST_NOTES);
  to.edits.push(...told.edits);
  to.edits.splice(0, to.edits.length - MOST_POINTS);
}

/** Whether anything was played between two samples: a note struck, or a lane moved. */
export function wasPlayed(of: Session, from: number, to: number): boolean {
  if (of.notes.some(({ on }) => on >= from && on < to)) return true;
  return Object.values(of.lanes).some((points) => points.some(([at]) => at > Math.max(from, 0) && at <= to));
}

/** Returns what was played as the document of a take, from a sample on, or from the bar of its first note on. */
export function taken(of: Session, begins: number | null, ends: number, about: Record<string, unknown>): object {
  // A note that is held on, or on into what comes after, is as long as is known by now.
  const notes = of.notes
    .filter(({ on }) => on < ends)
    .map(({ key, velocity, on, off }) => ({
      key,
      velocity,
      on,
      off: Math.max(off ?? Math.max(ends, of.until), on + 1)
    }));
  const from = begins ?? notes[0]?.on ?? 0;
  const lanes = Object.entries(of.lanes).map(([name, points]) => [
    name,
    points.filter(([at]) => at <= ends + of.rate / 10)
  ]);
  return {
    format: 'jorvik-take',
    version: 1,
    rate: of.rate,
    ...(begins === null ? {} : { begins }),
    ends,
    tempo_bpm: of.tempo_bpm,
    beats_per_bar: of.beats_per_bar,
    bars_from: of.bars_from,
    ...(of.over ? { over: of.over } : {}),
    edits: of.edits.filter((at) => at >= from && at < ends).length,
    played: notes,
    lanes: Object.fromEntries(lanes.filter(([, points]) => points!.length > 0)),
    ...about
  };
}
