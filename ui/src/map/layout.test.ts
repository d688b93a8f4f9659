import { describe, expect, it } from 'vitest';
import { BOX, layout, smooth, type Box, type Join } from './layout';

const boxes = (kinds: Record<string, Box['kind']>): Box[] => Object.entries(kinds).map(([id, kind]) => ({ id, kind }));
const joins = (...pairs: [string, string][]): Join[] => pairs.map(([from, to], i) => ({ id: `j${i}`, from, to }));

function apart(a: { x: number; y: number }, b: { x: number; y: number }): boolean {
  return Math.abs(a.x - b.x) >= BOX.width || Math.abs(a.y - b.y) >= BOX.height;
}

describe('the map', () => {
  it('goes from left to right, what is played first and staves last', () => {
    const of = boxes({ gate: 'signal', a: 'source', b: 'source', c: 'source', s: 'stave', t: 'stave' });
    const laid = layout(of, joins(['gate', 'c'], ['a', 'b'], ['b', 'c'], ['c', 's'], ['a', 't']));
    const x = (id: string): number => laid.boxes[id]!.x;
    expect(x('a')).toBeLessThan(x('b'));
    expect(x('b')).toBeLessThan(x('c'));
    expect(x('c')).toBeLessThan(x('s'));
    expect(x('gate')).toBeLessThan(x('a'));
    expect(x('t')).toBe(x('s'));
    expect(Object.values(laid.joins).some((join) => join.back)).toBe(false);
  });

  it('is as wide as it is asked to be, and a join ends at the sides of its boxes', () => {
    const laid = layout(boxes({ a: 'source', s: 'stave' }), joins(['a', 's']), 940);
    expect(laid.width).toBeCloseTo(940);
    const numbers = laid.joins['j0']!.path.match(/[\d.]+/g)!.map(Number);
    expect(numbers[0]).toBeCloseTo(laid.boxes['a']!.x + BOX.width);
    expect(numbers.at(-2)).toBeCloseTo(laid.boxes['s']!.x);
  });

  it('goes straight where nothing stands between, and round what does', () => {
    const clear = layout(
      boxes({ a: 'source', b: 'source', c: 'source' }),
      joins(['a', 'b'], ['b', 'c'], ['c', 'a']),
      940
    );
    expect(clear.joins['j0']!.path.match(/Q/g)!.length).toBe(2);
    const over = layout(
      boxes({ a: 'source', b: 'source', c: 'source' }),
      joins(['a', 'b'], ['b', 'c'], ['a', 'c']),
      940
    );
    const ys = over.joins['j2']!.path.match(/[\d.]+/g)!
      .map(Number)
      .filter((_, i) => i % 2 === 1);
    const middle = over.boxes['b']!;
    const clears = ys.some((y) => y < middle.y || y > middle.y + BOX.height);
    expect(clears || over.boxes['a']!.y !== middle.y).toBe(true);
  });

  it('tells the one join of a loop that goes back, and lays one by itself out too', () => {
    const loop = layout(boxes({ a: 'source', b: 'source', c: 'source' }), joins(['a', 'b'], ['b', 'c'], ['c', 'a']));
    expect(Object.values(loop.joins).filter((join) => join.back).length).toBe(1);
    const alone = layout(boxes({ a: 'source' }), joins(['a', 'a']));
    expect(alone.joins['j0']!.back).toBe(true);
    expect(alone.joins['j0']!.path).toMatch(/^M /);
  });

  it('keeps boxes apart, and all of them within its size, however dense', () => {
    const names = Array.from({ length: 10 }, (_, i) => `m${i}`);
    const dense = names.flatMap((from, i) =>
      names.slice(0, 3).map((_, n): [string, string] => [from, names[(i * 5 + n) % 10]!])
    );
    const laid = layout(boxes(Object.fromEntries(names.map((name) => [name, 'source']))), joins(...dense));
    const all = Object.values(laid.boxes);
    for (const [i, a] of all.entries()) for (const b of all.slice(i + 1)) expect(apart(a, b)).toBe(true);
    for (const { x, y } of all) {
      expect(Math.min(x, y)).toBeGreaterThanOrEqual(0);
      expect(x + BOX.width).toBeLessThanOrEqual(laid.width);
      expect(y + BOX.height).toBeLessThanOrEqual(laid.height);
    }
  });

  it('draws a path from the first of its points to the last', () => {
    const path = smooth([
      { x: 0, y: 0 },
      { x: 10, y: 20 },
      { x: 30, y: 20 }
    ]);
    expect(path).toBe('M 0 0 L 5 10 Q 10 20 20 20 L 30 20');
    expect(smooth([])).toBe('');
  });
});
