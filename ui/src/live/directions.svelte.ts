/** What each direction of the controller moves: any lane, over a range, with a curve. Remembered in this browser. */
import type { LiveLanes } from './live.svelte';

const KEPT = 'jorvik.directions';

/** How a direction goes from one end to the other. */
export const CURVES = { straight: 1, 'slow at first': 2, 'quick at first': 0.5 } as const;
export type CurveName = keyof typeof CURVES;

export interface Direction {
  /** The lane that it moves; nothing where it moves none. */
  lane: string;
  /** Shares of the lane's range at its two ends. */
  low: number;
  high: number;
  curve: CurveName;
}

/** The pedal holds keys that are let go, where it moves no lane. */
export const HOLDS = 'holds the keys';

export const NAMES = ['pad across', 'pad up', 'pad pressed', 'key pressed', 'wheel', 'bend', 'pedal'] as const;
export type DirectionName = (typeof NAMES)[number];

const given = (lane: string): Direction => ({ lane, low: 0, high: 1, curve: 'straight' });

export class Directions {
  private kept: Partial<Record<DirectionName, Direction>> = $state.raw(remembered());
  /** Where each direction stands, from 0 to 1. */
  at: Partial<Record<DirectionName, number>> = $state.raw({});

  constructor(
    private readonly live: LiveLanes,
    private readonly rangeOf: (lane: string) => readonly [number, number]
  ) {}

  /** What a direction moves: as it was given, else what is usual for it. */
  of(name: DirectionName): Direction {
    const kept = this.kept[name];
    if (kept && (kept.lane === '' || kept.lane === HOLDS || kept.lane in this.live.lanes)) return kept;
    const macros = Object.keys(this.live.lanes).filter((lane) => lane.startsWith('macro:'));
    if (name === 'pad across') return given(macros[0] ?? 'mod_wheel');
    if (name === 'pad up') return given(macros[1] ?? (macros[0] ? 'mod_wheel' : ''));
    if (name === 'wheel') return given('mod_wheel');
    if (name === 'bend') return given('pitch_bend');
    return given(name === 'pedal' ? HOLDS : 'pressure');
  }

  give(name: DirectionName, change: Partial<Direction>): void {
    this.kept = { ...this.kept, [name]: { ...this.of(name), ...change } };
    try {
      localStorage.setItem(KEPT, JSON.stringify(this.kept));
    } catch {
      // A browser that keeps nothing is told again the next time.
    }
  }

  /** Moves a direction to a share of its way. */
  move(name: DirectionName, share: number): void {
    const to = Math.max(0, Math.min(1, share));
    this.at = { ...this.at, [name]: to };
    const { lane, low, high, curve } = this.of(name);
    if (lane === HOLDS) this.live.hold(to >= 0.5);
    else if (lane) this.live.turn(lane, valueOf(this.rangeOf(lane), low, high, curve, to));
  }

  /** The hand lets a direction go: what it moves stays, or is taken up by who plays it beside the hand. */
  letGo(name: DirectionName): void {
    const { lane } = this.of(name);
    if (lane && lane !== HOLDS) this.live.letGo(lane);
  }
}

/** Returns where a lane goes for a share of a direction's way. */
export function valueOf(
  [least, greatest]: readonly [number, number],
  low: number,
  high: number,
  curve: CurveName,
  share: number
): number {
  const at = low + (high - low) * share ** CURVES[curve];
  return least + at * (greatest - least);
}

function remembered(): Partial<Record<DirectionName, Direction>> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Record<DirectionName, Direction>>;
  } catch {
    return {};
  }
}
