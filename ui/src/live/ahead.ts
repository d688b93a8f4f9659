/**
 * How much sound is asked for before it is heard: as little as reaches the ear in time on this machine, at present.
 *
 * What takes long to be made is late longer once it is late: it is asked for earlier, in proportion. Beyond that, it
 * is judged by how little waited in the audio thread since the last report. Where that was less than is to be spare,
 * more is asked for, before there is a gap; what has been enough for long is tried with less.
 */

/** In seconds: at least, what a gap adds, and at most. */
const LEAST_S = 0.02;
const GAP_S = 0.04;
const MOST_S = 0.25;
/** So much is always to wait, and so much of what is asked for: what comes late once comes later another time. */
const SPARE_S = 0.016;
const SPARE_SHARE = 0.4;
/** While a page begins to play it is busy: so much is asked for then, and nothing is judged. */
const SETTLES_S = 1.5;
const FIRST_S = 0.1;
/**
 * What a second in which it was enough takes away again: a share of what was never too little, and a little more; and
 * how much of what was too little is forgotten in it.
 */
const LESS_SHARE = 0.5;
const LESS_S = 0.002;
const FORGOTTEN_S = 0.0002;
/**
 * What comes late by a while is made good for in load / (1 - load) of it, load being the share of the time that sound
 * lasts which it takes to be made: that of so long a while is asked for too. The load is a mean over about a second.
 */
const LATE_S = 0.12;
const LOAD_OVER_S = 1;
const MOST_LOAD = 0.8;
/** All of it together; the server makes no more than a little beyond this ahead. */
const MOST_ALL_S = 0.45;

/** What the audio thread reports: frames played, gaps and their frames, and the fewest that waited since it reported. */
export interface Heard {
  played: number;
  gaps: number;
  missing: number;
  fewest: number;
}

export class Ahead {
  /** Gaps since the page has settled, and how long they were together, in seconds. */
  gaps = 0;
  missingS = 0;
  private seconds = FIRST_S;
  /** What was asked for before it was judged last: what is heard until `judges` was asked for with that. */
  private asked = FIRST_S;
  /** As much as was too little of late, and a little more. */
  private floor = LEAST_S;
  private before = { gaps: 0, missing: 0 };
  private last = 0;
  private load = 0;
  /** What was asked for last is not there before this. */
  private judges = 0;

  constructor(private readonly rate: number) {}

  /** Takes that so many frames were made in a share of the time they last. */
  made(frames: number, share: number): void {
    const kept = Math.exp(-frames / (LOAD_OVER_S * this.rate));
    this.load = share + (this.load - share) * kept;
  }

  /** Takes a report; returns how many frames are to be made before they are heard. */
  heard({ played, gaps, missing, fewest }: Heard): number {
    const seconds = (played - this.last) / this.rate;
    this.last = played;
    if (played < SETTLES_S * this.rate) {
      this.before = { gaps, missing };
      return this.frames;
    }
    const isGap = gaps - this.before.gaps > this.gaps;
    this.gaps = gaps - this.before.gaps;
    this.missingS = (missing - this.before.missing) / this.rate;
    const judged = played >= this.judges;
    if (judged) this.asked = this.seconds;
    const spare = Math.max(SPARE_S, SPARE_SHARE * this.asked);
    const enough = this.asked + (isGap ? GAP_S : spare - fewest / this.rate);
    if ((judged || isGap) && enough > this.seconds) {
      this.seconds = Math.min(MOST_S, enough);
      this.floor = Math.max(this.floor, this.seconds - SPARE_S / 2);
      this.judges = played + 2 * this.frames;
    } else if (judged) {
      this.floor = Math.max(LEAST_S, this.floor - FORGOTTEN_S * seconds);
      const less = (LESS_S + LESS_SHARE * (this.seconds - this.floor)) * seconds;
      this.seconds = Math.max(this.floor, this.seconds - less);
    }
    return this.frames;
  }

  private get frames(): number {
    const load = Math.min(MOST_LOAD, this.load);
    return Math.round(Math.min(MOST_ALL_S, this.seconds + (LATE_S * load) / (1 - load)) * this.rate);
  }
}
