import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Kept, Patch } from './api';
import { Memory, named } from './testing';

interface Draft {
  body: { document: Patch; sequence: number; replace: boolean };
}
type Answer = { data?: unknown; error?: unknown; response: { ok: boolean; status: number } };

const put = vi.fn<(path: string, draft: Draft) => Promise<Answer>>();
const post = vi.fn<(path: string, request: unknown) => Promise<Answer>>();
vi.mock('./api', async (original) => ({ ...(await original<object>()), api: { PUT: put, POST: post } }));

const kept = (sequence: number, patch: Patch): Kept =>
  ({ id: 'p1', name: patch.name, sequence, saved_number: 1, unsaved: true, document: patch }) as unknown as Kept;
const good = (data: unknown): Answer => ({ data, response: { ok: true, status: 200 } });
const bad = (status: number): Answer => ({ error: { sentence: 'no' }, response: { ok: false, status } });

/** A store that keeps what it is given and counts. */
function working(from = 1): void {
  let sequence = from;
  put.mockImplementation((_, draft) => Promise.resolve(good(kept(++sequence, draft.body.document))));
}

async function opened(patch = named('first')) {
  const { Keeper } = await import('./keeper.svelte');
  const keeper = new Keeper();
  return { keeper, left: keeper.open(kept(1, patch)) };
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('localStorage', new Memory());
  vi.stubGlobal('sessionStorage', new Memory());
  put.mockReset();
  post.mockReset();
});

describe('keeping', () => {
  it('writes a pause after the last change, once, with the sequence last seen', async () => {
    working();
    const { keeper } = await opened();
    for (const name of ['a', 'b', 'c']) keeper.keep(named(name));
    expect(put).not.toHaveBeenCalled();
    expect(localStorage.length).toBe(1);
    await vi.advanceTimersByTimeAsync(300);
    expect(put.mock.calls.map(([, draft]) => [draft.body.document.name, draft.body.sequence])).toEqual([['c', 1]]);
    expect(keeper.state).toBe('kept');
    expect(localStorage.length).toBe(0);
  });

  it('writes what changed while it was writing, with the new sequence', async () => {
    const { keeper } = await opened();
    let answer: (value: Answer) => void = () => {};
    put.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    keeper.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    keeper.keep(named('b'));
    working(2);
    answer(good(kept(2, named('a'))));
    await vi.advanceTimersByTimeAsync(600);
    expect(put.mock.calls.map(([, draft]) => [draft.body.document.name, draft.body.sequence])).toEqual([
      ['a', 1],
      ['b', 2]
    ]);
    expect(keeper.state).toBe('kept');
  });

  it('goes on trying while nothing answers, and keeps the work meanwhile', async () => {
    const { keeper } = await opened();
    put.mockRejectedValue(new TypeError('no network'));
    keeper.keep(named('a'));
    await vi.advanceTimersByTimeAsync(5000);
    expect(keeper.state).toBe('waiting');
    expect(put.mock.calls.length).toBeGreaterThan(2);
    expect(localStorage.length).toBe(1);
    working();
    await vi.advanceTimersByTimeAsync(2000);
    expect(keeper.state).toBe('kept');
    expect(localStorage.length).toBe(0);
  });

  it('saves a version only after the draft is kept', async () => {
    working();
    post.mockResolvedValue(good(kept(2, named('a'))));
    const { keeper } = await opened();
    keeper.keep(named('a'));
    await keeper.save('saved');
    expect(put).toHaveBeenCalledTimes(1);
    expect(put.mock.invocationCallOrder[0]).toBeLessThan(post.mock.invocationCallOrder[0]!);
  });

  it('refuses to save what cannot be kept', async () => {
    put.mockResolvedValue(bad(503));
    const { keeper } = await opened();
    keeper.keep(named('a'));
    await expect(keeper.save('saved')).rejects.toThrow('no');
    expect(post).not.toHaveBeenCalled();
  });
});

describe('two windows', () => {
  it('stops writing when another window was there, and keeps both', async () => {
    put.mockResolvedValue(bad(409));
    const { keeper } = await opened();
    keeper.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    expect(keeper.state).toBe('conflict');
    keeper.keep(named('mine still'));
    await vi.advanceTimersByTimeAsync(5000);
    expect(put).toHaveBeenCalledTimes(1);
    expect(keeper.mine?.name).toBe('mine still');
    working();
    await keeper.flush(true);
    expect(put.mock.lastCall?.[1].body.replace).toBe(true);
    expect(keeper.state).toBe('kept');
  });
});

describe('what an earlier window left', () => {
  const leave = (tab: string, name: string, sequence: number, at: number): void =>
    localStorage.setItem(`jorvik.draft.p1.${tab}`, JSON.stringify({ document: named(name), sequence, at }));

  it('is taken up when its window is gone, and written', async () => {
    working();
    leave('other', 'left', 1, Date.now() - 60_000);
    const { left } = await opened();
    expect(left?.name).toBe('left');
    await vi.advanceTimersByTimeAsync(300);
    expect(put.mock.lastCall?.[1].body.document.name).toBe('left');
  });

  it('is left alone while its window lives', async () => {
    leave('other', 'left', 1, Date.now());
    expect((await opened()).left).toBeNull();
    expect(localStorage.length).toBe(1);
  });

  it('is a conflict when the store has moved on since', async () => {
    leave('other', 'left', 0, Date.now() - 60_000);
    const { keeper, left } = await opened();
    expect(left).toBeNull();
    expect(keeper.state).toBe('conflict');
    expect(keeper.mine?.name).toBe('left');
  });

  it('is forgotten when the store has it already', async () => {
    leave('other', 'first', 1, Date.now() - 60_000);
    const { keeper, left } = await opened();
    expect([left, keeper.state]).toEqual([null, 'kept']);
  });
});
