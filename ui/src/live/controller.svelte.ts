/** A controller that the browser offers: what it sends takes the same way as the keys and sliders on the page. */
import type { Directions } from './directions.svelte';
import type { Live } from './live.svelte';

const KEPT = 'jorvik.controller';
const NOTE_OFF = 0x80;
const NOTE_ON = 0x90;
const CONTROL = 0xb0;
const PRESSURE = 0xd0;
const BEND = 0xe0;
const WHEEL = 1;
const PEDAL = 64;
/** Where a bend stands when nobody touches it. */
const MIDDLE = 8192;

export class Controller {
  /** What is connected. */
  names: string[] = $state.raw([]);
  /** The lane that the next knob that is moved will play. */
  learning = $state('');
  /** By the number of a controller, the lane that it plays. */
  plays: Readonly<Record<number, string>> = $state.raw(remembered());

  constructor(
    private readonly live: Live,
    private readonly directions: Directions,
    private readonly rangeOf: (lane: string) => readonly [number, number]
  ) {}

  /** Whether this browser offers any. */
  static get isOffered(): boolean {
    return 'requestMIDIAccess' in navigator;
  }

  /** Listens to all that is there, and to what is connected later. */
  async begin(): Promise<void> {
    const access = await navigator.requestMIDIAccess();
    const listen = (): void => {
      const inputs = [...access.inputs.values()];
      for (const input of inputs) input.onmidimessage = ({ data }) => data && this.take(data);
      this.names = inputs.map((input) => input.name ?? 'a controller');
    };
    access.onstatechange = listen;
    listen();
  }

  /** Lets the next knob that is moved play a lane. */
  learn(lane: string): void {
    this.learning = this.learning === lane ? '' : lane;
  }

  private take([status = 0, first = 0, second = 0]: Uint8Array): void {
    const kind = status & 0xf0;
    if (kind === NOTE_ON && second > 0) this.live.strike(first, second);
    else if (kind === NOTE_ON || kind === NOTE_OFF) this.live.release(first);
    else if (kind === PRESSURE) this.directions.move('key pressed', first / 127);
    else if (kind === BEND) this.bend(first + 128 * second);
    else if (kind === CONTROL && first === PEDAL && !this.learning) this.directions.move('pedal', second / 127);
    else if (kind === CONTROL) this.knob(first, second / 127);
  }

  private bend(at: number): void {
    const share = (at - MIDDLE) / (at > MIDDLE ? MIDDLE - 1 : MIDDLE);
    this.directions.move('bend', 0.5 + 0.5 * share);
  }

  private knob(number: number, share: number): void {
    if (this.learning) {
      this.plays = { ...this.plays, [number]: this.learning };
      this.learning = '';
      remember(this.plays);
    }
    if (number === WHEEL && !(WHEEL in this.plays)) return this.directions.move('wheel', share);
    const lane = this.plays[number];
    if (!lane || !(lane in this.live.lanes)) return;
    const [low, high] = this.rangeOf(lane);
    this.live.turn(lane, low + share * (high - low));
  }
}

function remembered(): Record<number, string> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Record<number, string>;
  } catch {
    return {};
  }
}

function remember(plays: Readonly<Record<number, string>>): void {
  try {
    localStorage.setItem(KEPT, JSON.stringify(plays));
  } catch {
    // A browser that keeps nothing learns again the next time.
  }
}
