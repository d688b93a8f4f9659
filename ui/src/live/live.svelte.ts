/** Played live: what the hand does goes to the server, the sound that comes back goes to the audio thread. */
import { asBody, type Patch } from '../api/api';
import { messages } from '../state/messages.svelte';
import type { Begin, Line } from './line.worker';
import { add, begun, type Logged, type Session } from './session';
import workletUrl from './worklet.ts?worker&url';

/** The close code of `jorvik.web.live` by which a process that ended is told, which was said already. */
const LOST = 4002;

export type LiveState = 'off' | 'starting' | 'on';

/** Where the sound goes, and the patch that is played. */
export interface LiveOutput {
  opened(): Promise<[AudioContext, AudioNode]>;
}

/** What a hand moves. */
export interface LiveLanes {
  readonly lanes: Record<string, number>;
  turn(name: string, value: number): void;
  letGo(name: string): void;
  hold(isDown: boolean): void;
}

/** What is played over, and how. */
export interface Over {
  phrase: Record<string, unknown> | null;
  plays: boolean;
  count_in?: number;
  clicks?: boolean;
}

/** How the hand writes over lanes that the phrase beside it plays. */
export type Write = 'touch' | 'latch' | 'trim';

interface Told {
  refused?: string;
  lanes?: Record<string, number>;
  delay?: number;
  mark?: number;
  at?: number;
  log?: Logged;
  drawn?: Drawn[];
  recording?: { first: number; bars_from: number; tempo_bpm: number; beats_per_bar: number; turn: number };
}

/** Where the destinations stood at a sample. */
export interface Drawn {
  at: number;
  lanes: Record<string, number>;
}

/** As many are kept as half a minute has. */
const MOST_DRAWN = 3000;
const BEAT_MARK = 1;
/** Longer than the audio thread takes to hear of silence and to fade to it. */
const FADED_MS = 100;

export class Live {
  state: LiveState = $state('off');
  /** Where each lane that can be moved stands. */
  lanes: Record<string, number> = $state.raw({});
  /** What the limiter took at most within the last second: what changes with each report nobody can read. */
  limitedDb = $state(0);
  private limitedAt = 0;
  /** Whether a beat is played over. */
  over = $state(false);
  /** How often sound came too late. */
  gaps = $state(0);
  /** How long there was no sound for that, in seconds. */
  missingS = $state(0);
  private line: Worker | null = null;
  private node: AudioWorkletNode | null = null;
  /** What has been played since it began, or was begun anew to be recorded. */
  session: Session | null = null;
  /** The sample of the session that is heard now. */
  now = $state(0);
  /** Where the destinations stood of late; the same list as long as it is played. */
  drawn: Drawn[] = [];
  /** The least and the greatest of each destination since it is played. */
  reached: Readonly<Record<string, readonly [number, number]>> = $state.raw({});
  /** Told whenever something was played, or more of it is heard; and when it was begun anew. */
  onplayed: () => void = () => {};
  onended: (wasLost: boolean) => void = () => {};
  private recording: ((session: Session) => void) | null = null;
  private beside: Over = { phrase: null, plays: false };
  private delay = 0;
  /** Counts beginnings and ends: what was ended while it began does not go on. */
  private turns = 0;
  /** Keys that are held, whatever holds them: a finger, a controller, the pedal. */
  down: ReadonlySet<number> = $state.raw(new Set());
  /** Keys that were let go while the pedal held them. */
  private held = new Set<number>();
  private holds = false;
  private document: Record<string, unknown> | null = null;

  constructor(private readonly output: LiveOutput) {}

  /** Begins to play a patch, in silence. */
  async begin(patch: Patch): Promise<void> {
    if (this.state !== 'off') return;
    this.state = 'starting';
    const mine = ++this.turns;
    try {
      const [context, into] = await this.output.opened();
      if (mine !== this.turns) return;
      this.drawn = [];
      this.reached = {};
      this.now = 0;
      const { tempo_bpm: tempo = 120, beats_per_bar: beatsPerBar = 4 } = patch.performance ?? {};
      this.session = begun(context.sampleRate, tempo, beatsPerBar);
      await context.audioWorklet.addModule(workletUrl);
      if (mine !== this.turns) return;
      const node = new AudioWorkletNode(context, 'live-playback', { numberOfInputs: 0, outputChannelCount: [2] });
      node.connect(into);
      this.node = node;
      await this.connect(patch, context.sampleRate, node);
    } catch (error) {
      this.end();
      messages.say(error instanceof Error ? error.message : String(error), true);
    }
  }

  private connect(patch: Patch, rate: number, node: AudioWorkletNode): Promise<void> {
    const { protocol, host } = window.location;
    const url = `${protocol === 'https:' ? 'wss' : 'ws'}://${host}/api/live`;
    const line = new Worker(new URL('./line.worker.ts', import.meta.url), { type: 'module' });
    this.line = line;
    this.document = asBody(patch);
    const { port1, port2 } = new MessageChannel();
    node.port.postMessage(port1, [port1]);
    const begin: Begin = { url, rate, port: port2, first: { do: 'play', document: this.document, rate } };
    line.postMessage(begin, [port2]);
    return new Promise((done, failed) => {
      line.onmessage = ({ data }: MessageEvent<Line>) => {
        if ('heard' in data) this.heard(data.heard);
        else if ('closed' in data) this.closed(data.closed, failed);
        else if (this.told(data.told as Told, failed)) done();
      };
    });
  }

  private closed(code: number, failed: (error: Error) => void): void {
    const wasOn = this.state === 'on';
    this.end(wasOn);
    if (!wasOn) failed(new Error('It cannot be played now: Jorvik does not answer.'));
    else if (code !== LOST) messages.say('Playing has stopped: the connection was lost.', true);
  }

  /** Takes what the server says; tells whether it plays. What is refused at the beginning ends it. */
  private told(told: Told, failed: (error: Error) => void): boolean {
    if (told.refused && this.state === 'starting') failed(new Error(told.refused));
    else if (told.refused) messages.say(told.refused, true);
    const { session } = this;
    if (told.log && session) {
      add(session, told.log);
      for (const [name, points] of Object.entries(told.log.lanes))
        this.lanes = { ...this.lanes, [name]: points.at(-1)![1] };
      this.onplayed();
    }
    if (told.drawn) {
      this.drawn.push(...told.drawn);
      this.reach(told.drawn);
      if (this.drawn.length > MOST_DRAWN) this.drawn.splice(0, MOST_DRAWN / 10);
    }
    if (told.mark === BEAT_MARK && told.at !== undefined && session) session.bars_from = told.at - this.delay;
    if (told.recording && session) this.begunAnew(session, told.recording);
    if (told.delay === undefined || !told.lanes) return false;
    this.delay = told.delay;
    this.lanes = told.lanes;
    this.state = 'on';
    return true;
  }

  /** Notes how far each destination has gone. */
  private reach(drawn: readonly Drawn[]): void {
    for (const [name, value] of drawn.flatMap(({ lanes }) => Object.entries(lanes))) {
      const [low, high] = this.reached[name] ?? [Infinity, -Infinity];
      if (value < low || value > high)
        this.reached = { ...this.reached, [name]: [Math.min(low, value), Math.max(high, value)] };
    }
  }

  private begunAnew({ rate }: Session, { first, ...told }: NonNullable<Told['recording']>): void {
    this.session = {
      ...begun(rate, told.tempo_bpm, told.beats_per_bar, first),
      ...told,
      over: this.beside.phrase
    };
    this.drawn = [];
    this.recording?.(this.session);
    this.recording = null;
  }

  private heard({ played, gaps, missingS, limitedDb }: Extract<Line, { heard: unknown }>['heard']): void {
    this.gaps = gaps;
    this.missingS = missingS;
    this.now = Math.max(0, played - (this.session?.first ?? 0));
    if (limitedDb >= this.limitedDb || Math.abs(this.now - this.limitedAt) > (this.session?.rate ?? 0)) {
      this.limitedDb = limitedDb;
      this.limitedAt = this.now;
    }
    this.onplayed();
  }

  private send(message: Record<string, unknown>): void {
    this.line?.postMessage(message);
  }

  /** Plays a changed patch: as soon as may be. */
  edit(patch: Patch): void {
    if (this.state !== 'on') return;
    const document = asBody(patch);
    if (document === this.document) return;
    this.document = document;
    this.send({ do: 'play', document });
  }

  strike(key: number, velocity: number): void {
    performance.mark('jorvik:strike');
    this.held.delete(key);
    this.down = new Set([...this.down, key]);
    this.send({ do: 'on', key, velocity: Math.max(1, Math.min(127, velocity)) });
  }

  release(key: number): void {
    if (this.holds) this.held.add(key);
    else this.off(key);
  }

  private off(key: number): void {
    this.down = new Set([...this.down].filter((one) => one !== key));
    this.send({ do: 'off', key });
  }

  /** No key is held any more. */
  private clearKeys(): void {
    this.held.clear();
    this.down = new Set();
  }

  /** The pedal: keys that are let go while it is down sound on until it is up. */
  hold(isDown: boolean): void {
    this.holds = isDown;
    if (isDown) return;
    for (const key of this.held) this.off(key);
    this.held.clear();
  }

  /** The hand lets a lane go: a phrase that plays it beside the hand takes it up again. */
  letGo(name: string): void {
    this.send({ do: 'control', name, value: null });
  }

  /** How the hand writes over lanes that the phrase beside it plays. */
  writes(how: Write): void {
    this.send({ do: 'write', how });
  }

  turn(name: string, value: number): void {
    this.lanes = { ...this.lanes, [name]: value };
    this.send({ do: 'control', name, value });
  }

  /** Plays over a phrase, its bars in a loop; or over nothing. */
  beat(over: Over, tempo: number, beatsPerBar: number, turn: number): void {
    this.over = over.phrase !== null;
    this.beside = over;
    if (this.session) {
      Object.assign(this.session, { tempo_bpm: tempo, beats_per_bar: beatsPerBar, over: over.phrase, turn });
    }
    this.send({ do: 'beat', mark: BEAT_MARK, ...over });
  }

  /** Begins anew, in silence, to be recorded; returns what is played from then on. */
  record(over: Over): Promise<Session> {
    this.over = over.phrase !== null;
    this.beside = over;
    this.clearKeys();
    return new Promise((done) => {
      this.recording = done;
      this.send({ do: 'record', ...over });
    });
  }

  /** Lets every key go, and is silent at once. */
  panic(): void {
    this.over = false;
    this.clearKeys();
    this.send({ do: 'panic' });
    this.node?.port.postMessage('silence');
  }

  /** Stops playing: silence, whatever was held. */
  end(wasLost = false): void {
    const { line, node } = this;
    this.turns++;
    this.line = this.node = null;
    this.state = 'off';
    this.over = false;
    this.gaps = this.missingS = 0;
    this.holds = false;
    this.clearKeys();
    this.recording = null;
    node?.port.postMessage('silence');
    // After it has died away: what is cut off jumps.
    setTimeout(() => node?.disconnect(), FADED_MS);
    line?.postMessage('end');
    if (node) this.onended(wasLost);
  }
}
