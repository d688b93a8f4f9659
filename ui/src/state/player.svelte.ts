/** Playing: the sound of the present patch, its playhead, a level that starts low, and a guard before what is louder. */
import { asBody, Refused, type Patch } from '../api/api';
import type { Heard, Note, Performed } from '../session/session';
import { figure } from '../common/format';
import { messages } from './messages.svelte';
import { VELOCITIES } from '../api/facts.gen';
import type { Tracing } from './tracing.svelte';
import { settings } from './settings.svelte';
import { workFor } from '../session/window';

export interface Take {
  buffer: AudioBuffer;
  limitedDb: number;
  loudness: number;
  centroid: number;
  patch: Patch;
}

/** How long before the end of a pass the next one is chosen. */
const LEAD_S = 0.12;
const LOUDER_DB = 12;
/** Sounds that are kept to be played again: three velocities, the ghost, and the last few keys. */
const MOST_READY = 8;
const SHARPER = 2.5;
const SHARP_HZ = 2500;

/** What is played: the open patch, and how it is traced. */
export interface Playable {
  readonly patch: Patch | null;
  /** The phrase that it is played under, and the number of that performance. */
  readonly performed: Performed;
  readonly performance?: number;
  /** Returns the sound of the patch as it is now. */
  hear(note: Note, signal: AbortSignal): Promise<Heard>;
  readonly tracing: Pick<Tracing, 'ghost' | 'allThree' | 'behind'>;
}

export class Player {
  playing = $state(false);
  waiting = $state(false);
  loop = $state(false);
  head: number | null = $state(null);
  limitedDb = $state(0);
  /** Why the present pass is turned down, and by how much; empty when it is not. */
  guarded = $state('');
  /** Present against ghost, in turn, at one loudness. */
  comparing: '' | 'open' | 'blind' = $state('');
  /** Which of the two sounds now. */
  side: 'A' | 'B' = $state('A');
  private swapped = false;
  private context: AudioContext | null = null;
  private gain: GainNode | null = null;
  /** The last sounds, by what was asked for; the one longest not played goes first. */
  private ready = new Map<string, Take>();
  /** Sounds on their way: asked for twice, they are made once. */
  private coming = new Map<string, { patch: Patch; take: Promise<Take> }>();
  private sources: AudioBufferSourceNode[] = [];
  private allowed: Patch | null = null;
  private run = 0;
  private asking = new AbortController();

  constructor(private readonly of: Playable) {}

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
    // What was asked for to be played now is given up, by the server too.
    this.asking.abort();
    this.asking = new AbortController();
    for (const source of this.sources) source.stop();
    this.sources = [];
    this.playing = this.waiting = false;
    this.comparing = '';
    this.head = null;
    this.guarded = '';
  }

  /** Plays the present patch and the ghost in turn, each at the loudness of the quieter one. */
  async compare(blind: boolean): Promise<void> {
    if (!this.of.tracing.ghost) return;
    this.stop();
    this.swapped = blind && Math.random() < 0.5;
    this.comparing = blind ? 'blind' : 'open';
    await this.play(true);
  }

  /** Says which was which. */
  reveal(): void {
    this.comparing = 'open';
  }

  /** What a side of the comparison is. */
  sideIs(side: 'A' | 'B'): string {
    return (side === 'A') !== this.swapped ? 'the present one' : (this.of.tracing.ghost?.label ?? 'the ghost');
  }

  /** Lets the present patch sound at its own level, as it was asked for. */
  allow(): void {
    this.allowed = this.of.patch;
    this.guarded = '';
    if (this.playing) void this.play();
  }

  /** Plays one note beside everything else, for the keys; at once, and over by itself. */
  async strike(note: Note): Promise<void> {
    if (!this.of.patch) return;
    performance.mark('jorvik:strike');
    try {
      const [context, gain] = await this.opened();
      const take = await this.take(this.of.patch, note, context);
      const source = this.source(context, take, this.guard(take), gain);
      source.start();
      performance.mark('jorvik:sounds');
      this.sources = [...this.sources.slice(-11), source];
      this.limitedDb = take.limitedDb;
    } catch (error) {
      failed(error);
    }
  }

  /** Plays a patch once, turned down by so many dB; the guard before what is much louder stands behind that. */
  async sound(patch: Patch, gainDb: number, performed = this.of.performed): Promise<void> {
    this.stop();
    const run = this.run;
    try {
      const [context, gain] = await this.opened();
      const take = await this.reported(patch, this.made(patch, {}, context, 'sound of a step', performed));
      if (run !== this.run) return;
      const source = this.source(context, take, gainDb + this.guard(take, gainDb), gain);
      source.start();
      this.sources = [source];
      this.limitedDb = take.limitedDb;
    } catch (error) {
      failed(error);
    }
  }

  /** Plays a sound that is there already, turned down by so many dB, behind the same guard. */
  async recorded(wav: ArrayBuffer, loudness: number, centroid: number, gainDb: number): Promise<void> {
    this.stop();
    if (!this.of.patch) return;
    const run = this.run;
    const [context, gain] = await this.opened();
    const buffer = await context.decodeAudioData(wav);
    if (run !== this.run) return;
    const take: Take = { buffer, loudness, centroid, limitedDb: 0, patch: this.of.patch };
    const source = this.source(context, take, gainDb + this.guard(take, gainDb), gain);
    source.start();
    this.sources = [source];
  }

  /** Returns where sound goes: the level that starts low lies behind it. */
  async opened(): Promise<[AudioContext, GainNode]> {
    this.context ??= new AudioContext();
    await this.context.resume();
    if (!this.gain) {
      this.gain = this.context.createGain();
      this.gain.gain.value = settings.now.level ** 2;
      this.gain.connect(this.context.destination);
    }
    return [this.context, this.gain];
  }

  /** Returns a sound that goes to a node, turned up or down by so many dB on its way. */
  private source(context: AudioContext, take: Take, decibels: number, to: AudioNode): AudioBufferSourceNode {
    const source = new AudioBufferSourceNode(context, { buffer: take.buffer });
    if (decibels === 0) {
      source.connect(to);
      return source;
    }
    const turned = context.createGain();
    turned.gain.value = 10 ** (decibels / 20);
    source.connect(turned);
    turned.connect(to);
    return source;
  }

  private async play(comparing = false): Promise<void> {
    const kept = this.comparing;
    this.stop();
    if (comparing) this.comparing = kept;
    const run = this.run;
    this.waiting = true;
    performance.mark('jorvik:strike');
    try {
      const [context, gain] = await this.opened();
      await this.passes(run, context, gain);
    } catch (error) {
      failed(error);
    }
    if (run === this.run) this.stop();
  }

  /** What is played in turn: the note, soft to hard, or the present patch against the ghost. */
  private turns(): { patch: Patch; note: Note; side: 'A' | 'B' }[] {
    const patch = this.of.patch!;
    const behind = this.of.tracing.behind(patch);
    if (this.comparing && behind) {
      const both = [patch, behind];
      if (this.swapped) both.reverse();
      return both.map((of, i) => ({ patch: of, note: {}, side: i === 0 ? 'A' : 'B' }) as const);
    }
    if (!this.of.tracing.allThree) return [{ patch, note: {}, side: 'A' }];
    return VELOCITIES.map((v) => ({ patch, note: { velocity: v.velocity }, side: 'A' as const }));
  }

  /** Plays pass after pass while looping; a change is heard at the next pass. */
  private async passes(run: number, context: AudioContext, gain: GainNode): Promise<void> {
    let begin = 0;
    for (let pass = 0; ; pass++) {
      const turns = this.turns();
      if (pass >= turns.length && !this.loop) break;
      const turn = turns[pass % turns.length]!;
      const take = await this.take(turn.patch, turn.note, context);
      const matched = this.comparing ? await this.matching(turns, context) : 0;
      if (run !== this.run) return;
      begin = Math.max(begin, context.currentTime + 0.015);
      const turned = this.comparing ? Math.min(0, matched - take.loudness) : this.guard(take);
      const source = this.source(context, take, turned, gain);
      source.start(begin);
      if (pass === 0) performance.mark('jorvik:sounds');
      this.sources = [...this.sources.slice(-2), source];
      this.waiting = false;
      this.playing = true;
      this.side = turn.side;
      this.limitedDb = take.limitedDb;
      await this.follow(run, context, begin, take, turns, pass);
      if (run !== this.run) return;
      begin += take.buffer.duration;
    }
    while (run === this.run && context.currentTime < begin) await frame();
  }

  /** Returns the loudness of the quieter of two. */
  private async matching(turns: { patch: Patch; note: Note }[], context: AudioContext): Promise<number> {
    const takes = await Promise.all(turns.map((turn) => this.take(turn.patch, turn.note, context)));
    return Math.min(...takes.map((take) => take.loudness));
  }

  /** Returns by how many dB a take is turned down before it is heard, and says why. */
  guard(take: Pick<Take, 'loudness' | 'centroid' | 'patch'>, gainDb = 0): number {
    const last = settings.now.heard;
    const loudness = take.loudness + gainDb;
    const louder = last ? loudness - last.loudness : 0;
    const sharper = last ? take.centroid / Math.max(last.centroid, 50) : 1;
    const tooLoud = louder > LOUDER_DB;
    const tooSharp = sharper > SHARPER && take.centroid > SHARP_HZ;
    if (this.allowed === take.patch || !(tooLoud || tooSharp)) {
      this.guarded = '';
      settings.set({ heard: { loudness, centroid: take.centroid } });
      return 0;
    }
    const down = tooLoud ? louder : 12;
    this.guarded = tooLoud
      ? `This is ${louder.toFixed(0)} dB louder than the last one played, and turned down by as much.`
      : `This is ${sharper.toFixed(1)} times as sharp as the last one played, and turned down by ${down} dB.`;
    return -down;
  }

  /** Moves the playhead until shortly before the end of a pass, by when the next must be on its way. */
  private async follow(
    run: number,
    context: AudioContext,
    begin: number,
    take: Take,
    turns: { patch: Patch; note: Note }[],
    pass: number
  ): Promise<void> {
    const end = begin + take.buffer.duration - LEAD_S;
    while (run === this.run && context.currentTime < end) {
      this.head = Math.max(0, context.currentTime - begin);
      const next = this.turns()[(pass + 1) % turns.length];
      if (this.loop && next) void this.take(next.patch, next.note, context).catch(() => {});
      await frame();
    }
  }

  /** Tells of a sound that takes a while: many notes, or a long run. */
  private reported(patch: Patch, take: Promise<Take>): Promise<Take> {
    const notes = patch.performance?.notes ?? [{}];
    const end = Math.max(...notes.map((note) => (note.start_s ?? 0) + (note.length_s ?? 1)));
    const of = `${notes.length === 1 ? 'one note' : `${notes.length} notes`} over ${figure(end, 3)} s`;
    return messages.while(`Making the sound of ${of}…`, take, () => this.stop());
  }

  /** Returns the sound of a patch: of the open one as this window has it, of another one by its document. */
  private async made(
    patch: Patch,
    note: Note,
    context: AudioContext,
    kind: string,
    performed: Performed
  ): Promise<Take> {
    const { signal } = this.asking;
    const isOpen = patch === this.of.patch && performed === this.of.performed;
    const { wav, ...figures } = await (isOpen
      ? this.of.hear(note, signal)
      : fetched(patch, note, kind, signal, performed));
    return { buffer: await context.decodeAudioData(wav), ...figures, patch };
  }

  private take(patch: Patch, note: Note, context: AudioContext): Promise<Take> {
    const name = JSON.stringify([note, this.of.performance ?? 0]) + (patch === this.of.patch ? '' : ' ghost');
    const known = this.ready.get(name);
    if (known?.patch === patch) {
      this.ready.delete(name);
      this.ready.set(name, known);
      return Promise.resolve(known);
    }
    const under = this.coming.get(name);
    if (under?.patch === patch) return under.take;
    const own = patch === this.of.patch ? null : this.of.tracing.ghost?.own;
    const performed = own ?? this.of.performed;
    const take = this.reported(patch, this.made(patch, note, context, `sound ${name}`, performed)).then((made) => {
      this.ready.set(name, made);
      while (this.ready.size > MOST_READY) this.ready.delete(this.ready.keys().next().value!);
      return made;
    });
    const entry = { patch, take };
    this.coming.set(name, entry);
    const over = (): void => void (this.coming.get(name) === entry && this.coming.delete(name));
    take.then(over, over);
    return take;
  }
}

/** Says why there is no sound, unless it was given up. */
function failed(error: unknown): void {
  if (error instanceof DOMException && error.name === 'AbortError') return;
  messages.say(error instanceof Refused ? error.message : 'The sound could not be made: Jorvik does not answer.', true);
}

/** Returns the sound of a patch that is not open, such as the ghost. */
async function fetched(
  patch: Patch,
  note: Note,
  kind: string,
  signal: AbortSignal,
  performed: Performed
): Promise<Heard> {
  const answer = await fetch('/api/sound', {
    method: 'POST',
    signal,
    headers: { 'Content-Type': 'application/json', ...workFor(kind) },
    body: JSON.stringify({ document: asBody(patch), ...performed, with_hits: true, ...note })
  });
  if (!answer.ok) throw new Refused(answer.status, ((await answer.json()) as { sentence: string }).sentence);
  const said = (name: string): number => Number(answer.headers.get(name) ?? 0);
  return {
    wav: await answer.arrayBuffer(),
    limitedDb: said('X-Limited-dB'),
    loudness: said('X-Loudness-LUFS'),
    centroid: said('X-Centroid-Hz')
  };
}

function frame(): Promise<number> {
  return new Promise((resolve) => requestAnimationFrame(resolve));
}
