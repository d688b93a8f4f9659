import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Workbench } from '../state/workbench.svelte';
import { BankWork, type Plan } from './bank.svelte';

/** Plans that were asked for and are not answered yet: the work of each, and its answer. */
const asked = vi.hoisted(() => [] as { work: string; answer: (plan: Plan) => void }[]);
vi.mock('../api/api', () => ({
  api: {
    POST: (_: string, { body }: { body: { settings: { work: string } } }) =>
      new Promise((answer) => asked.push({ work: body.settings.work, answer }))
  },
  unwrap: (answer: unknown) => answer
}));
const planned = (pieces: number): Plan => ({ patches: 1, pieces, sound_s: 1, work_s: 1, file_bytes: 0, unfit: [] });

describe('a plan', () => {
  beforeEach(() => {
    asked.length = 0;
    vi.useFakeTimers();
    return () => vi.useRealTimers();
  });

  it('lets begin what it is of, and nothing that was chosen since', async () => {
    const work = new BankWork({ jobs: { all: [] } } as unknown as Workbench);
    work.choose(['one'], 'Quay');
    await vi.runAllTimersAsync();
    asked[0]!.answer(planned(6));
    await vi.runAllTimersAsync();
    expect(work.ready).toBe(true);
    work.set({ work: 'card' });
    expect([work.plan?.pieces, work.ready]).toEqual([6, false]);
    await vi.runAllTimersAsync();
    expect([asked[1]!.work, work.ready]).toEqual(['card', false]);
    // Another is chosen before the answer is there.
    work.set({ work: 'sweep' });
    asked[1]!.answer(planned(7));
    await vi.advanceTimersByTimeAsync(0);
    expect(work.ready).toBe(false);
    await vi.runAllTimersAsync();
    asked[2]!.answer(planned(8));
    await vi.runAllTimersAsync();
    expect([work.plan?.pieces, work.ready]).toEqual([8, true]);
  });

  it('of no piece lets nothing begin', async () => {
    const work = new BankWork({ jobs: { all: [] } } as unknown as Workbench);
    work.choose(['one'], 'Quay');
    await vi.runAllTimersAsync();
    asked[0]!.answer(planned(0));
    await vi.runAllTimersAsync();
    expect(work.ready).toBe(false);
  });
});
