import { describe, expect, it } from 'vitest';
import { heardExtent, heardText } from './heard';

describe('what is heard', () => {
  it('reads in its unit', () => {
    expect(heardText('level', -12.34)).toBe('−12.3 dB');
    expect(heardText('brightness', 1534)).toBe('1.53 kHz');
    expect(heardText('pitch', -0.25)).toBe('−0.25 st');
  });

  it('is drawn from its least to its greatest, silence no deeper than 60 dB', () => {
    expect(heardExtent('level', [-120, -40, -6, null])).toEqual([-66, -4]);
    expect(heardExtent('brightness', [100, null, 1000])).toEqual([100 / 1.3, 1300]);
    expect(heardExtent('pitch', [null])).toEqual([0, 1]);
  });

  it('leaves out the few pitches that are none', () => {
    const steady = Array.from({ length: 300 }, (_, i) => Math.sin(i) * 0.2);
    const [low, high] = heardExtent('pitch', [...steady, 24]);
    expect(high).toBeLessThan(1);
    expect(low).toBeGreaterThan(-1);
  });
});
