/** Plays what comes from the server, in the audio thread: a queue of blocks, silence where nothing is there in time. */

export {};

/** What the audio thread has, of which the page's types know nothing. */
declare const registerProcessor: (name: string, made: new () => object) => void;
declare const AudioWorkletProcessor: new () => { readonly port: MessagePort };

/** Frames over which sound falls to silence where the next block is late, and rises again. */
const FADE = 64;
/** What is to wait before sound goes on after it came too late, as a share of what is asked for: one gap, not many. */
const REFILLED = 0.5;
/** Frames between two reports of how far it has come. */
const REPORT = 512;

class LivePlayback extends AudioWorkletProcessor {
  /** Blocks that wait: left and right in turn. */
  private queue: Float32Array[] = [];
  private at = 0;
  private played = 0;
  /** How often sound came too late, and for how many frames there was none. */
  private gaps = 0;
  private missing = 0;
  private reported = 0;
  /** Whether it is told at once, since sound stopped short: more is made only as far as it is known to have come. */
  private isDue = false;
  /** Frames that wait, and the fewest that did since the last report. */
  private waiting = 0;
  private fewest = Infinity;
  /** Frames that are asked for ahead, and how many are to wait before sound goes on; 0 while it does. */
  private ahead = 0;
  private refill = 0;
  /** Whether there is silence because it was asked for. */
  private isMeant = false;
  /** From 0 in silence to 1 while there is sound. */
  private level = 0;
  private last: [number, number] = [0, 0];
  /** Where blocks come from, and where it is told how far it is. */
  private line: MessagePort | null = null;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<MessagePort | 'silence'>) => {
      if (data === 'silence') {
        // What is dropped counts as played: more is made only as far as that has come.
        for (const block of this.queue) this.played += block.length / 2;
        this.played -= this.at;
        this.queue = [];
        this.at = this.waiting = this.refill = 0;
        this.isMeant = true;
        return;
      }
      this.line = data;
      data.onmessage = ({ data }: MessageEvent<Float32Array | number>) => {
        if (typeof data === 'number') {
          this.ahead = data;
          return;
        }
        this.queue.push(data);
        this.waiting += data.length / 2;
        if (this.waiting >= this.refill) this.refill = 0;
      };
    };
  }

  process(_: Float32Array[][], [output]: Float32Array[][]): boolean {
    const [left, right] = [output![0]!, output![1] ?? output![0]!];
    for (let i = 0; i < left.length; i++) {
      const block = this.refill > 0 ? undefined : this.queue[0];
      if (block) {
        this.isMeant = false;
        this.level = Math.min(1, this.level + 1 / FADE);
        this.last = [block[2 * this.at]!, block[2 * this.at + 1]!];
        this.at++;
        this.played++;
        this.waiting--;
        if (2 * this.at >= block.length) {
          this.queue.shift();
          this.at = 0;
        }
      } else if (this.played > 0) {
        if (this.level === 1 && !this.isMeant) {
          this.gaps++;
          this.refill = REFILLED * this.ahead;
          this.isDue = true;
        }
        if (!this.isMeant) this.missing++;
        this.level = Math.max(0, this.level - 1 / FADE);
      }
      left[i] = this.last[0] * this.level;
      right[i] = this.last[1] * this.level;
    }
    this.fewest = Math.min(this.fewest, this.waiting);
    if (this.played - this.reported >= REPORT || this.isDue || (this.reported === 0 && this.played === 0)) {
      this.isDue = false;
      this.reported = this.played;
      this.line?.postMessage({ played: this.played, gaps: this.gaps, missing: this.missing, fewest: this.fewest });
      this.fewest = Infinity;
    }
    return true;
  }
}

registerProcessor('live-playback', LivePlayback);
