/** Playing: the sound of the present patch, its playhead, and a level that starts low. */
import { plain, Refused, type Patch } from './api';
import { bench, VELOCITIES } from './bench.svelte';
import { settings } from './settings.svelte';

interface Take {
  buffer: AudioBuffer;
  limitedDb: number;
  patch: Patch;
  velocity: number;
}

const LEAD_S = 0.12;
/** How long before the end of a pass the next one is chosen. */

class Player {
  playing = $state(false);
  waiting = $state(false);
  loop = $state(false);
  head: number | null = $state(null);
  velocity: number | null = $state(null);
  limitedDb = $state(0);
  private context: AudioContext | null = null;
  private gain: GainNode | null = null;
  private ready = new Map<number, Take>();
  private sources: AudioBufferSourceNode[] = [];
  private run = 0;

  setLevel(level: number): void {
    settings.set({ level });
    if (this.gain && this.context) this.gain.gain.setTargetAtTime(level * level, this.context.currentTime, 0.02);
  }

  async toggle(): Promise<void> {
    if (this.playing || this.waiting) this.stop();
    else await this.play();
  }

  stop(): void {
    this.run++;
    for (const source of this.sources) source.stop();
    this.sources = [];
    this.playing = this.waiting = false;
    this.head = this.velocity = null;
  }

  private async play(): Promise<void> {
    this.stop();
    const run = this.run;
    this.waiting = true;
    try {
      this.context ??= new AudioContext();
      await this.context.resume();
      if (!this.gain) {
        this.gain = this.context.createGain();
        this.gain.gain.value = settings.now.level ** 2;
        this.gain.connect(this.context.destination);
      }
      await this.passes(run, this.context, this.gain);
    } catch (error) {
      bench.say(
        error instanceof Refused ? error.message : 'The sound could not be made: Jorvik does not answer.',
        true
      );
    }
    if (run === this.run) this.stop();
  }

  /** Plays pass after pass while looping, or soft, middle and hard in turn; a change is heard at the next pass. */
  private async passes(run: number, context: AudioContext, gain: GainNode): Promise<void> {
    let begin = 0;
    for (let pass = 0; ; pass++) {
      const order = bench.allThree ? VELOCITIES.map((v) => v.velocity) : [bench.velocity];
      if (pass >= order.length && !this.loop) break;
      const velocity = order[pass % order.length]!;
      const take = await this.take(velocity, context);
      if (run !== this.run) return;
      begin = Math.max(begin, context.currentTime + 0.02);
      const source = new AudioBufferSourceNode(context, { buffer: take.buffer });
      source.connect(gain);
      source.start(begin);
      this.sources = [...this.sources.slice(-2), source];
      this.waiting = false;
      this.playing = true;
      this.limitedDb = take.limitedDb;
      await this.follow(run, context, begin, take);
      if (run !== this.run) return;
      begin += take.buffer.duration;
    }
    while (run === this.run && context.currentTime < begin) await frame();
  }

  /** Moves the playhead until shortly before the end of a pass, by when the next must be on its way. */
  private async follow(run: number, context: AudioContext, begin: number, take: Take): Promise<void> {
    const end = begin + take.buffer.duration - LEAD_S;
    this.velocity = take.velocity;
    while (run === this.run && context.currentTime < end) {
      this.head = Math.max(0, context.currentTime - begin);
      if (this.loop && bench.patch && bench.patch !== take.patch)
        void this.take(bench.velocity, context).catch(() => {});
      await frame();
    }
  }

  private async take(velocity: number, context: AudioContext): Promise<Take> {
    const patch = bench.patch;
    if (!patch) throw new Error('There is no patch to play.');
    const known = this.ready.get(velocity);
    if (known?.patch === patch) return known;
    const take = await fetchTake(patch, velocity, context);
    this.ready.set(velocity, take);
    return take;
  }
}

async function fetchTake(patch: Patch, velocity: number, context: AudioContext): Promise<Take> {
  const answer = await fetch('/api/sound', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ document: plain(patch), velocity })
  });
  if (!answer.ok) throw new Refused(answer.status, ((await answer.json()) as { sentence: string }).sentence);
  const limitedDb = Number(answer.headers.get('X-Limited-dB') ?? 0);
  const buffer = await context.decodeAudioData(await answer.arrayBuffer());
  return { buffer, limitedDb, patch, velocity };
}

function frame(): Promise<number> {
  return new Promise((resolve) => requestAnimationFrame(resolve));
}

export const player = new Player();
