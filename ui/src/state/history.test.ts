import { IDBFactory, IDBObjectStore } from 'fake-indexeddb';
import 'fake-indexeddb/auto';
import { beforeEach, describe, expect, it, vi } from 'vitest';
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
    expect(steps.back()).toEqual(b);
    expect([steps.undoLabel, steps.redoLabel]).toEqual(['first', 'second']);
    expect(steps.forth()).toEqual(c);
    expect(steps.forth()).toBeUndefined();
    steps.back();
    steps.back();
    expect(steps.back()).toBeUndefined();
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
    steps.back();
    steps.add('other', a, c);
    expect(steps.redoLabel).toBe('');
    expect(steps.back()).toEqual(a);
  });

  it('become one where a drag goes on, and two where it rests', async () => {
    const steps = await fresh();
    steps.add('attack 90 ms', a, b, 'drag attack');
    vi.advanceTimersByTime(1000);
    steps.add('attack 95 ms', b, c, 'drag attack');
    expect(steps.undoLabel).toBe('attack 95 ms');
    expect(steps.back()).toEqual(a);
    steps.forth();
    vi.advanceTimersByTime(1500);
    steps.add('attack 80 ms', c, b, 'drag attack');
    expect(steps.back()).toEqual(c);
  });

  it('are never merged into one that was done again', async () => {
    const steps = await fresh();
    steps.add('drag', a, b, 'drag');
    steps.back();
    steps.forth();
    steps.add('drag on', b, c, 'drag');
    expect(steps.back()).toEqual(b);
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
    const again = await fresh(named('n59'));
    for (let i = 59; i >= 0; i--) {
      expect(again.undoLabel).toBe(`to n${i}`);
      again.back();
    }
    expect(again.undoLabel).toBe('');
  });

  it('come from the tab itself where the database took nothing', async () => {
    works = false;
    (await fresh()).add('first', a, b);
    dispatchEvent(new Event('pagehide'));
    expect((await fresh(b)).undoLabel).toBe('first');
  });

  it('are left out where the patch was changed elsewhere meanwhile', async () => {
    const steps = await fresh();
    steps.add('first', a, b);
    await steps.write();
    expect((await fresh(c)).undoLabel).toBe('');
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
    expect(again.back()).toEqual(b);
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
    const { openDB } = await import('idb');
    const old = await openDB('keyval-store', 1, { upgrade: (made) => void made.createObjectStore('keyval') });
    await old.put('keyval', [[{ label: 'old', before: a, after: b, merge: '', at: 0 }], []], 'steps p1');
    old.close();
    expect((await fresh(b)).undoLabel).toBe('old');
  });

  it('forget a change that was refused', async () => {
    const steps = await fresh();
    steps.add('good', a, b);
    steps.add('refused', b, c);
    steps.forget(c);
    expect(steps.undoLabel).toBe('good');
  });
});
