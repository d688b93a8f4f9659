import { describe, expect, it } from 'vitest';
import { boxOf, pathOf, readAt } from './curves';
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
});
