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
const LESS_SHARE = 0.25;
const LESS_S = 0.002;
const FORGOTTEN_S = 0.0002;
/** What is asked for beyond that where sound takes as long to be made as it lasts; and how long it counts as hard. */
const LOADED_S = 0.15;
const LOAD_KEPT_S = 2;

/** What the audio thread reports: frames played, gaps, and the fewest frames that waited since the last report. */
export interface Heard {
  played: number;
  gaps: number;
  fewest: number;
}

export class Ahead {
  /** Gaps since the page has settled. */
  gaps = 0;
  private seconds = FIRST_S;
  /** What was asked for before it was judged last: what is heard until `judges` was asked for with that. */
  private asked = FIRST_S;
  /** As much as was too little of late, and a little more. */
  private floor = LEAST_S;
  private before = 0;
  private last = 0;
  /** The share of the time sound lasts that it takes to be made, of late: what takes longest counts at once. */
  private load = 0;
  /** What was asked for last is not there before this. */
  private judges = 0;

  constructor(private readonly rate: number) {}

  /** Takes that so many frames were made in a share of the time they last. */
  made(frames: number, share: number): void {
    const kept = Math.exp(-frames / (LOAD_KEPT_S * this.rate));
    this.load = Math.max(Math.min(1, share), this.load * kept);
  }

  /** Takes a report; returns how many frames are to be made before they are heard. */
  heard({ played, gaps, fewest }: Heard): number {
    const seconds = (played - this.last) / this.rate;
    this.last = played;
    if (played < SETTLES_S * this.rate) {
      this.before = gaps;
      return this.frames;
    }
    const isGap = gaps - this.before > this.gaps;
    this.gaps = gaps - this.before;
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
    return Math.round((this.seconds + LOADED_S * this.load) * this.rate);
  }
}
