/** How what stands in a row of the phrase is moved: by keys, and held by the pointer. */
import { FINE, STEP } from './phrase';

/** How far a key moves what has the focus, or that it goes. `up` is 1 or -1; `fine` with Shift. */
export interface Nudge {
  beats: number;
  up: number;
  fine: boolean;
  remove: boolean;
}

/** Returns what a key does to what has the focus, and keeps the key from doing anything else; null where nothing. */
export function nudge(event: KeyboardEvent): Nudge | null {
  const remove = event.key === 'Delete' || event.key === 'Backspace';
  const along = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
  const up = { ArrowDown: -1, ArrowUp: 1 }[event.key] ?? 0;
  if ((!remove && !along && !up) || event.ctrlKey || event.metaKey) return null;
  event.preventDefault();
  event.stopPropagation();
  return { beats: along * (event.shiftKey ? FINE : STEP), up, fine: event.shiftKey, remove };
}

/** How far what is held has come: in quarter notes, and upward as a share of its row's height. */
export interface Moved<T> {
  what: T;
  beats: number;
  up: number;
  fine: boolean;
}

/** A thing in a row, held by the pointer. `beatShare` tells which share of the row's width a quarter note has. */
export class Hold<T> {
  private held: { what: T; x: number; y: number; row: DOMRect } | null = null;

  constructor(private readonly beatShare: () => number) {}

  take(event: PointerEvent & { currentTarget: HTMLElement }, what: T): void {
    event.currentTarget.setPointerCapture(event.pointerId);
    const row = event.currentTarget.parentElement!.getBoundingClientRect();
    this.held = { what, x: event.clientX, y: event.clientY, row };
  }

  /** A hand that trembles by less than three pixels has not moved it in time. */
  moved(event: PointerEvent): Moved<T> | null {
    if (!this.held || event.buttons !== 1) return null;
    const { what, x, y, row } = this.held;
    const along = Math.abs(event.clientX - x) < 3 ? 0 : event.clientX - x;
    const beats = along / row.width / this.beatShare();
    return { what, beats, up: (y - event.clientY) / row.height, fine: event.shiftKey };
  }

  readonly drop = (): void => {
    this.held = null;
  };
}
