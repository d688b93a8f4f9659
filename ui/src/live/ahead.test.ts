import { describe, expect, it } from 'vitest';
import { Ahead } from './ahead';

const RATE = 48_000;
const REPORT = 256;

/**
 * Plays on a line whose answers come so many frames late, for so long; returns what was asked for at last, and how often
 * nothing was there to be heard.
 */
function played(ahead: Ahead, late: (at: number) => number, from: number, to: number): { asked: number; gaps: number } {
  let asked = 0;
  let gaps = 0;
  for (let at = from; at < to; at += REPORT) {
    // What was asked for at the last report is there, but for what comes late.
    const fewest = Math.max(0, asked - REPORT - late(at));
    if (at > from && fewest === 0) gaps++;
    asked = ahead.heard({ played: at, gaps, missing: 0, fewest });
  }
  return { asked, gaps };
}

describe('how much is asked for ahead', () => {
  it('is plenty at first, and by and by little where it all comes in time', () => {
    const after = (seconds: number): number => played(new Ahead(RATE), () => 0, 0, seconds * RATE).asked / RATE;
    expect(after(1)).toBeCloseTo(0.1, 3);
    expect(after(3)).toBeGreaterThan(0.05);
    expect(after(5)).toBeLessThan(0.04);
    expect(after(12)).toBeLessThan(0.022);
  });

  it('is more where it takes long to be made, and little again once it does not', () => {
    const ahead = new Ahead(RATE);
    const { asked } = played(ahead, () => -REPORT, 0, 30 * RATE);
    let at = 30 * RATE;
    /** Makes sound for some seconds at a load; returns what is asked for then, beyond what was without any. */
    const more = (seconds: number, load: number): number => {
      for (let made = 0; made < seconds * RATE; made += 512) ahead.made(512, load);
      return (ahead.heard({ played: (at += REPORT), gaps: 0, missing: 0, fewest: asked }) - asked) / RATE;
    };
    expect(more(10, 0.5)).toBeCloseTo(0.12, 3);
    expect(more(10, 0.1)).toBeCloseTo(0.12 / 9, 3);
    expect(more(10, 0.75)).toBeCloseTo(0.36, 3);
    // One block that is late is no load; a machine that is wholly taken asks for no end of it.
    more(10, 0.1);
    ahead.made(512, 3);
    expect(more(0, 0)).toBeLessThan(0.02);
    expect(more(10, 2) + asked / RATE).toBeCloseTo(0.45, 3);
  });

  it('grows before there is a gap, where less and less is spare', () => {
    const ahead = new Ahead(RATE);
    played(ahead, () => 0, 0, 2 * RATE);
    // Up to 60 ms late, which comes about over 20 seconds.
    const { asked, gaps } = played(ahead, (at) => Math.max(0, (at / RATE - 2) / 20) * 2880, 2 * RATE, 22 * RATE);
    expect(gaps).toBe(0);
    expect(asked).toBeGreaterThan(2880 + REPORT);
    expect(asked).toBeLessThan(2 * 2880);
  });

  it('does not grow again before what it asked for can be there', () => {
    const ahead = new Ahead(RATE);
    played(ahead, () => 0, 0, RATE);
    const asked = ahead.heard({ played: 3 * RATE - REPORT, gaps: 0, missing: 0, fewest: RATE });
    const first = ahead.heard({ played: 3 * RATE, gaps: 1, missing: 480, fewest: 0 });
    expect((first - asked) / RATE).toBeCloseTo(0.04, 3);
    expect(ahead.heard({ played: 3 * RATE + REPORT, gaps: 1, missing: 480, fewest: 0 })).toBe(first);
    expect([ahead.gaps, ahead.missingS]).toEqual([1, 0.01]);
  });

  it('takes a gap for what it is, also just after it has asked for more', () => {
    const ahead = new Ahead(RATE);
    // All of it waits, so that nothing more was asked for of late.
    const { asked } = played(ahead, () => -REPORT, 0, 30 * RATE);
    const little = ahead.heard({ played: 30 * RATE, gaps: 0, missing: 0, fewest: 0.012 * RATE });
    expect((little - asked) / RATE).toBeCloseTo(0.004, 3);
    const more = ahead.heard({ played: 30 * RATE + REPORT, gaps: 1, missing: 0, fewest: 0 });
    expect((more - asked) / RATE).toBeCloseTo(0.04, 3);
    // The second of one stall was asked for with as little as the first.
    expect(ahead.heard({ played: 30 * RATE + 2 * REPORT, gaps: 2, missing: 0, fewest: 0 })).toBe(more);
  });

  it('forgets what was too little, slowly, and never asks for more than a quarter of a second', () => {
    const ahead = new Ahead(RATE);
    played(ahead, () => 0, 0, 2 * RATE);
    let at = 2 * RATE;
    for (let gaps = 1; gaps < 60; gaps++) ahead.heard({ played: (at += RATE), gaps, missing: 0, fewest: 0 });
    expect(ahead.heard({ played: (at += RATE), gaps: 60, missing: 0, fewest: 0 })).toBe(12_000);
    const after = ahead.heard({ played: at + 100 * RATE, gaps: 60, missing: 0, fewest: 9600 });
    expect(after).toBeLessThan(12_000);
    expect(after).toBeGreaterThan(0.2 * RATE);
  });
});
