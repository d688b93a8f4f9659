import { describe, expect, it } from 'vitest';
import { add, begun, taken, wasPlayed, type Logged, type Session } from './session';
import { valueOf } from './directions.svelte';

interface Made {
  begins?: number;
  ends: number;
  played: { key: number; on: number; off: number }[];
  lanes: Record<string, [number, number][]>;
}

function played(...told: Partial<Logged>[]): Session {
  const session = begun(48_000, 120, 4);
  for (const one of told) add(session, { on: [], off: [], lanes: {}, edits: [], ...one });
  return session;
}
const made = (session: Session, begins: number | null, ends: number): Made =>
  taken(session, begins, ends, { name: 'x' }) as unknown as Made;

describe('what was played', () => {
  it('ends each note where it was told to, and what is held where the take ends', () => {
    const session = played(
      { on: [[0, 60, 90, 512]] },
      { on: [[1, 64, 80, 1024]], off: [[0, 2048]] },
      { lanes: { mod_wheel: [[0, 0.5]] } }
    );
    const take = made(session, 0, 4096);
    expect(take.played.map(({ key, on, off }) => [key, on, off])).toEqual([
      [60, 512, 2048],
      [64, 1024, 4096]
    ]);
    expect(take.begins).toBe(0);
  });

  it('keeps what came before a take with it, and leaves out what came after', () => {
    const session = played({
      on: [
        [0, 60, 90, 100],
        [1, 61, 90, 5000],
        [2, 62, 90, 9000]
      ],
      lanes: {
        pressure: [
          [0, 0],
          [6000, 1],
          [90_000, 0.5]
        ]
      }
    });
    const take = made(session, 4000, 8000);
    expect(take.played.map(({ key }) => key)).toEqual([60, 61]);
    expect(take.lanes['pressure']).toEqual([
      [0, 0],
      [6000, 1]
    ]);
    expect('begins' in made(session, null, 8000)).toBe(false);
  });

  it('counts the edits that took effect within the take', () => {
    const session = played({ on: [[0, 60, 90, 512]], edits: [100, 600] }, { edits: [4096, 9000] });
    const edits = (begins: number | null, ends: number): unknown =>
      (made(session, begins, ends) as { edits?: number }).edits;
    expect([edits(0, 4096), edits(null, 4096), edits(600, 10_000)]).toEqual([2, 1, 3]);
  });

  it('tells whether anything was played in a pass', () => {
    const session = played({ on: [[0, 60, 90, 5000]], lanes: { mod_wheel: [[0, 0.2]] } });
    expect(wasPlayed(session, 0, 4000)).toBe(false);
    expect(wasPlayed(session, 4000, 6000)).toBe(true);
    add(session, {
      on: [],
      off: [],
      edits: [],
      lanes: {
        mod_wheel: [
          [6100, 0.2],
          [6612, 0.4]
        ]
      }
    });
    expect(wasPlayed(session, 6000, 8000)).toBe(true);
  });

  it('lets go what is more than a take can have', () => {
    const session = begun(48_000, 120, 4);
    const points = Array.from({ length: 12_000 }, (_, i): [number, number] => [i, 0]);
    add(session, { on: [], off: [], edits: [], lanes: { mod_wheel: points } });
    expect(session.lanes['mod_wheel']).toHaveLength(10_000);
    expect(session.lanes['mod_wheel']!.at(-1)![0]).toBe(11_999);
  });
});

describe('a direction', () => {
  it('goes from one end of its range to the other, straight or by a curve', () => {
    expect(valueOf([0, 1], 0.2, 0.6, 'straight', 0.5)).toBeCloseTo(0.4);
    expect(valueOf([0, 1], 0.2, 0.6, 'slow at first', 0.5)).toBeCloseTo(0.3);
    expect(valueOf([-1, 1], 0, 1, 'straight', 0.5)).toBe(0);
    expect(valueOf([0, 1], 1, 0, 'quick at first', 0.25)).toBeCloseTo(0.5);
  });
});
