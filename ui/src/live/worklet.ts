/** Plays what comes from the server, in the audio thread: a queue of blocks, silence where nothing is there in time. */

/** What the audio thread has, of which the page's types know nothing. */
declare const registerProcessor: (name: string, made: new () => object) => void;
declare const AudioWorkletProcessor: new () => { readonly port: MessagePort };

/** Frames over which sound falls to silence where the next block is late, and rises again. */
const FADE = 64;
/** Frames between two reports of how far it has come. */
const REPORT = 512;

class LivePlayback extends AudioWorkletProcessor {
  /** Blocks that wait: left and right in turn. */
  private queue: Float32Array[] = [];
  private at = 0;
  private played = 0;
  private gaps = 0;
  private reported = 0;
  /** Frames that wait, and the fewest that did since the last report. */
  private waiting = 0;
  private fewest = Infinity;
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
        this.at = this.waiting = 0;
        return;
      }
      this.line = data;
      data.onmessage = (sound: MessageEvent<Float32Array>) => {
        this.queue.push(sound.data);
        this.waiting += sound.data.length / 2;
      };
    };
  }

  process(_: Float32Array[][], [output]: Float32Array[][]): boolean {
    const [left, right] = [output![0]!, output![1] ?? output![0]!];
    for (let i = 0; i < left.length; i++) {
      const block = this.queue[0];
      if (block) {
        this.level = Math.min(1, this.level + 1 / FADE);
        this.last = [block[2 * this.at]!, block[2 * this.at + 1]!];
        this.at++;
        this.played++;
        this.waiting--;
        if (2 * this.at >= block.length) {
          this.queue.shift();
          this.at = 0;
        }
      } else if (this.level > 0) {
        if (this.level === 1 && this.played > 0) this.gaps++;
        this.level = Math.max(0, this.level - 1 / FADE);
      }
      left[i] = this.last[0] * this.level;
      right[i] = this.last[1] * this.level;
    }
    this.fewest = Math.min(this.fewest, this.waiting);
    if (this.played - this.reported >= REPORT || (this.reported === 0 && this.played === 0)) {
      this.reported = this.played;
      this.line?.postMessage({ played: this.played, gaps: this.gaps, fewest: this.fewest });
      this.fewest = Infinity;
    }
    return true;
  }
}

registerProcessor('live-playback', LivePlayback);
