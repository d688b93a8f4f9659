import { IDBFactory, IDBObjectStore } from 'fake-indexeddb';
import 'fake-indexeddb/auto';
import { openDB } from 'idb';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { Memory, named } from '../common/testing';

let works = true;
let writes: unknown[];

const [a, b, c] = [named('a'), named('b'), named('c')];

async function fresh(patch = a) {
  const { History } = await import('./history.svelte');
  const steps = new History();
  await steps.open('p1', patch);
  return steps;
}

beforeEach(() => {
  works = true;
  writes = [];
  const factory = new IDBFactory();
  const open = factory.open.bind(factory);
  factory.open = (...asked) => {
    if (!works) throw new Error('no');
    return open(...asked);
  };
  vi.stubGlobal('indexedDB', factory);
  vi.resetModules();
  const put = IDBObjectStore.prototype.put;
  vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(function (this: IDBObjectStore, ...given) {
    writes.push(given[1]);
    return put.apply(this, given);
  });
  const heard = new EventTarget();
  vi.stubGlobal('addEventListener', heard.addEventListener.bind(heard));
  vi.stubGlobal('dispatchEvent', heard.dispatchEvent.bind(heard));
  // What the database waits by goes on.
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'Date'] });
  vi.stubGlobal('sessionStorage', new Memory());
  return () => {
    vi.useRealTimers();
    vi.restoreAllMocks();
  };
});

describe('steps', () => {
  it('go back and forth, each under its name', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    steps.add('second', b, c);
    expect(steps.undoLabel).toBe('second');
    expect(steps.back(c)).toEqual(b);
    expect([steps.undoLabel, steps.redoLabel]).toEqual(['first', 'second']);
    expect(steps.forth(b)).toEqual(c);
    expect(steps.forth(c)).toBeUndefined();
    expect(steps.back(steps.back(c)!)).toEqual(a);
    expect(steps.back(a)).toBeUndefined();
  });

  it('take back the edits of this window only', async () => {
    const steps = await fresh({ ...a, tags: ['x'] });
    steps.add('name', { ...a, tags: ['x'] }, { ...b, tags: ['x'] });
    const merged = { ...b, tags: ['x', 'theirs'], notes: 'theirs' };
    expect(steps.back(merged)).toEqual({ ...a, tags: ['x', 'theirs'], notes: 'theirs' });
    expect(steps.forth({ ...a, notes: 'theirs' })).toEqual({ ...b, notes: 'theirs' });
  });

  it('leave out what another window removed meanwhile', async () => {
    const [lfo, env] = [
      { id: 'lfo', kind: 'lfo' as const, rate: 1 },
      { id: 'env', kind: 'envelope' as const }
    ];
    const both = { ...a, modules: [lfo, env] };
    const faster = { ...b, modules: [{ ...lfo, rate: 2 }, env] };
    const steps = await fresh(both);
    steps.add('faster', both, faster);
    const theirs = { ...faster, modules: [env] };
    const { compare } = await import('./operations');
    compare(faster, theirs);
    expect(steps.back(theirs)).toEqual({ ...a, modules: [env] });
  });

  it('tell what one part was before, the latest first', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    steps.add('second', b, c);
    steps.add('back', c, b);
    expect(steps.earlier((patch) => patch.name, 'b')).toEqual(['c', 'a']);
    expect(steps.earlier(() => 1, 1)).toEqual([]);
  });

  it('end what could have been done again when something else is done', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    steps.back(b);
    steps.add('other', a, c);
    expect(steps.redoLabel).toBe('');
    expect(steps.back(c)).toEqual(a);
  });

  it('become one where a drag goes on, and two where it rests', async () => {
    const steps = await fresh();
    steps.add('attack 90 ms', a, b, 'drag attack');
    vi.advanceTimersByTime(1000);
    steps.add('attack 95 ms', b, c, 'drag attack');
    expect(steps.undoLabel).toBe('attack 95 ms');
    expect(steps.back(c)).toEqual(a);
    steps.forth(a);
    vi.advanceTimersByTime(1500);
    steps.add('attack 80 ms', c, b, 'drag attack');
    expect(steps.back(b)).toEqual(c);
  });

  it('are never merged into one that was done again', async () => {
    const steps = await fresh();
    steps.add('drag', a, b, 'drag');
    steps.back(b);
    steps.forth(a);
    steps.add('drag on', b, c, 'drag');
    expect(steps.back(c)).toEqual(b);
  });

  it('are recalled after a reload, all of them', async () => {
    const steps = await fresh();
    let before = a;
    for (let i = 0; i < 60; i++) {
      const after = named(`n${i}`);
      steps.add(`to n${i}`, before, after);
      before = after;
    }
    await steps.write();
    let now: Patch = named('n59');
    const again = await fresh(now);
    expect(again.earlier((patch) => patch.name, 'n59')).toHaveLength(60);
    for (let i = 59; i >= 0; i--) {
      expect([again.undoLabel, now.name]).toEqual([`to n${i}`, `n${i}`]);
      now = again.back(now)!;
    }
    expect(now).toEqual(a);
    expect(again.undoLabel).toBe('');
  });

  it('come from the tab itself where the database took nothing', async () => {
    works = false;
    (await fresh()).add('first', a, b);
    dispatchEvent(new Event('pagehide'));
    expect((await fresh(b)).undoLabel).toBe('first');
  });

  it('are recalled where the patch was changed elsewhere meanwhile', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    await steps.write();
    const theirs = { ...b, notes: 'theirs' };
    expect((await fresh(theirs)).back(theirs)).toEqual({ ...a, notes: 'theirs' });
  });

  it('are written once a drag has rested, and each step alone', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    await steps.write();
    writes.length = 0;
    for (let i = 0; i < 200; i++) steps.add('drag', b, named(`n${i}`), 'drag');
    expect(writes).toEqual([]);
    await vi.advanceTimersByTimeAsync(500);
    await vi.waitFor(() => expect(writes.length).toBe(2));
    expect(writes).toEqual([expect.stringMatching(/^step p1 /), 'steps p1']);
    expect((await fresh(named('n199'))).undoLabel).toBe('drag');
  });

  it('that were put aside as the page went follow those that were written', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    await steps.write();
    steps.add('second', b, c);
    dispatchEvent(new Event('pagehide'));
    const again = await fresh(c);
    expect(again.undoLabel).toBe('second');
    expect(again.back(c)).toEqual(b);
    expect(again.undoLabel).toBe('first');
  });

  it('are put aside where the page goes in the middle of their writing', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    const writing = steps.write();
    dispatchEvent(new Event('pagehide'));
    await writing;
    vi.stubGlobal('indexedDB', new IDBFactory());
    vi.resetModules();
    expect((await fresh(b)).undoLabel).toBe('first');
  });

  it('are recalled as they were written once, all in one', async () => {
    const old = await openDB('keyval-store', 1, { upgrade: (made) => void made.createObjectStore('keyval') });
    const step = (label: string, before: Patch, after: Patch) => ({ label, before, after, merge: '', at: 0 });
    await old.put('keyval', [[step('first', a, b), step('old', b, c)], [step('undone', c, a)]], 'steps p1');
    old.close();
    const steps = await fresh(c);
    expect([steps.undoLabel, steps.redoLabel]).toEqual(['old', 'undone']);
    expect(steps.back(steps.back(c)!)).toEqual(a);
  });

  it('are recalled as they were written before operations, a record each', async () => {
    const old = await openDB('keyval-store', 1, { upgrade: (made) => void made.createObjectStore('keyval') });
    await old.put('keyval', { label: 'old', before: a, after: b, merge: '', at: 0 }, 'step p1 abc');
    await old.put('keyval', { done: ['step p1 abc'], undone: [] }, 'steps p1');
    old.close();
    const steps = await fresh(b);
    expect([steps.undoLabel, steps.back(b)]).toEqual(['old', a]);
  });

  it('of documents that lead elsewhere are left out', async () => {
    const old = await openDB('keyval-store', 1, { upgrade: (made) => void made.createObjectStore('keyval') });
    await old.put('keyval', [[{ label: 'old', before: a, after: b, merge: '', at: 0 }], []], 'steps p1');
    old.close();
    expect((await fresh(c)).undoLabel).toBe('');
  });

  it('forget a change that was refused', async () => {
    const steps = await fresh();
    steps.add('good', a, b);
    steps.add('refused', b, c);
    steps.forget(c);
    expect(steps.undoLabel).toBe('good');
  });
});
