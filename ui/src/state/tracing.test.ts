import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { awaited, named } from '../common/testing';
import type { Traced } from './tracing.svelte';

interface Body {
  document: Patch;
  from_s: number;
  to_s: number | null;
}
type Answer = { data: object; response: { ok: boolean; status: number } };
const asked: { body: Body; signal?: AbortSignal; answer: ReturnType<typeof awaited<Answer>> }[] = [];
const post = (_path: string, { body, signal }: { body: Body; signal?: AbortSignal }): Promise<unknown> => {
  const answer = awaited<Answer>();
  signal?.addEventListener('abort', () => answer.fail(new DOMException('', 'AbortError')));
  asked.push({ body, signal, answer });
  return answer.promise;
};
vi.mock('../api/api', async (original) => ({ ...(await original<object>()), api: { POST: post } }));

const sheet = (from_s = 0, to_s = 2): Answer => ({
  data: { seconds: 2, from_s, to_s, starts_s: '', signals: {}, lanes: {}, overlays: [], notes: [] },
  response: { ok: true, status: 200 }
});
const at = (name: string, velocity: number): Patch => ({ ...named(name), performance: { notes: [{ velocity }] } });

async function fresh() {
  const { Tracing } = await import('./tracing.svelte');
  const of: Traced & { patch: Patch | null } = { patch: at('open', 80), pinned: [], traced: vi.fn(), refused: vi.fn() };
  const tracing = new Tracing(of);
  tracing.columns = 100;
  return { of, tracing };
}

const rest = (): Promise<unknown> => vi.advanceTimersByTimeAsync(1);

beforeEach(() => {
  asked.length = 0;
  vi.useFakeTimers();
  return () => vi.useRealTimers();
});

describe('the sheet', () => {
  it('is asked for once at a time, the newest next', async () => {
    const { of, tracing } = await fresh();
    tracing.ask();
    for (const name of ['second', 'third']) {
      of.patch = named(name);
      tracing.ask();
    }
    expect(asked).toHaveLength(1);
    asked[0]!.answer.keep(sheet());
    await rest();
    expect(asked.map((a) => a.body.document.name)).toEqual(['open', 'third']);
  });

  it('of the patch before is nobody’s once another is opened', async () => {
    const { of, tracing } = await fresh();
    tracing.ask();
    of.patch = named('another');
    tracing.open();
    asked[0]!.answer.keep(sheet());
    await rest();
    expect(asked.map((a) => a.body.document.name)).toEqual(['open', 'another']);
    expect(of.traced).not.toHaveBeenCalled();
    asked[1]!.answer.keep(sheet());
    await rest();
    expect(of.traced).toHaveBeenCalledExactlyOnceWith(of.patch, expect.anything());
  });

  it('gives up a question that takes long once there is a newer one', async () => {
    const { of, tracing } = await fresh();
    tracing.ask();
    of.patch = named('second');
    tracing.ask();
    await vi.advanceTimersByTimeAsync(200);
    expect(asked.map((a) => a.body.document.name)).toEqual(['open', 'second']);
    expect(of.traced).not.toHaveBeenCalled();
  });
});

describe('a ghost', () => {
  async function shown() {
    const both = await fresh();
    both.tracing.ask();
    asked[0]!.answer.keep(sheet(0.5, 1.5));
    await rest();
    asked.length = 0;
    return both;
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
    const { of, tracing } = await shown();
    tracing.hold('as it was', at('was', 30));
    asked[0]!.answer.keep(sheet());
    await rest();
    for (const [next, count] of [
      [{ ...of.patch!, name: 'renamed' }, 2],
      [at('open', 90), 4]
    ] as const) {
      of.patch = next;
      tracing.ask();
      asked.at(-1)!.answer.keep(sheet(0.5, 1.5));
      await rest();
      expect(asked).toHaveLength(count);
    }
    expect(asked.at(-1)!.body.document).toEqual(at('was', 90));
  });
});
