import { describe, expect, it } from 'vitest';
import { Pad } from './pad';

describe('a macro under one finger', () => {
  it('turns where it is pressed and let go, however long it was held', () => {
    const pad = new Pad();
    const strokes = [1.6, 2.4, 2.65, 4.1];
    let next = 0;
    for (let at = -1; at < 5; at += 1 / 60) {
      if (at >= (strokes[next] ?? Infinity)) pad.press(!pad.pressed, strokes[next++]!);
      pad.advance(at);
    }
    const turns = pad.points.slice(1, -1).flatMap(([at, value], n) => {
      const [before, after] = [value - pad.points[n]![1], pad.points[n + 2]![1] - value];
      return before * after < 0 ? [at] : [];
    });
    expect(turns).toEqual(strokes);
    expect(pad.points[0]![0]).toBeGreaterThanOrEqual(0);
    // Toward the end it is two thirds of the way after a quarter of a second.
    const after = pad.points.find(([at]) => at >= 1.85)!;
    expect(after[1]).toBeCloseTo(1 - Math.exp(-(after[0] - 1.6) / 0.25), 2);
  });
});
