import { describe, expect, it } from 'vitest';
import { boxOf, pathOf, playedCurve, readAt } from './curves';
import type { Curve } from './practice.svelte';

const curve = (values: number[], log = false, seconds = 1): Curve => ({
  name: 'cutoff',
  title: 'Cutoff',
  unit: 'Hz',
  log,
  seconds,
  values
});

describe('curves of a task', () => {
  it('lie on one scale, the greatest at the top, octaves alike where they are octaves', () => {
    const one = curve([100, 200, 400], true);
    const box = boxOf([one, curve([400, 400], true, 2)]);
    expect([box.low, box.high, box.seconds]).toEqual([100, 400, 2]);
    expect(pathOf(one, box, 200, 108)).toBe('M0.0 104.0L50.0 54.0L100.0 4.0');
  });

  it('have room where nothing moves', () => {
    const box = boxOf([curve([3, 3])]);
    expect(box.low).toBeLessThan(3);
    expect(box.high).toBeGreaterThan(3);
    expect(pathOf(curve([3, 3]), box, 100, 108)).toBe('M0.0 54.0L100.0 54.0');
  });

  it('read out where they are pointed at, and hold their end beyond it', () => {
    const one = curve([0, 1, 2, 3, 4]);
    expect(readAt(one, { ...boxOf([one]), seconds: 2 }, 0.25)).toEqual({ seconds: 0.5, value: 2 });
    expect(readAt(one, { ...boxOf([one]), seconds: 2 }, 1)).toEqual({ seconds: 2, value: 4 });
  });

  it('are what was played, straight between its points and held beyond them', () => {
    const lane = [
      [1, 0],
      [2, 1],
      [3, 1]
    ];
    const made = playedCurve(lane, 4);
    const at = (seconds: number): number => readAt(made, boxOf([made]), seconds / 4).value;
    expect(at(0.5)).toBe(0);
    expect(at(1.5)).toBeCloseTo(0.5, 1);
    expect(at(2.5)).toBe(1);
    expect(at(3.9)).toBe(1);
    expect(new Set(playedCurve([], 2).values)).toEqual(new Set([0]));
  });
});
