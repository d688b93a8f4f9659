import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Kept, Patch } from '../api/api';
import { Memory, named } from '../common/testing';

interface Draft {
  body: { document: Patch; sequence: number; replace: boolean; write: string; after: string[] };
}
type Answer = { data?: unknown; error?: unknown; response: { ok: boolean; status: number } };

const put = vi.fn<(path: string, draft: Draft) => Promise<Answer>>();
const post = vi.fn<(path: string, request: unknown) => Promise<Answer>>();
vi.mock('../api/api', async (original) => ({ ...(await original<object>()), api: { PUT: put, POST: post } }));

const kept = (sequence: number, patch: Patch, last_write: string | null = null, id = 'p1'): Kept =>
  ({ id, name: patch.name, sequence, saved_number: 1, unsaved: true, document: patch, last_write }) as unknown as Kept;
const good = (data: unknown): Answer => ({ data, response: { ok: true, status: 200 } });
const bad = (status: number): Answer => ({ error: { sentence: 'no' }, response: { ok: false, status } });

/** A store that keeps what it is given and counts. */
function working(from = 1): void {
  let sequence = from;
  put.mockImplementation((_, draft) => Promise.resolve(good(kept(++sequence, draft.body.document))));
}

/** The windows that live. */
let living = new Set<string>();

async function opened(patch = named('first'), of = kept(1, patch)) {
  const { DraftStore } = await import('./drafts.svelte');
  const drafts = new DraftStore(() => Promise.resolve(living));
  return { drafts, ...(await drafts.open(of)) };
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('localStorage', new Memory());
  vi.stubGlobal('sessionStorage', new Memory());
  living = new Set();
  put.mockReset();
  post.mockReset();
});

describe('keeping', () => {
  it('writes a pause after the last change, once, with the sequence last seen', async () => {
    working();
    const { drafts } = await opened();
    for (const name of ['a', 'b', 'c']) drafts.keep(named(name));
    expect(put).not.toHaveBeenCalled();
    expect(localStorage.length).toBe(1);
    await vi.advanceTimersByTimeAsync(300);
    expect(put.mock.calls.map(([, draft]) => [draft.body.document.name, draft.body.sequence])).toEqual([['c', 1]]);
    expect(drafts.state).toBe('kept');
    expect(localStorage.length).toBe(0);
  });

  it('writes what changed while it was writing, with the new sequence', async () => {
    const { drafts } = await opened();
    let answer: (value: Answer) => void = () => {};
    put.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep(named('b'));
    working(2);
    answer(good(kept(2, named('a'))));
    await vi.advanceTimersByTimeAsync(600);
    expect(put.mock.calls.map(([, draft]) => [draft.body.document.name, draft.body.sequence])).toEqual([
      ['a', 1],
      ['b', 2]
    ]);
    expect(drafts.state).toBe('kept');
  });

  it('goes on trying while nothing answers, and keeps the work meanwhile', async () => {
    const { drafts } = await opened();
    put.mockRejectedValue(new TypeError('no network'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(5000);
    expect(drafts.state).toBe('waiting');
    expect(put.mock.calls.length).toBeGreaterThan(2);
    expect(localStorage.length).toBe(1);
    working();
    await vi.advanceTimersByTimeAsync(2000);
    expect(drafts.state).toBe('kept');
    expect(localStorage.length).toBe(0);
  });

  it('saves a version only after the draft is kept', async () => {
    working();
    post.mockResolvedValue(good(kept(2, named('a'))));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await drafts.save('saved');
    expect(put).toHaveBeenCalledTimes(1);
    expect(put.mock.invocationCallOrder[0]).toBeLessThan(post.mock.invocationCallOrder[0]!);
  });

  it('refuses to save what cannot be kept', async () => {
    put.mockResolvedValue(bad(503));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await expect(drafts.save('saved')).rejects.toThrow('no');
    expect(post).not.toHaveBeenCalled();
  });
});

describe('two windows', () => {
  it('stops writing when another window was there, and keeps both', async () => {
    put.mockResolvedValue(bad(409));
    const { drafts } = await opened();
    drafts.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    expect(drafts.state).toBe('conflict');
    drafts.keep(named('mine still'));
    await vi.advanceTimersByTimeAsync(5000);
    expect(put).toHaveBeenCalledTimes(1);
    expect(drafts.mine?.name).toBe('mine still');
    working();
    await drafts.flush(true);
    expect(put.mock.lastCall?.[1].body.replace).toBe(true);
    expect(drafts.state).toBe('kept');
  });
});

describe('answers that are lost', () => {
  it('are asked for again under the same identity', async () => {
    const { drafts } = await opened();
    put.mockRejectedValueOnce(new TypeError('lost'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    working();
    await vi.advanceTimersByTimeAsync(2000);
    const [first, second] = put.mock.calls.map(([, draft]) => draft.body);
    expect(second!.write).toBe(first!.write);
    expect(drafts.state).toBe('kept');
  });

  it('are told of where the patch went on meanwhile', async () => {
    const { drafts } = await opened();
    put.mockRejectedValueOnce(new TypeError('lost'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep(named('b'));
    working(2);
    await vi.advanceTimersByTimeAsync(2000);
    const [first, second] = put.mock.calls.map(([, draft]) => draft.body);
    expect(second!.write).not.toBe(first!.write);
    expect(second!.after).toContain(first!.write);
    expect(second!.sequence).toBe(1);
  });

  it('are no conflict after a reload, where the store has that very write', async () => {
    put.mockRejectedValue(new TypeError('lost'));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    const { write } = put.mock.calls[0]![1].body;
    drafts.keep(named('b'));
    vi.resetModules();
    working(2);
    const again = await opened(named('a'), kept(2, named('a'), write));
    expect([again.left?.name, again.drafts.state]).toEqual(['b', 'keeping']);
    await vi.advanceTimersByTimeAsync(300);
    expect(put.mock.lastCall?.[1].body.sequence).toBe(2);
    expect(again.drafts.state).toBe('kept');
  });

  it('of a save are asked for again under the same identity', async () => {
    working();
    const { drafts } = await opened();
    post.mockRejectedValueOnce(new TypeError('lost'));
    await expect(drafts.save('saved')).rejects.toThrow();
    post.mockResolvedValue(good(kept(1, named('first'))));
    await drafts.save('saved');
    const [first, second] = post.mock.calls.map(([, request]) => (request as { body: { write: string } }).body.write);
    expect(second).toBe(first);
  });
});

describe('what the store will not take', () => {
  it('is said, and not tried again until it changes', async () => {
    put.mockResolvedValue(bad(507));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(10_000);
    expect(put).toHaveBeenCalledTimes(1);
    expect([drafts.state, drafts.trouble]).toEqual(['refused', 'no']);
    working();
    drafts.keep(named('b'));
    await vi.advanceTimersByTimeAsync(300);
    expect(drafts.state).toBe('kept');
  });
});

describe('several patches', () => {
  it('know nothing of each other’s conflicts, and what was left goes on being written', async () => {
    const { drafts } = await opened();
    let answer: (value: Answer) => void = () => {};
    put.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    await drafts.open(kept(1, named('other'), null, 'p2'));
    answer(bad(409));
    await vi.advanceTimersByTimeAsync(300);
    expect(drafts.state).toBe('kept');
    working();
    drafts.keep(named('other, changed'));
    await vi.advanceTimersByTimeAsync(300);
    expect(drafts.state).toBe('kept');
  });

  it('are written in the background where the store was away as they were left', async () => {
    const { drafts } = await opened();
    put.mockRejectedValue(new TypeError('no network'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    await drafts.open(kept(1, named('other'), null, 'p2'));
    working();
    await vi.advanceTimersByTimeAsync(2000);
    expect(put.mock.lastCall?.[1].body.document.name).toBe('a');
    expect([drafts.state, localStorage.length]).toEqual(['kept', 0]);
  });
});

describe('what an earlier window left', () => {
  const leave = (tab: string, name: string, sequence: number, at = Date.now()): void =>
    localStorage.setItem(`jorvik.draft.p1.${tab}`, JSON.stringify({ document: named(name), sequence, tried: [], at }));

  it('is taken up when its window is gone, and written', async () => {
    working();
    leave('other', 'left', 1);
    const { left } = await opened();
    expect(left?.name).toBe('left');
    await vi.advanceTimersByTimeAsync(300);
    expect(put.mock.lastCall?.[1].body.document.name).toBe('left');
  });

  it('is left alone while its window lives', async () => {
    living = new Set(['other']);
    leave('other', 'left', 1);
    expect((await opened()).left).toBeNull();
    expect(localStorage.length).toBe(1);
  });

  it('is a conflict when the store has moved on since', async () => {
    leave('other', 'left', 0);
    const { drafts, left } = await opened();
    expect(left).toBeNull();
    expect(drafts.state).toBe('conflict');
    expect(drafts.mine?.name).toBe('left');
  });

  it('is forgotten when the store has it already', async () => {
    leave('other', 'first', 1);
    const { drafts, left } = await opened();
    expect([left, drafts.state]).toEqual([null, 'kept']);
  });

  it('is dropped where it cannot be read, and stands in nobody’s way', async () => {
    for (const damaged of ['{"document":', '7', '{"document":{"format":"x"},"sequence":1}', 'null'])
      localStorage.setItem(`jorvik.draft.p1.${damaged.length}`, damaged);
    const { drafts, left } = await opened();
    expect([left, drafts.state, localStorage.length]).toEqual([null, 'kept', 0]);
  });

  it('is handed over where there is more than one, and forgotten only once it is kept', async () => {
    working();
    leave('older', 'older', 1, 1000);
    leave('newer', 'newer', 1, 2000);
    const { left, strays } = await opened();
    expect([left?.name, ...strays.map((stray) => stray.document.name)]).toEqual(['newer', 'older']);
    await vi.advanceTimersByTimeAsync(300);
    expect(localStorage.length).toBe(1);
    strays[0]!.forget();
    expect(localStorage.length).toBe(0);
  });
});
