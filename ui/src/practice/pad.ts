/**
 * A macro under one finger: it rises while it is pressed and falls while it is not, ever slower toward its ends.
 *
 * So it never stands still, and turns at the very moment of a press or a release.
 */

/** Within which two thirds of the way are gone. */
const TAKES_S = 0.25;

export class Pad {
  /** What was played: seconds and values, from second 0 on. */
  readonly points: [number, number][] = [];
  /** It begins at its top and falls, so that the first press is a turn. */
  value = 1;
  pressed = false;
  private last = 0;

  /** Goes on to a moment in seconds; before second 0 it waits. */
  advance(at: number): void {
    if (at < 0) return;
    const to = this.pressed ? 1 : 0;
    this.value = to + (this.value - to) * Math.exp(-(at - this.last) / TAKES_S);
    this.last = at;
    this.points.push([at, this.value]);
  }

  /** Presses it, or lets it go, at a moment. */
  press(on: boolean, at: number): void {
    this.advance(at);
    this.pressed = on;
  }
}
