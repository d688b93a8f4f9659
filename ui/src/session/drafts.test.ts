import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Kept, Patch } from '../api/api';
import { Memory, named } from '../common/testing';
import type { Operation } from './operations';

interface Edit {
  body: { operations: Operation[]; sequence: number; write: string };
}
type Answer = { data?: unknown; error?: unknown; response: { ok: boolean; status: number } };

const edit = vi.fn<(edit: Edit) => Promise<Answer>>();
const save = vi.fn<(request: unknown) => Promise<Answer>>();
const get = vi.fn<(path: string, request: unknown) => Promise<Answer>>();
vi.mock('../api/api', async (original) => ({
  ...(await original<object>()),
  api: {
    POST: (path: string, request: Edit) => (path.endsWith('/edits') ? edit(request) : save(request)),
    GET: get
  }
}));

const kept = (sequence: number, patch: Patch, last_write: string | null = null, id = 'p1'): Kept =>
  ({ id, name: patch.name, sequence, saved_number: 1, unsaved: true, document: patch, keys: {}, last_write }) as never;
const good = (data: unknown): Answer => ({ data, response: { ok: true, status: 200 } });
const bad = (status: number): Answer => ({ error: { sentence: 'no' }, response: { ok: false, status } });
const names = (): unknown[] =>
  edit.mock.calls.map(([{ body }]) => body.operations.map((each) => (each.op === 'set' ? each.value : each.op)).join());
const nameTo = (value: string): Operation => ({ op: 'set', at: ['name'], value, keys: {} });

/** A server that applies every edit and counts; `others` are edits that another window made before. */
function working(
  from = 1,
  others: { write: string; operations: Operation[] }[] | null = [],
  is_repeated = false
): void {
  let sequence = from;
  edit.mockImplementation(() => {
    const head = kept(++sequence, named('head'));
    return Promise.resolve(good({ head, is_repeated, others }));
  });
}

/** The windows that live. */
let living = new Set<string>();
const owner = { merged: vi.fn<(patch: Patch) => void>(), refused: vi.fn<(patch: Patch, sentence: string) => void>() };

async function opened(patch = named('first'), of = kept(1, patch)) {
  const { DraftStore } = await import('./drafts.svelte');
  const drafts = new DraftStore<Patch>(owner, 'patches', () => Promise.resolve(living));
  return { drafts, ...(await drafts.open(of)) };
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('localStorage', new Memory());
  living = new Set();
  for (const each of [edit, save, get, owner.merged, owner.refused]) each.mockReset();
});

describe('an edit', () => {
  it('is sent a pause after the last change, once, as the operations that lead to it', async () => {
    working();
    const { drafts } = await opened();
    for (const name of ['a', 'b', 'c']) drafts.keep(named(name));
    expect(edit).not.toHaveBeenCalled();
    expect(localStorage.length).toBe(1);
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.calls.map(([{ body }]) => [body.operations, body.sequence])).toEqual([[[nameTo('c')], 1]]);
    expect([drafts.state, localStorage.length]).toEqual(['kept', 0]);
  });

  it('that goes on for long is sent on its way, at most 250 ms after it was made', async () => {
    working();
    const { drafts } = await opened();
    for (let step = 1; step <= 40; step++) {
      drafts.keep({ ...named('first'), notes: `${step}` });
      await vi.advanceTimersByTimeAsync(50);
      const sent = Number(names().at(-1) ?? 0);
      expect(step - sent).toBeLessThanOrEqual(5);
    }
    await vi.advanceTimersByTimeAsync(250);
    expect(names().at(-1)).toBe('40');
    expect(edit.mock.calls.length).toBeLessThanOrEqual(9);
  });

  it('is not sent where it was taken back before', async () => {
    const first = named('first');
    const { drafts } = await opened(first);
    drafts.keep(named('a'));
    drafts.keep(named('first'));
    await vi.advanceTimersByTimeAsync(300);
    expect([edit.mock.calls.length, drafts.state, localStorage.length]).toEqual([0, 'kept', 0]);
  });

  it('made while another is sent follows it, from the document after that', async () => {
    const { drafts } = await opened();
    let answer: (value: Answer) => void = () => {};
    edit.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep({ ...named('a'), notes: 'more' });
    working(2);
    answer(good({ head: kept(2, named('a')), is_repeated: false, others: [] }));
    await vi.advanceTimersByTimeAsync(600);
    expect(names()).toEqual(['a', 'more']);
    expect(edit.mock.lastCall?.[0].body.sequence).toBe(2);
    expect(drafts.state).toBe('kept');
  });

  it('is sent again and again while nothing answers, under one identity, and lies in the browser', async () => {
    const { drafts } = await opened();
    edit.mockRejectedValue(new TypeError('no network'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep(named('b'));
    await vi.advanceTimersByTimeAsync(5000);
    expect(drafts.state).toBe('waiting');
    expect(new Set(edit.mock.calls.map(([{ body }]) => body.write)).size).toBe(1);
    expect(new Set(names())).toEqual(new Set(['a']));
    expect(localStorage.length).toBe(1);
    working();
    await vi.advanceTimersByTimeAsync(3000);
    expect(names().at(-1)).toBe('b');
    expect([drafts.state, localStorage.length]).toEqual(['kept', 0]);
  });

  it('that the server had applied, its answer lost, is followed by what came after it', async () => {
    const { drafts } = await opened();
    edit.mockRejectedValueOnce(new TypeError('lost'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep({ ...named('a'), notes: 'more' });
    working(1, [], true);
    get.mockResolvedValue(good(kept(2, named('a'))));
    await vi.advanceTimersByTimeAsync(1600);
    working(2);
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.lastCall?.[0].body.operations).toEqual([{ op: 'set', at: ['notes'], value: 'more', keys: {} }]);
    expect(drafts.state).toBe('kept');
    expect(owner.merged).not.toHaveBeenCalled();
  });

  it('that the server refuses is said, and not sent again until it changes', async () => {
    edit.mockResolvedValue(bad(507));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(10_000);
    expect(edit).toHaveBeenCalledTimes(1);
    expect([drafts.state, drafts.trouble]).toEqual(['refused', 'no']);
    working();
    drafts.keep(named('b'));
    await vi.advanceTimersByTimeAsync(300);
    expect(drafts.state).toBe('kept');
  });
});

describe('an edit under keys that the server does not have', () => {
  it('is sent again under the keys that it has', async () => {
    const modules = [
      { id: 'a', kind: 'lfo' as const, rate: 1 },
      { id: 'b', kind: 'lfo' as const, rate: 1 }
    ];
    const { drafts } = await opened({ ...named('first'), modules });
    edit.mockResolvedValueOnce(bad(422));
    const there = { ...kept(1, JSON.parse(JSON.stringify({ ...named('first'), modules })) as Patch) };
    get.mockResolvedValue(good({ ...there, keys: { in: { modules: { keys: ['x', 'y'] } } } }));
    drafts.keep({ ...named('first'), modules: [modules[0]!, { ...modules[1]!, rate: 2 }] });
    await vi.advanceTimersByTimeAsync(260);
    working();
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.calls.map(([{ body }]) => body.operations[0]!.at[1])).toEqual(['1', 'y']);
    expect(drafts.state).toBe('kept');
  });
});

describe('two windows', () => {
  const theirs = { write: 'theirs', operations: [{ op: 'set', at: ['notes'], value: 'theirs' } as Operation] };

  it('have both edits where they changed different fields', async () => {
    const { drafts } = await opened();
    working(2, [theirs]);
    drafts.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    expect(owner.merged.mock.calls).toEqual([[{ ...named('mine'), notes: 'theirs' }]]);
    expect(drafts.state).toBe('kept');
    working(3);
    drafts.keep({ ...named('mine again'), notes: 'theirs' });
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.lastCall?.[0].body.operations).toEqual([nameTo('mine again')]);
  });

  it('merge what this one did while its edit was sent', async () => {
    const { drafts } = await opened();
    let answer: (value: Answer) => void = () => {};
    edit.mockImplementationOnce(() => new Promise((resolve) => (answer = resolve)));
    drafts.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    drafts.keep({ ...named('mine'), tags: ['x'] });
    answer(good({ head: kept(3, named('mine')), is_repeated: false, others: [theirs] }));
    await vi.advanceTimersByTimeAsync(0);
    expect(owner.merged.mock.lastCall).toEqual([{ ...named('mine'), notes: 'theirs', tags: ['x'] }]);
    working(3);
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.lastCall?.[0].body.operations).toEqual([{ op: 'set', at: ['tags'], value: ['x'], keys: {} }]);
  });

  it('read the whole document where the edits of the other are too many', async () => {
    const { drafts } = await opened();
    working(300, null);
    get.mockResolvedValue(good(kept(301, { ...named('mine'), notes: 'theirs' })));
    drafts.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    expect(owner.merged.mock.lastCall).toEqual([{ ...named('mine'), notes: 'theirs' }]);
    expect(drafts.head?.sequence).toBe(301);
  });

  it('drop an edit of what the other removed, and show the document as it is', async () => {
    const { drafts } = await opened();
    edit.mockResolvedValue(bad(422));
    get.mockResolvedValue(good(kept(2, named('theirs'))));
    drafts.keep(named('mine'));
    await vi.advanceTimersByTimeAsync(300);
    expect(owner.refused.mock.calls).toEqual([[named('theirs'), 'no']]);
    expect([drafts.state, localStorage.length]).toEqual(['kept', 0]);
  });

  it('show what the other did when they are looked at again, under edits that are not sent', async () => {
    const { drafts } = await opened();
    get.mockResolvedValueOnce(good([]));
    await drafts.catchUp();
    expect(owner.merged).not.toHaveBeenCalled();
    drafts.keep(named('mine'));
    get.mockResolvedValueOnce(good([{ sequence: 2, ...theirs }]));
    await drafts.catchUp();
    expect(owner.merged.mock.lastCall).toEqual([{ ...named('mine'), notes: 'theirs' }]);
    working(2);
    await vi.advanceTimersByTimeAsync(300);
    expect(edit.mock.calls.map(([{ body }]) => [body.operations, body.sequence])).toEqual([[[nameTo('mine')], 2]]);
    get.mockRejectedValueOnce(new TypeError('no network'));
    await drafts.catchUp();
    expect(drafts.state).toBe('kept');
  });

  it('save a version that has the last edit of the other, and show it', async () => {
    const { drafts } = await opened();
    save.mockResolvedValueOnce(bad(409)).mockResolvedValueOnce(good(kept(2, named('theirs'))));
    get.mockResolvedValue(good(kept(2, named('theirs'))));
    await drafts.save('saved');
    expect(save.mock.calls.map(([request]) => (request as Edit).body.sequence)).toEqual([1, 2]);
    expect(owner.merged.mock.lastCall).toEqual([named('theirs')]);
  });
});

describe('a version', () => {
  it('is saved only after the draft is kept', async () => {
    working();
    save.mockResolvedValue(good(kept(2, named('a'))));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await drafts.save('saved');
    expect(edit).toHaveBeenCalledTimes(1);
    expect(edit.mock.invocationCallOrder[0]).toBeLessThan(save.mock.invocationCallOrder[0]!);
  });

  it('is not saved of what cannot be kept', async () => {
    edit.mockResolvedValue(bad(503));
    const { drafts } = await opened();
    drafts.keep(named('a'));
    await expect(drafts.save('saved')).rejects.toThrow('no');
    expect(save).not.toHaveBeenCalled();
  });

  it('whose answer is lost is asked for again under the same identity', async () => {
    const { drafts } = await opened();
    save.mockRejectedValueOnce(new TypeError('lost'));
    await expect(drafts.save('saved')).rejects.toThrow();
    save.mockResolvedValue(good(kept(1, named('first'))));
    await drafts.save('saved');
    const [first, second] = save.mock.calls.map(([request]) => (request as Edit).body.write);
    expect(second).toBe(first);
  });
});

describe('several patches', () => {
  it('have states of their own, and edits of one that was left go on being sent', async () => {
    const { drafts } = await opened();
    edit.mockRejectedValue(new TypeError('no network'));
    drafts.keep(named('a'));
    await vi.advanceTimersByTimeAsync(300);
    await drafts.open(kept(1, named('other'), null, 'p2'));
    expect(drafts.state).toBe('kept');
    working();
    await vi.advanceTimersByTimeAsync(2000);
    expect(names().at(-1)).toBe('a');
    expect([drafts.state, localStorage.length]).toEqual(['kept', 0]);
  });
});

describe('edits that an earlier window left', () => {
  const leave = (tab: string, stored: object): void =>
    localStorage.setItem(`jorvik.draft.p1.${tab}`, JSON.stringify({ at: 1, ...stored }));
  const left = { sequence: 1, sent: null, operations: [nameTo('left')] };

  it('are restored when its window is gone, and sent', async () => {
    working();
    leave('other', left);
    const { document, isRestored } = await opened();
    expect([document.name, isRestored]).toEqual(['left', true]);
    await vi.advanceTimersByTimeAsync(300);
    expect(names()).toEqual(['left']);
    expect(localStorage.length).toBe(0);
  });

  it('are left alone while its window lives', async () => {
    living = new Set(['other']);
    leave('other', left);
    expect((await opened()).isRestored).toBe(false);
    expect(localStorage.length).toBe(1);
  });

  it('of several windows all stand, and the earlier of one field is offered', async () => {
    leave('b', { ...left, at: 2 });
    const notes: Operation = { op: 'set', at: ['notes'], value: 'n' };
    leave('a', { ...left, operations: [nameTo('earlier'), notes] });
    const { document, notApplied } = await opened();
    expect(document).toEqual({ ...named('left'), notes: 'n' });
    notApplied!.apply();
    expect(owner.merged.mock.lastCall).toEqual([{ ...named('earlier'), notes: 'n' }]);
  });

  it('are restored where only they themselves came to the server since', async () => {
    const more: Operation = { op: 'set', at: ['notes'], value: 'n' };
    leave('other', { sequence: 1, sent: { write: 'w1', operations: [nameTo('sent')] }, operations: [more] });
    get.mockResolvedValue(good([{ sequence: 2, write: 'w1', operations: [nameTo('sent')] }]));
    const { document, notApplied } = await opened(named('sent'), kept(2, named('sent')));
    expect([document, notApplied]).toEqual([{ ...named('sent'), notes: 'n' }, null]);
  });

  it('of a field that others changed since are not applied until that is asked for', async () => {
    working(3);
    const notes: Operation = { op: 'set', at: ['notes'], value: 'left' };
    leave('other', { ...left, operations: [nameTo('left'), notes] });
    get.mockResolvedValue(good([{ sequence: 2, write: 'w9', operations: [nameTo('theirs')] }]));
    const { document, notApplied } = await opened(named('theirs'), kept(2, named('theirs')));
    expect(document).toEqual({ ...named('theirs'), notes: 'left' });
    await vi.advanceTimersByTimeAsync(300);
    // They wait in the browser, also over another load, until they are applied.
    const again = await opened(document, kept(3, document));
    expect([again.document, again.isRestored]).toEqual([document, false]);
    again.notApplied!.apply();
    expect(owner.merged.mock.lastCall).toEqual([{ ...named('left'), notes: 'left' }]);
    await vi.advanceTimersByTimeAsync(300);
    expect(names().at(-1)).toBe('left');
    expect(localStorage.length).toBe(0);
    expect(notApplied).not.toBeNull();
  });

  it('as documents, by an earlier version, are imported', async () => {
    working();
    leave('other', { document: named('whole'), sequence: 1, tried: [] });
    expect((await opened()).document.name).toBe('whole');
    await vi.advanceTimersByTimeAsync(300);
    leave('third', { document: named('answer lost'), sequence: 1, tried: ['w1'] });
    expect((await opened(named('sent'), kept(2, named('sent'), 'w1'))).document.name).toBe('answer lost');
    await vi.advanceTimersByTimeAsync(300);
    leave('fourth', { document: named('of another base'), sequence: 0, tried: [] });
    const { document, notApplied } = await opened(named('theirs'), kept(7, named('theirs')));
    expect(document.name).toBe('theirs');
    notApplied!.apply();
    expect(owner.merged.mock.lastCall![0].name).toBe('of another base');
  });

  it('are removed where the server has them already, and where they cannot be read', async () => {
    leave('other', { ...left, operations: [nameTo('first')] });
    for (const damaged of ['{"document":', '7', '{"document":{"format":"x"},"sequence":1}', 'null'])
      localStorage.setItem(`jorvik.draft.p1.${damaged.length}`, damaged);
    const { drafts, isRestored } = await opened();
    expect([isRestored, drafts.state, localStorage.length]).toEqual([false, 'kept', 0]);
  });
});
