import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from './api';
import { named } from './testing';

const asked: { path: string; body: Record<string, unknown> }[] = [];
const lines: object[] = [];
const fake = {
  patch: named('open') as Patch,
  velocity: 88,
  key: 41,
  sheet: { lanes: { cutoff: { title: 'Cutoff', set_value: 400 } } },
  judging: {
    judgement: {
      measures: { lanes: { cutoff: { measures: { peak: 800, settle: null, at_off: 500, fall_s: [0.1, 0.3, null] } } } }
    },
    try: vi.fn(),
    leave: vi.fn()
  },
  edit: vi.fn()
};
const OFFERED = [
  { name: 'cutoff', label: 'cutoff set at', usual: true },
  { name: 'route:up.amount', label: 'swell on cutoff', usual: true },
  { name: 'swell.sustain', label: 'swell sustain', usual: false }
];
/** What stops a stream that has not come to its end. */
let stopped: ((error: unknown) => void) | null = null;
let endless = false;
const answers: Record<string, (body: Record<string, unknown>) => unknown> = {
  '/api/assist/changeable': () => OFFERED,
  '/api/reached': ({ velocities }) => [{ measures: { peak: 10 * (velocities as number[])[0]! } }],
  '/api/assist/solve': () =>
    new ReadableStream({
      start(to) {
        for (const line of lines) to.enqueue(new TextEncoder().encode(JSON.stringify(line) + '\n'));
        if (endless) stopped = (error) => to.error(error);
        else to.close();
      }
    })
};
type Asked = { body: Record<string, unknown>; signal?: AbortSignal };
const post = (path: string, { body, signal }: Asked): Promise<unknown> => {
  asked.push({ path, body });
  signal?.addEventListener('abort', () => stopped?.(new DOMException('', 'AbortError')));
  return Promise.resolve({ data: answers[path]!(body), response: { ok: true, status: 200 } });
};
vi.mock('./api', async (original) => ({ ...(await original<object>()), api: { POST: post } }));
vi.mock('./bench.svelte', () => ({ bench: fake }));
vi.mock('./tracing.svelte', () => ({ FULL_RATE: 48_000 }));

async function fresh() {
  const { Wishing } = await import('./wishing.svelte');
  return new Wishing('cutoff');
}

beforeEach(() => {
  asked.length = lines.length = 0;
  endless = false;
  stopped = null;
  vi.clearAllMocks();
});

describe('wishes', () => {
  it('begin with what is, at note-off where it does not settle', async () => {
    const wishing = await fresh();
    expect([wishing.present('peak'), wishing.present('settle'), wishing.present('tenth_s')]).toEqual([800, 500, 0.3]);
  });

  it('are one for each figure and note', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    wishing.wish('peak', 1000);
    wishing.at('velocity', 118);
    wishing.wish('peak', 2000);
    expect(wishing.wished('peak')?.value).toBe(2000);
    expect(wishing.elsewhere.map((w) => [w.value, w.velocity])).toEqual([[1000, null]]);
    wishing.at('velocity', 88);
    expect(wishing.wished('peak')).toEqual({ what: 'peak', value: 1000, velocity: null, key: null });
    wishing.forget(wishing.elsewhere[0]!);
    expect(wishing.wishes).toHaveLength(1);
  });

  it('show the figures of another note once they are read', async () => {
    const wishing = await fresh();
    wishing.at('velocity', 40);
    expect(wishing.measured).toBe(null);
    await wishing.look(fake.patch);
    expect(asked[0]!.body).toMatchObject({ lane: 'cutoff', keys: [41], velocities: [40] });
    expect(wishing.present('peak')).toBe(400);
  });
});

describe('what may change', () => {
  it('is the usual until something is taken in or left out, and stays in its place', async () => {
    const wishing = await fresh();
    await wishing.offer(fake.patch);
    expect(asked).toHaveLength(0);
    wishing.wish('peak', 900);
    await wishing.offer(fake.patch);
    expect(wishing.changing).toEqual(['cutoff', 'route:up.amount']);
    wishing.pick('cutoff', false);
    wishing.pick('swell.sustain', true);
    expect(wishing.changing).toEqual(['route:up.amount', 'swell.sustain']);
    expect(wishing.offered.map((c) => c.name)).toEqual(['cutoff', 'route:up.amount', 'swell.sustain']);
    expect(wishing.others).toEqual([]);
  });
});

describe('an answer', () => {
  const answer = { document: named('solved'), changes: ['cutoff set at 400 Hz to 450 Hz'], met: [] };

  it('is told with its tries, lies behind, and is taken as one change', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    lines.push({ tries: 1 }, { tries: 2 }, { answer });
    await wishing.solve();
    expect(wishing.tries).toBe(2);
    expect(fake.judging.try).toHaveBeenCalledWith(
      { key: 'wish', mend: answer.changes[0], mended: answer.document },
      fake.patch
    );
    wishing.take();
    expect(fake.edit).toHaveBeenCalledWith('wish for cutoff', answer.document);
    expect([wishing.answer, wishing.abort]).toEqual([null, null]);
  });

  it('goes, and its ghost with it, when something else is wished for', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    lines.push({ answer });
    await wishing.solve();
    wishing.wish('peak', 950);
    expect(wishing.answer).toBe(null);
    expect(fake.judging.leave).toHaveBeenCalledOnce();
    expect(fake.edit).not.toHaveBeenCalled();
  });

  it('goes when the patch is changed, so that no change is lost with it', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    lines.push({ answer });
    await wishing.solve();
    wishing.keepUp(fake.patch);
    expect(wishing.answer).toEqual(answer);
    wishing.keepUp(named('changed'));
    wishing.take();
    expect(wishing.answer).toBe(null);
    expect(fake.edit).not.toHaveBeenCalled();
  });

  it('never comes once it is stopped', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    lines.push({ tries: 7 });
    endless = true;
    const over = wishing.solve();
    await vi.waitFor(() => expect(wishing.tries).toBe(7));
    wishing.stop();
    await over;
    expect([wishing.answer, wishing.abort]).toEqual([null, null]);
    expect(fake.judging.try).not.toHaveBeenCalled();
  });

  it('that is refused says why', async () => {
    const wishing = await fresh();
    wishing.wish('peak', 900);
    lines.push({ refused: 'the trace: too long' });
    await expect(wishing.solve()).rejects.toThrow('the trace: too long');
    expect([wishing.answer, wishing.abort]).toEqual([null, null]);
  });
});
