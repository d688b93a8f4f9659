import { describe, expect, it } from 'vitest';
import { cut } from './text';

describe('cut', () => {
  it('never leaves half a letter', () => {
    const skates = '⛸️🛷'.repeat(30);
    for (let most = 0; most < 60; most++) {
      const text = cut(skates, most);
      expect(text.length).toBeLessThanOrEqual(most);
      expect(skates.startsWith(text)).toBe(true);
      expect(/\p{Surrogate}/u.test(text)).toBe(false);
    }
  });

  it('leaves what fits as it is', () => {
    expect(cut('Ferry Horn', 10)).toBe('Ferry Horn');
    expect(cut('Ferry Horn', 5)).toBe('Ferry');
  });
});
