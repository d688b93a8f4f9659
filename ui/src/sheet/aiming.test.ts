import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { named } from '../common/testing';
import type { AimedAt } from './aiming.svelte';

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
  act: vi.fn()
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
vi.mock('../api/api', async (original) => ({ ...(await original<object>()), api: { POST: post } }));
vi.mock('../state/tracing.svelte', () => ({ FULL_RATE: 48_000 }));

async function fresh() {
  const { Aiming } = await import('./aiming.svelte');
  return new Aiming('cutoff', fake as unknown as AimedAt);
}

beforeEach(() => {
  asked.length = lines.length = 0;
  endless = false;
  stopped = null;
  vi.clearAllMocks();
});

describe('targets', () => {
  it('begin with what is, at note-off where it does not settle', async () => {
    const aiming = await fresh();
    expect([aiming.present('peak'), aiming.present('settle'), aiming.present('tenth_s')]).toEqual([800, 500, 0.3]);
  });

  it('are one for each figure and note', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    aiming.aim('peak', 1000);
    aiming.at('velocity', 118);
    aiming.aim('peak', 2000);
    expect(aiming.targetOf('peak')?.value).toBe(2000);
    expect(aiming.elsewhere.map((w) => [w.value, w.velocity])).toEqual([[1000, null]]);
    aiming.at('velocity', 88);
    expect(aiming.targetOf('peak')).toEqual({ what: 'peak', value: 1000, velocity: null, key: null });
    aiming.forget(aiming.elsewhere[0]!);
    expect(aiming.targets).toHaveLength(1);
  });

  it('show the figures of another note once they are read', async () => {
    const aiming = await fresh();
    aiming.at('velocity', 40);
    expect(aiming.measured).toBe(null);
    await aiming.look(fake.patch);
    expect(asked[0]!.body).toMatchObject({ lane: 'cutoff', keys: [41], velocities: [40] });
    expect(aiming.present('peak')).toBe(400);
  });
});

describe('what may change', () => {
  it('is the usual until something is taken in or left out, and stays in its place', async () => {
    const aiming = await fresh();
    await aiming.offer(fake.patch);
    expect(asked).toHaveLength(0);
    aiming.aim('peak', 900);
    await aiming.offer(fake.patch);
    expect(aiming.changing).toEqual(['cutoff', 'route:up.amount']);
    aiming.pick('cutoff', false);
    aiming.pick('swell.sustain', true);
    expect(aiming.changing).toEqual(['route:up.amount', 'swell.sustain']);
    expect(aiming.offered.map((c) => c.name)).toEqual(['cutoff', 'route:up.amount', 'swell.sustain']);
    expect(aiming.others).toEqual([]);
  });
});

describe('an answer', () => {
  const answer = { document: named('solved'), changes: ['cutoff set at 400 Hz to 450 Hz'], met: [] };

  it('is told with its tries, lies behind, and is taken as one change', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    lines.push({ tries: 1 }, { tries: 2 }, { answer });
    await aiming.solve();
    expect(aiming.tries).toBe(2);
    expect(fake.judging.try).toHaveBeenCalledWith(
      { key: 'target', fix: answer.changes[0], fixed: answer.document },
      fake.patch
    );
    aiming.take();
    expect(fake.act).toHaveBeenCalledWith('target', 'target for cutoff', answer.document);
    expect([aiming.answer, aiming.abort]).toEqual([null, null]);
  });

  it('goes, and its ghost with it, when something else is aimed at', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    lines.push({ answer });
    await aiming.solve();
    aiming.aim('peak', 950);
    expect(aiming.answer).toBe(null);
    expect(fake.judging.leave).toHaveBeenCalledOnce();
    expect(fake.act).not.toHaveBeenCalled();
  });

  it('goes when the patch is changed, so that no change is lost with it', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    lines.push({ answer });
    await aiming.solve();
    aiming.keepUp(fake.patch);
    expect(aiming.answer).toEqual(answer);
    aiming.keepUp(named('changed'));
    aiming.take();
    expect(aiming.answer).toBe(null);
    expect(fake.act).not.toHaveBeenCalled();
  });

  it('never comes once it is stopped', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    lines.push({ tries: 7 });
    endless = true;
    const over = aiming.solve();
    await vi.waitFor(() => expect(aiming.tries).toBe(7));
    aiming.stop();
    await over;
    expect([aiming.answer, aiming.abort]).toEqual([null, null]);
    expect(fake.judging.try).not.toHaveBeenCalled();
  });

  it('that is refused says why', async () => {
    const aiming = await fresh();
    aiming.aim('peak', 900);
    lines.push({ refused: 'the trace: too long' });
    await expect(aiming.solve()).rejects.toThrow('the trace: too long');
    expect([aiming.answer, aiming.abort]).toEqual([null, null]);
  });
});
