import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { Memory, named } from '../common/testing';
import type { Heard } from '../session/session';
import type { Playable } from './player.svelte';

interface Asked {
  document: Patch;
  velocity?: number;
}

/** A clock of our own: each frame moves it on. */
const FRAME_S = 0.016;
let now = 0;

interface Started {
  at: number;
  gain: number;
  name: string;
  stopped: boolean;
}
let started: Started[] = [];

class FakeSource {
  through = 1;
  mine: Started | null = null;
  constructor(
    readonly context: unknown,
    readonly options: { buffer: FakeBuffer }
  ) {}
  connect(to: FakeGain): unknown {
    this.through = to.turns ? to.gain.value : 1;
    return to;
  }
  start(at = now): void {
    this.mine = { at, gain: this.through, name: this.options.buffer.name, stopped: false };
    started.push(this.mine);
  }
  stop(): void {
    if (this.mine) this.mine.stopped = true;
  }
}

class FakeGain {
  gain = { value: 1, setTargetAtTime: vi.fn() };
  turns = true;
  connect(to: { turns?: boolean }): unknown {
    // Only what is made for one take leads on to another gain; the master leads out.
    if (to.turns === undefined) this.turns = false;
    return to;
  }
}

interface FakeBuffer {
  duration: number;
  name: string;
}

class FakeContext {
  destination = {};
  get currentTime(): number {
    return now;
  }
  resume = (): Promise<void> => Promise.resolve();
  createGain = (): FakeGain => new FakeGain();
  decodeAudioData = (data: FakeBuffer): Promise<FakeBuffer> => Promise.resolve(data);
}

/** What the server renders: by the patch's name, how long, how loud and how sharp. */
const sounds: Record<string, { seconds: number; loudness: number; centroid: number }> = {};
/** Whether the server takes its time. */
let slow = false;
const asked: Asked[] = [];

const tracing: { ghost: { label: string; patch: Patch } | null; allThree: boolean; behind: () => Patch | null } = {
  ghost: null,
  allThree: false,
  behind: () => tracing.ghost?.patch ?? null
};
const performed = {};
const workbench: { patch: Patch | null; tracing: typeof tracing; performed: object; hear: Playable['hear'] } = {
  patch: null,
  tracing,
  performed,
  // The open patch is heard over its session.
  hear: (note) => rendered({ document: workbench.patch!, ...note })
};

/** Renders what is asked for, and keeps what that was. */
async function rendered(what: Asked): Promise<Heard> {
  asked.push(what);
  const { document, velocity = '' } = what;
  const { seconds, loudness, centroid } = sounds[document.name ?? '']!;
  if (slow) await new Promise((resolve) => setTimeout(resolve, 40));
  const wav = { duration: seconds, name: `${document.name ?? ''}${velocity}` } as unknown as ArrayBuffer;
  return { wav, limitedDb: 0.5, loudness, centroid };
}

vi.mock('./messages.svelte', () => ({
  messages: { say: vi.fn(), while: <T>(_: string, work: Promise<T>): Promise<T> => work }
}));

async function fresh() {
  vi.resetModules();
  const { Player } = await import('./player.svelte');
  const player = new Player(workbench as unknown as Playable);
  return player;
}

/** Lets so many seconds of playing go by. */
async function listen(seconds: number): Promise<void> {
  const until = now + seconds;
  while (now < until) await new Promise((resolve) => setTimeout(resolve, 0));
}

beforeEach(() => {
  now = 0;
  started = [];
  asked.length = 0;
  for (const name of Object.keys(sounds)) delete sounds[name];
  workbench.patch = named('horn');
  Object.assign(tracing, { ghost: null, allThree: false });
  sounds['horn'] = { seconds: 0.5, loudness: -23, centroid: 800 };
  vi.stubGlobal('localStorage', new Memory());
  vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener: () => {} }));
  vi.stubGlobal('document', { documentElement: { classList: { toggle: () => {} } } });
  vi.stubGlobal('AudioContext', FakeContext);
  vi.stubGlobal('AudioBufferSourceNode', FakeSource);
  vi.stubGlobal('requestAnimationFrame', (then: (t: number) => void) =>
    setTimeout(() => {
      now += FRAME_S;
      then(now * 1000);
    }, 0)
  );
  // Any other patch is heard by its document.
  vi.stubGlobal('fetch', async (_: string, request: { body: string }) => {
    const { wav, loudness, centroid } = await rendered(JSON.parse(request.body) as Asked);
    const headers = new Map([
      ['X-Limited-dB', '0.5'],
      ['X-Loudness-LUFS', String(loudness)],
      ['X-Centroid-Hz', String(centroid)]
    ]);
    return { ok: true, headers, arrayBuffer: () => Promise.resolve(wav) };
  });
});

describe('playing', () => {
  it('plays a note once and rests', async () => {
    const player = await fresh();
    await player.toggle();
    expect(started.map((s) => s.name)).toEqual(['horn']);
    expect(player.playing).toBe(false);
    expect(player.head).toBe(null);
    expect(player.limitedDb).toBe(0.5);
  });

  it('joins the passes of a loop without a gap or an overlap', async () => {
    const player = await fresh();
    player.loop = true;
    const over = player.toggle();
    await listen(2.4);
    player.stop();
    await over;
    expect(started.length).toBeGreaterThanOrEqual(4);
    started.slice(1).forEach((pass, i) => expect(pass.at - started[i]!.at).toBeCloseTo(0.5, 9));
    // Each pass is on its way before the one before it ends.
    expect(started.at(-1)!.stopped).toBe(true);
  });

  it('lets a change be heard at the next pass, not before', async () => {
    const player = await fresh();
    player.loop = true;
    sounds['bell'] = { seconds: 0.5, loudness: -23, centroid: 800 };
    const over = player.toggle();
    await listen(0.2);
    workbench.patch = named('bell');
    await listen(0.9);
    player.stop();
    await over;
    expect(started.map((s) => s.name).slice(0, 2)).toEqual(['horn', 'bell']);
    expect(started[0]!.stopped).toBe(true);
    expect(started[1]!.at - started[0]!.at).toBeCloseTo(0.5, 9);
  });

  it('plays soft, medium and hard in turn', async () => {
    const player = await fresh();
    workbench.tracing.allThree = true;
    await player.toggle();
    expect(started.map((s) => s.name)).toEqual(['horn40', 'horn80', 'horn118']);
    expect(asked.map((a) => a.velocity)).toEqual([40, 80, 118]);
  });

  it('asks for each sound once', async () => {
    const player = await fresh();
    await player.toggle();
    await player.toggle();
    expect(asked).toHaveLength(1);
    expect(started).toHaveLength(2);
  });
});

describe('the guard', () => {
  it('turns down what is 12 dB louder by as much, and lets it through when asked', async () => {
    const player = await fresh();
    await player.toggle();
    workbench.patch = named('whistle');
    sounds['whistle'] = { seconds: 0.5, loudness: -8, centroid: 900 };
    player.loop = true;
    const over = player.toggle();
    await listen(0.1);
    expect(player.guarded).toContain('15 dB louder');
    expect(20 * Math.log10(started.at(-1)!.gain)).toBeCloseTo(-15, 6);
    player.allow();
    await listen(0.1);
    expect(player.guarded).toBe('');
    expect(started.at(-1)!.gain).toBe(1);
    player.stop();
    await over;
  });

  it('lets 11 dB more through', async () => {
    const player = await fresh();
    await player.toggle();
    workbench.patch = named('louder');
    sounds['louder'] = { seconds: 0.2, loudness: -12, centroid: 800 };
    await player.toggle();
    expect(started.at(-1)!.gain).toBe(1);
  });

  it('turns down what is far sharper, but not what was dull and is no longer', async () => {
    const player = await fresh();
    await player.toggle();
    workbench.patch = named('bright');
    sounds['bright'] = { seconds: 0.2, loudness: -23, centroid: 2100 };
    await player.toggle();
    expect(started.at(-1)!.gain).toBe(1);
    workbench.patch = named('piercing');
    sounds['piercing'] = { seconds: 0.2, loudness: -23, centroid: 6000 };
    await player.toggle();
    expect(20 * Math.log10(started.at(-1)!.gain)).toBeCloseTo(-12, 6);
  });

  it('remembers over a reload what was heard last', async () => {
    await (await fresh()).toggle();
    workbench.patch = named('whistle');
    sounds['whistle'] = { seconds: 0.2, loudness: 0, centroid: 900 };
    await (await fresh()).toggle();
    expect(20 * Math.log10(started.at(-1)!.gain)).toBeCloseTo(-23, 6);
  });
});

describe('one against the other', () => {
  beforeEach(() => {
    workbench.tracing.ghost = { label: 'as it was', patch: named('was') };
    sounds['was'] = { seconds: 0.3, loudness: -29, centroid: 800 };
  });

  it('brings both to the loudness of the quieter one', async () => {
    const player = await fresh();
    await player.compare(false);
    expect(started.map((s) => s.name)).toEqual(['horn', 'was']);
    expect(20 * Math.log10(started[0]!.gain)).toBeCloseTo(-6, 6);
    expect(started[1]!.gain).toBe(1);
    expect(started[1]!.at - started[0]!.at).toBeCloseTo(0.5, 9);
  });

  it('hides which is which until it is asked', async () => {
    for (const [thrown, first] of [
      [0.1, 'was'],
      [0.9, 'horn']
    ] as const) {
      started = [];
      vi.spyOn(Math, 'random').mockReturnValue(thrown);
      const player = await fresh();
      const over = player.compare(true);
      await listen(0.05);
      expect(player.comparing).toBe('blind');
      expect(started[0]!.name).toBe(first);
      expect(player.sideIs('A')).toBe(first === 'was' ? 'as it was' : 'the present one');
      player.reveal();
      expect(player.comparing).toBe('open');
      player.stop();
      await over;
    }
  });

  it('plays a step turned down by what it is told, whatever was heard before', async () => {
    const player = await fresh();
    const { settings } = await import('./settings.svelte');
    for (const heard of [null, { loudness: -40, centroid: 900 }, { loudness: -3, centroid: 900 }]) {
      settings.now.heard = heard;
      sounds['step'] = { seconds: 0.2, loudness: heard?.loudness ?? -20, centroid: 900 };
      await player.sound(named('step'), -1.6);
      expect(20 * Math.log10(started.at(-1)!.gain)).toBeCloseTo(-1.6, 6);
    }
  });

  it('plays only what was asked for last, a recording too', async () => {
    const player = await fresh();
    const recording = { duration: 0.5, name: 'recording' } as unknown as ArrayBuffer;
    await Promise.all([player.recorded(recording, -23, 800, 0), player.sound(named('horn'), 0)]);
    expect(started.filter(({ stopped }) => !stopped).map(({ name }) => name)).toEqual(['horn']);
  });

  it('guards the ear before a step too', async () => {
    const player = await fresh();
    const { settings } = await import('./settings.svelte');
    settings.now.heard = { loudness: -40, centroid: 900 };
    sounds['loud'] = { seconds: 0.2, loudness: -10, centroid: 900 };
    await player.sound(named('loud'), -5);
    expect(20 * Math.log10(started.at(-1)!.gain)).toBeCloseTo(-5 - 25, 6);
    expect(player.guarded).toContain('25 dB louder');
  });

  it('asks for one sound once while it loops', async () => {
    const player = await fresh();
    sounds['now'] = { seconds: 0.5, loudness: -20, centroid: 900 };
    workbench.patch = named('now');
    player.loop = true;
    void player.toggle();
    await listen(0.3);
    workbench.patch = { ...named('now'), notes: 'edited' };
    slow = true;
    await listen(0.4);
    expect(asked.length).toBe(2);
    slow = false;
    player.stop();
  });

  it('keeps only the last few sounds', async () => {
    const player = await fresh();
    workbench.patch = named('keys');
    sounds['keys'] = { seconds: 0.1, loudness: -20, centroid: 900 };
    for (let key = 40; key < 60; key++) await player.strike({ key, velocity: 90 });
    asked.length = 0;
    await player.strike({ key: 59, velocity: 90 });
    expect(asked.length).toBe(0);
    await player.strike({ key: 40, velocity: 90 });
    expect(asked.length).toBe(1);
  });
});
