import { beforeEach, expect, it, vi } from 'vitest';
import { named } from '../common/testing';
import type { Live } from './live.svelte';
import { begun } from './session';
import { Taking } from './taking.svelte';

const kept = vi.hoisted(() => [] as { name: string; begins?: number; ends: number; tags?: string[] }[]);
vi.mock('../api/api', async (original) => ({
  ...(await original<object>()),
  api: {
    GET: () => Promise.resolve({ data: [], response: { ok: true, status: 200 } }),
    POST: (_: string, { body }: { body: { document: (typeof kept)[number] } }) => {
      kept.push(body.document);
      const head = { id: `${kept.length}`, name: body.document.name, tags: body.document.tags ?? [] };
      return Promise.resolve({ data: { ...head, document: body.document }, response: { ok: true, status: 201 } });
    }
  }
}));
const writes = vi.hoisted(() => ({ next: 0 }));
vi.mock('../session/window', () => ({
  freshId: () => `write ${(writes.next += 1)}`,
  windowId: 'this',
  workFor: () => ({}),
  livingWindows: () => Promise.resolve(new Set(['this']))
}));
vi.mock('../state/logging', () => ({ enter: vi.fn() }));
const left = vi.hoisted(() => [] as Record<string, unknown>[]);
const waiting = vi.hoisted(() => [] as { write: string; document: object }[]);
vi.mock('./outbox', () => ({
  putOut: () => Promise.resolve(),
  forget: () => Promise.resolve(),
  layDown: () => Promise.resolve(),
  waiting: () => Promise.resolve(waiting),
  leftBehind: () => Promise.resolve(left)
}));
const offered = vi.hoisted(() => [] as { run: () => void }[]);
vi.mock('../state/messages.svelte', () => ({
  messages: {
    say: (_: string, __: boolean, act: { run: () => void }) => offered.push(act),
    attempt: (act: () => Promise<void>) => act()
  }
}));

const RATE = 48_000;
const TURN = 2 * RATE;

/** Returns takes of a patch that is played in a loop of two seconds, a key struck in each second. */
function playing(): { live: Live; taking: Taking } {
  const session = begun(RATE, 120, 4);
  session.turn = TURN;
  session.notes = [0, 1, 2, 3].map((second) => ({
    number: second,
    key: 60,
    velocity: 90,
    on: second * RATE,
    off: second * RATE + 100
  }));
  const stubs = { writes: vi.fn(), beat: vi.fn(), record: () => Promise.resolve() };
  const live = { ...stubs, session, now: 0 } as unknown as Live;
  const phrasing = { phrase: null, heads: [], takeUp: () => Promise.resolve() };
  const of = { patch: named('Quay'), id: 'quay', drafts: { head: null }, phrasing };
  return { live, taking: new Taking(of as never, live) };
}

beforeEach(() => {
  kept.length = left.length = offered.length = 0;
});

it('marks a take whose pass was stopped before its end, and no other', async () => {
  const { live, taking } = playing();
  await taking.record();
  (live as { now: number }).now = TURN + 10;
  live.onplayed();
  (live as { now: number }).now = 1.5 * TURN;
  taking.stop();
  await vi.waitFor(() => expect(kept).toHaveLength(2));
  expect(kept.map(({ begins, ends, tags }) => [begins, ends, tags])).toEqual([
    [0, TURN, undefined],
    [TURN, 1.5 * TURN, ['cut off']]
  ]);
  expect(taking.heads.map(({ tags }) => tags)).toEqual([[], ['cut off']]);
});

it('marks a take that ended with its window', async () => {
  const { taking } = playing();
  left.push({ name: 'As it was played', ends: 9 });
  await taking.lookBehind();
  offered[0]!.run();
  await vi.waitFor(() => expect(kept).toHaveLength(1));
  expect(kept[0]!.tags).toEqual(['cut off']);
});

it('does not send a take again that is being sent', async () => {
  const { live, taking } = playing();
  (live as { now: number }).now = TURN;
  waiting.push({ write: `write ${writes.next + 1}`, document: {} });
  const keeping = taking.keep().catch(() => {});
  await taking.refresh();
  await keeping;
  waiting.length = 0;
  expect(kept).toHaveLength(1);
});
