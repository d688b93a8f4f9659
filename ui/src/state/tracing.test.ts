import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { awaited, named } from '../common/testing';
import { sessionOf, sheetOf } from '../session/testing';
import type { Traced } from './tracing.svelte';

interface Body {
  document: Patch;
  from_s: number;
  to_s: number | null;
}
type Answer = { data: object; response: { ok: boolean; status: number } };
/** Ghosts that are asked for by their documents. */
const asked: { body: Body; answer: ReturnType<typeof awaited<Answer>> }[] = [];
const post = (_path: string, { body }: { body: Body }): Promise<unknown> => {
  const answer = awaited<Answer>();
  asked.push({ body, answer });
  return answer.promise;
};
vi.mock('../api/api', async (original) => ({
  ...(await original<object>()),
  api: { POST: (path: string, given: { body: Body }) => post(path, given) }
}));

const sheet = (from_s = 0, to_s = 2): Answer => ({
  data: { seconds: 2, from_s, to_s, starts_s: '', signals: {}, lanes: {}, overlays: [], notes: [] },
  response: { ok: true, status: 200 }
});
const at = (name: string, velocity: number): Patch => ({ ...named(name), performance: { notes: [{ velocity }] } });

async function fresh() {
  const { Tracing } = await import('./tracing.svelte');
  const of: Traced & { patch: Patch | null } = {
    patch: at('open', 80),
    performed: {},
    pinned: [],
    traced: vi.fn(),
    refused: vi.fn()
  };
  const { session, sent } = sessionOf();
  const tracing = new Tracing(of, session);
  tracing.columns = 100;
  /** Answers the newest document with a sheet. */
  const answer = (from_s = 0, to_s = 2): void => {
    const newest = [...sent.messages].reverse().find((message) => 'revision' in message)!;
    session.message(sheetOf((newest as { revision: number }).revision, from_s, to_s), []);
  };
  return { of, tracing, session, sent, answer };
}

const rest = (): Promise<unknown> => vi.advanceTimersByTimeAsync(1);

beforeEach(() => {
  asked.length = 0;
  vi.useFakeTimers();
  return () => vi.useRealTimers();
});

describe('the sheet', () => {
  it('is of the document that the answer is of, and old until its own answer comes', async () => {
    const { of, tracing, sent, answer } = await fresh();
    tracing.open();
    answer();
    expect(of.traced).toHaveBeenCalledExactlyOnceWith(of.patch, of.performed);
    expect(tracing.isOld).toBe(false);
    of.patch = { ...of.patch!, name: 'second' };
    expect(tracing.isOld).toBe(true);
    tracing.ask();
    expect(sent.messages.at(-1)).toMatchObject({ type: 'edit', operations: [{ value: 'second' }] });
    expect(tracing.isOld).toBe(true);
    answer();
    expect(tracing.isOld).toBe(false);
  });

  it('of the patch before is nobody’s once another is opened', async () => {
    const { of, tracing, session, sent } = await fresh();
    tracing.open();
    const [first] = sent.take('open');
    of.patch = named('another');
    tracing.open();
    session.message(sheetOf(first!.revision), []);
    expect(of.traced).not.toHaveBeenCalled();
    session.message(sheetOf(sent.take('open')[0]!.revision), []);
    expect(of.traced).toHaveBeenCalledExactlyOnceWith(of.patch, expect.anything());
  });

  it('tells the server what it shows before the edit that is shown so', async () => {
    const { of, tracing, sent, answer } = await fresh();
    tracing.open();
    answer();
    sent.messages = [];
    of.patch = { ...of.patch!, name: 'second' };
    tracing.allThree = true;
    tracing.ask();
    expect(sent.messages.map(({ type }) => type)).toEqual(['view', 'edit']);
    expect(sent.take('view')[0]!.view.velocities).toEqual([40, 118]);
    tracing.zoom(0.5, 1);
    expect(sent.take('view')[0]!.view).toMatchObject({ from_s: 0.5, to_s: 1 });
  });

  it('says why there is none, until there is one', async () => {
    const { of, tracing, session, sent, answer } = await fresh();
    tracing.open();
    session.lost();
    expect(tracing.failure).toContain('does not answer');
    session.opened();
    answer();
    expect(tracing.failure).toBe('');
    const refused = { type: 'refused', revision: sent.take('open').at(-1)!.revision, sentence: 'no' } as const;
    session.message(refused, []);
    expect(of.refused).toHaveBeenCalledExactlyOnceWith(of.patch, 'no', of.performed);
  });
});

describe('a ghost', () => {
  async function shown() {
    const all = await fresh();
    all.tracing.open();
    all.answer(0.5, 1.5);
    return all;
  }

  it('is traced at the note that is played, over what the sheet shows', async () => {
    const { tracing } = await shown();
    tracing.hold('as it was', at('was', 30));
    expect(asked[0]!.body).toMatchObject({ document: at('was', 80), from_s: 0.5, to_s: 1.5 });
  });

  it('keeps its own note where it was held for that', async () => {
    const { of, tracing } = await shown();
    tracing.hold('velocity 118', at('open', 118), {});
    expect(asked[0]!.body.document).toEqual(at('open', 118));
    expect(tracing.behind(of.patch!)).toEqual(at('open', 118));
  });

  it('stays the same object until it or the note changes, so that its sound is made once', async () => {
    const { of, tracing } = await shown();
    tracing.hold('as it was', at('was', 30));
    const first = tracing.behind(of.patch!);
    asked[0]!.answer.keep(sheet());
    await rest();
    expect(tracing.behind({ ...of.patch!, name: 'renamed' })).toBe(first);
    expect(tracing.behind(at('open', 90))).not.toBe(first);
    tracing.drop();
    expect(tracing.behind(of.patch!)).toBe(null);
  });

  it('is traced anew when the note changes, and not when anything else does', async () => {
    const { of, tracing, answer } = await shown();
    tracing.hold('as it was', at('was', 30));
    asked[0]!.answer.keep(sheet());
    await rest();
    for (const [next, count] of [
      [{ ...of.patch!, name: 'renamed' }, 1],
      [at('open', 90), 2]
    ] as const) {
      of.patch = next;
      tracing.ask();
      answer(0.5, 1.5);
      await rest();
      expect(asked).toHaveLength(count);
    }
    expect(asked.at(-1)!.body.document).toEqual(at('was', 90));
  });
});
