import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { apply, compare, Gone, keysOf, overlap, register, treeOf, type KeyTree, type Operation } from './operations';

interface Case {
  says: string;
  document: object;
  keys_before?: KeyTree;
  operations: Operation[];
  after: object;
  keys?: KeyTree;
}
const cases = JSON.parse(readFileSync('../tests/operations.json', 'utf8')) as {
  applied: Case[];
  refused: { says: string; document: object; operation: Operation }[];
  compared: { says: string; before: object; after: object; operations: Operation[] }[];
};

describe('apply', () => {
  it.each(cases.applied)('gives document and keys: $says', ({ document, keys_before, operations, after, keys }) => {
    register(document, keys_before ?? {});
    const text = JSON.stringify(document);
    const found = apply(document, operations);
    expect([found, treeOf(found)]).toEqual([after, keys ?? {}]);
    expect(JSON.stringify(document)).toBe(text);
  });

  it.each(cases.refused)('refuses $says', ({ document, operation }) => {
    expect(() => apply(document, [operation])).toThrow(Gone);
  });
});

describe('compare', () => {
  it.each(cases.compared)('finds the least operations: $says', ({ before, after, operations }) => {
    expect(compare(before, after)).toEqual(operations);
  });

  it('matches an item that was edited and moved by identity where it has no id', () => {
    const [low, middle, high] = [{ key: 50 }, { key: 60 }, { key: 70 }];
    const before = { notes: [low, middle, high] };
    const after = { notes: [high, { ...low, velocity: 3 }, middle] };
    expect(compare(before, after)).toEqual([
      { op: 'set', at: ['notes', '0', 'velocity'], value: 3, keys: {} },
      { op: 'order', at: ['notes'], keys: ['2', '0', '1'] }
    ]);
  });

  it('gives an item twice in a list two keys', () => {
    const note = { key: 60 };
    const after = { notes: [note, note] };
    compare({ notes: [note] }, after);
    const [first, second] = keysOf(after.notes);
    expect(first).toBe('0');
    expect(second).toMatch(/^[0-9a-f]{10}$/);
  });

  it('leaves the keys of a document as they are when it is compared the other way', () => {
    const before = { modules: [{ id: 'a' }, { id: 'b' }] };
    const after = { modules: [before.modules[1]!] };
    expect(compare(before, after)).toEqual([{ op: 'remove', at: ['modules'], key: '0' }]);
    expect(compare(after, before)).toMatchObject([{ op: 'insert', after: null, key: '0' }]);
    expect(keysOf(before.modules)).toEqual(['0', '1']);
  });

  it('brings a removed item back with its key and those of its points', () => {
    const points = [
      [0, 0],
      [1, 1]
    ];
    const bare = { modules: [{ id: 'a', points }] };
    const more = { modules: [{ id: 'a', points: [points[0]!, [0.5, 1], points[1]!] }] };
    compare(bare, more);
    const none = { modules: [] };
    const removed = compare(more, none);
    const back = compare(none, more);
    const keys = treeOf(more);
    // The other side knows the document by its text and its keys only.
    const there = JSON.parse(JSON.stringify(more)) as object;
    register(there, keys);
    const again = apply(apply(there, removed), JSON.parse(JSON.stringify(back)) as Operation[]);
    expect([again, treeOf(again)]).toEqual([more, keys]);
    expect(keys.in!['modules']!.in!['0']!.in!['points']!.keys).toHaveLength(3);
  });

  it('sets a lane of many changed points whole, and the points that stay keep their keys', () => {
    const lane = Array.from({ length: 10_000 }, (_, place) => [place / 10, 0.5]);
    const thinned = { lane: lane.filter((_, place) => place % 3 === 0) };
    const operations = compare({ lane }, thinned);
    expect(operations.map(({ op }) => op)).toEqual(['set']);
    expect(keysOf(thinned.lane).at(-1)).toBe('9999');
    const back = compare(thinned, { lane });
    const again = apply(apply({ lane }, operations), back);
    expect([again, keysOf(again.lane)]).toEqual([{ lane }, keysOf(lane)]);
  });

  it('leads to the other document through any chain of edits, on both sides alike', () => {
    // A small generator with a fixed seed, so that a failure is found again.
    let state = 7;
    const below = (n: number): number => (state = (state * 16807) % 2147483647) % n;
    interface Made {
      modules: { id: string; kind: string; rate?: number; points?: number[][] }[];
      notes: { key: number }[];
      name?: string | undefined;
    }
    let document: Made = { modules: [], notes: [] };
    let there: object = { modules: [], notes: [] };
    for (let round = 0; round < 400; round++) {
      const modules = document.modules
        .filter(() => below(8) > 0)
        .map((one) => (below(3) ? one : { ...one, rate: below(9) }));
      const id = `m${below(30)}`;
      if (!modules.some((one) => one.id === id))
        modules.splice(below(modules.length + 1), 0, { id, kind: 'lfo', points: [[0, below(5)]] });
      if (below(4) === 0) modules.reverse();
      const grown = modules.map((one) =>
        below(4) || !one.points ? one : { ...one, points: [...one.points, [below(9), 1]] }
      );
      const notes = [...document.notes.filter(() => below(6) > 0), { key: below(128) }];
      const after: Made = { modules: grown, notes, name: below(2) ? `n${round}` : undefined };
      const operations = JSON.parse(JSON.stringify(compare(document, after))) as Operation[];
      there = apply(there, operations);
      document = after;
      expect(there).toEqual(JSON.parse(JSON.stringify(after)));
      expect(treeOf(there)).toEqual(treeOf(after));
    }
  });
});

describe('overlap', () => {
  const set = (...at: string[]): Operation => ({ op: 'set', at, value: 1 });
  it('is of one field, or of a field inside what is removed, and not of neighbours', () => {
    expect(overlap(set('modules', '0', 'rate'), set('modules', '0', 'rate'))).toBe(true);
    expect(overlap(set('modules', '0', 'rate'), { op: 'remove', at: ['modules'], key: '0' })).toBe(true);
    expect(overlap({ op: 'unset', at: ['voice'] }, set('voice', 'signal'))).toBe(true);
    expect(overlap(set('modules', '0', 'rate'), set('modules', '0', 'shape'))).toBe(false);
    expect(overlap(set('modules', '0', 'rate'), { op: 'order', at: ['modules'], keys: [] })).toBe(false);
  });
});
