import { describe, expect, it } from 'vitest';
import {
  bent,
  flippedInHeight,
  flippedInTime,
  heightAt,
  marksAfter,
  moved,
  stretched,
  withBend,
  withoutPoint,
  withPoint
} from './curve';

const LINE = [
  [0, 0],
  [1, 1]
];

describe('drawn points', () => {
  it('bend as the core bends', () => {
    expect(bent(0.3, 0)).toBe(0.3);
    expect(bent(0.5, 2)).toBeCloseTo((1 - Math.exp(-1)) / (1 - Math.exp(-2)), 12);
    expect(bent(1, -7)).toBeCloseTo(1, 12);
  });
  it('are added in their place and taken away', () => {
    const [next, index] = withPoint(LINE, 0.4, 0.9);
    expect(index).toBe(1);
    expect(next.map((p) => p[0])).toEqual([0, 0.4, 1]);
    expect(withoutPoint(next, 1)).toEqual(LINE);
    expect(LINE.length).toBe(2);
  });
  it('never pass their neighbours or leave the limits', () => {
    const [three] = withPoint(LINE, 0.5, 0.5);
    expect(moved(three, 1, 9, 9, [0, 1], [0, 1])[1]).toEqual([1, 1]);
    expect(moved(three, 1, -9, -9, [0, 1], [-1, 1])[1]).toEqual([0, -1]);
  });
  it('keep their marks where one is put in or taken away', () => {
    const marks = { loop: [1, 3], hold_at: 2 };
    expect(marksAfter(marks, 1, 1)).toEqual({ loop: [2, 4], hold_at: 3 });
    expect(marksAfter(marks, 3, 1)).toEqual({ loop: [1, 4], hold_at: 2 });
    expect(marksAfter(marks, 4, 1)).toEqual(marks);
    expect(marksAfter(marks, 0, -1)).toEqual({ loop: [0, 2], hold_at: 1 });
    expect(marksAfter(marks, 2, -1)).toEqual({ loop: [1, 2], hold_at: null });
    expect(marksAfter(marks, 3, -1)).toEqual({ loop: null, hold_at: 2 });
    expect(marksAfter({}, 0, 1)).toEqual({ loop: null, hold_at: null });
  });
  it('keep a bend within its range, and show it half-way', () => {
    expect(withBend(LINE, 0, 99)[0]![2]).toBe(12);
    expect(heightAt(withBend(LINE, 0, 4), 0.5)).toBeCloseTo(bent(0.5, 4), 12);
  });
  it('turned round twice are as before, and pass through the mirrored heights', () => {
    const curve = [
      [0, 0, 3],
      [0.25, 1, -2],
      [1, 0.2]
    ];
    const back = flippedInTime(flippedInTime(curve));
    for (const x of [0.1, 0.2, 0.6, 0.9]) {
      expect(heightAt(back, x)).toBeCloseTo(heightAt(curve, x), 9);
      expect(heightAt(flippedInTime(curve), 1 - x)).toBeCloseTo(heightAt(curve, x), 9);
      expect(heightAt(flippedInHeight(curve, [0, 1]), x)).toBeCloseTo(1 - heightAt(curve, x), 9);
    }
  });
  it('stretch in time and stop at an end', () => {
    expect(stretched(LINE, 2).map((p) => p[0])).toEqual([0, 2]);
    expect(stretched([...LINE, [1, 0.5]], 2, 1).map((p) => p[0])).toEqual([0, 1, 1]);
  });
});
