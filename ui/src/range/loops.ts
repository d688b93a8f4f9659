/** Steps of a sweep under the pointer: short loops, one leading into the next, silent when it lets go. */

/** Over which one loop gives way to the next. */
const LEAD_S = 0.06;

/** Where sound goes. */
export interface LoopOutput {
  opened(): Promise<[AudioContext, AudioNode]>;
}

interface Sounding {
  step: number;
  source: AudioBufferSourceNode;
  gain: GainNode;
}

/** Returns the samples of both sides that travel as 16-bit numbers, left and right in turn, in base64. */
export function unpacked(packed: string): [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>] {
  const bytes = Uint8Array.from(atob(packed), (letter) => letter.charCodeAt(0));
  const numbers = new Int16Array(bytes.buffer);
  const sides = [0, 1].map((side) => {
    const samples = new Float32Array(numbers.length / 2);
    for (let i = 0; i < samples.length; i++) samples[i] = numbers[2 * i + side]! / 32768;
    return samples;
  });
  return [sides[0]!, sides[1]!];
}

export class Loops {
  private now: Sounding | null = null;
  /** The step that is wanted: what comes late is not heard any more. */
  private wanted: number | null = null;

  constructor(
    private readonly output: LoopOutput,
    private readonly rate: number,
    private readonly packed: readonly string[]
  ) {}

  /** Lets a step sound on, turned down by so many dB. */
  async hear(step: number, gainDb: number): Promise<void> {
    if (this.wanted === step) return;
    this.wanted = step;
    const [context, into] = await this.output.opened();
    if (this.wanted !== step) return;
    const sides = unpacked(this.packed[step]!);
    const buffer = context.createBuffer(2, sides[0].length, this.rate);
    sides.forEach((samples, side) => buffer.copyToChannel(samples, side));
    const source = new AudioBufferSourceNode(context, { buffer, loop: true });
    const gain = new GainNode(context, { gain: 0 });
    source.connect(gain).connect(into);
    gain.gain.setTargetAtTime(10 ** (gainDb / 20), context.currentTime, LEAD_S / 4);
    source.start();
    this.leave();
    this.now = { step, source, gain };
  }

  /** Falls silent. */
  rest(): void {
    this.wanted = null;
    this.leave();
  }

  private leave(): void {
    if (!this.now) return;
    const { source, gain } = this.now;
    const { currentTime } = gain.context;
    gain.gain.setTargetAtTime(0, currentTime, LEAD_S / 4);
    source.stop(currentTime + 2 * LEAD_S);
    this.now = null;
  }
}
