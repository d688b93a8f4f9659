import { describe, expect, it } from 'vitest';
import { placeOf, roundValues, stepAt, valueAt } from './range';

const cutoff = { log: true, steps: [20, 200, 2000].map((value) => ({ value })) };
const macro = { log: false, steps: [0, 0.25, 0.5, 0.75, 1].map((value) => ({ value })) };

describe('places along a sweep', () => {
  it('stand even by the law of what is swept', () => {
    expect(placeOf(cutoff, 200)).toBeCloseTo(0.5, 12);
    expect(placeOf(macro, 0.25)).toBe(0.25);
    expect(placeOf(cutoff, 2)).toBeCloseTo(-0.5, 12);
  });

  it('go back to their values, within the sweep', () => {
    for (const value of [20, 47, 1999]) expect(valueAt(cutoff, placeOf(cutoff, value))).toBeCloseTo(value, 9);
    expect(valueAt(cutoff, 1.7)).toBeCloseTo(2000, 9);
    expect(valueAt(macro, -1)).toBe(0);
  });

  it('have a nearest step, between two of them at the geometric mean', () => {
    expect(stepAt(cutoff, placeOf(cutoff, 62))).toBe(0);
    expect(stepAt(cutoff, placeOf(cutoff, 65))).toBe(1);
    expect(stepAt(macro, 0.63)).toBe(3);
  });

  it('are named by round values', () => {
    expect(roundValues(cutoff, 12)).toEqual([20, 50, 100, 200, 500, 1000, 2000]);
    expect(roundValues(cutoff, 4)).toEqual([100, 1000]);
    expect(roundValues(macro, 5)).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
  });
});
