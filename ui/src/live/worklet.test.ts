import { beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';

interface Report {
  played: number;
  gaps: number;
  missing: number;
  fewest: number;
}
interface Port {
  onmessage: (event: { data: unknown }) => void;
  postMessage: (report: Report) => void;
}
interface Playback {
  port: Port;
  process: (inputs: Float32Array[][], outputs: Float32Array[][]) => boolean;
}

const QUANTUM = 128;
let Made: new () => Playback;

/** Plays so many frames of what was sent, and returns what is heard. */
class Ear {
  readonly reports: Report[] = [];
  private readonly playback = new Made();
  private readonly line: Port = { onmessage: () => {}, postMessage: (report) => this.reports.push(report) };
  private sent = 0;

  constructor() {
    this.playback.port.onmessage({ data: this.line });
  }

  ahead(frames: number): void {
    this.line.onmessage({ data: frames });
  }

  /** Sends the next frames of a slow sine, left and right alike. */
  send(frames: number): void {
    const block = new Float32Array(2 * frames);
    for (let i = 0; i < frames; i++) block.fill(Math.sin((this.sent + i) / 200), 2 * i, 2 * i + 2);
    this.sent += frames;
    this.line.onmessage({ data: block });
  }

  silence(): void {
    this.playback.port.onmessage({ data: 'silence' });
  }

  hear(frames: number): number[] {
    const heard: number[] = [];
    while (heard.length < frames) {
      const left = new Float32Array(QUANTUM);
      this.playback.process([], [[left, new Float32Array(QUANTUM)]]);
      heard.push(...left);
    }
    return heard;
  }

  get gaps(): number {
    return this.reports.at(-1)!.gaps;
  }
}

describe('sound that comes in the audio thread', () => {
  beforeAll(async () => {
    vi.stubGlobal(
      'AudioWorkletProcessor',
      class {
        port = {};
      }
    );
    vi.stubGlobal('registerProcessor', (_: string, made: new () => Playback) => (Made = made));
    await import('./worklet');
  });
  let ear: Ear;
  beforeEach(() => {
    ear = new Ear();
    ear.ahead(2048);
  });

  it('is played as it was sent, and how far it is told', () => {
    ear.send(4096);
    const heard = ear.hear(4096);
    for (const [i, value] of heard.slice(64).entries()) expect(value).toBeCloseTo(Math.sin((i + 64) / 200), 6);
    expect(ear.reports.at(-1)!.played).toBe(4096);
    expect(ear.gaps).toBe(0);
  });

  it('that stopped short goes on once half of what is asked for waits: one gap, and no jump', () => {
    ear.send(512);
    let heard = ear.hear(1024);
    expect(ear.reports.at(-1)).toEqual({ played: 512, gaps: 1, missing: QUANTUM, fewest: 0 });
    ear.send(512);
    heard = [...heard, ...ear.hear(512)];
    expect(Math.max(...heard.slice(-512).map(Math.abs))).toBe(0);
    ear.send(512);
    ear.send(2048);
    heard = [...heard, ...ear.hear(2048)];
    expect(ear.reports.at(-1)).toMatchObject({ played: 512 + 2048, gaps: 1, missing: 2 * 512 });
    const steepest = Math.max(...heard.slice(1).map((value, i) => Math.abs(value - heard[i]!)));
    expect(steepest).toBeLessThan(2 / 64);
    expect(heard.at(-1)).toBeCloseTo(Math.sin((512 + 2047) / 200), 6);
  });

  it('goes on where no more was asked for than it has', () => {
    ear.ahead(0);
    ear.send(512);
    ear.hear(1024);
    ear.send(128);
    ear.hear(128);
    expect(ear.reports.at(-1)!.gaps).toBe(1);
    ear.send(512);
    ear.hear(512);
    expect(ear.reports.at(-1)!.played).toBeGreaterThanOrEqual(1024);
  });

  it('that is silenced is no gap, and the next is heard at once', () => {
    ear.send(4096);
    ear.hear(1024);
    ear.silence();
    expect(Math.abs(ear.hear(256).at(-1)!)).toBe(0);
    ear.send(1024);
    expect(Math.abs(ear.hear(512).at(-1)!)).toBeGreaterThan(0);
    expect(ear.gaps).toBe(0);
  });
});
