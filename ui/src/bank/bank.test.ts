import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Workbench } from '../state/workbench.svelte';
import type { Card } from '../machine/card';
import { BankWork, type Plan } from './bank.svelte';

/** Plans that were asked for and are not answered yet. */
interface Asked {
  settings: { work: string; card?: unknown };
  notes: Record<string, string>;
  answer: (plan: Plan) => void;
}
const asked = vi.hoisted(() => [] as Asked[]);
/** Questions to the library that are not answered yet. */
const looked = vi.hoisted(() => [] as ((ids: string[]) => void)[]);
vi.mock('../api/api', () => ({
  api: {
    GET: () => new Promise((answer) => looked.push(answer)),
    POST: (_: string, { body }: { body: Pick<Asked, 'settings' | 'notes'> }) =>
      new Promise((answer) => asked.push({ settings: body.settings, notes: body.notes, answer }))
  },
  unwrap: (answer: unknown) => answer
}));
const planned = (pieces: number): Plan => ({ patches: 1, pieces, sound_s: 1, work_s: 1, file_bytes: 0, unfit: [] });

const machine: { card: Card | null } = { card: null };

/** Returns work that is chosen and planned, of so many pieces. */
async function chosen(pieces: number): Promise<BankWork> {
  const work = new BankWork({ jobs: { all: [] } } as unknown as Workbench, machine);
  work.choose(['one'], 'Quay');
  await answered(pieces);
  return work;
}

/** Lets the plan that is asked for be answered; returns what was asked. */
async function answered(pieces: number): Promise<Asked['settings']> {
  await vi.runAllTimersAsync();
  const { settings, answer } = asked.shift()!;
  answer(planned(pieces));
  await vi.advanceTimersByTimeAsync(0);
  return settings;
}

describe('a plan', () => {
  beforeEach(() => {
    asked.length = looked.length = 0;
    machine.card = null;
    vi.useFakeTimers();
    return () => vi.useRealTimers();
  });

  it('lets nothing begin while other patches are looked for, and is of those that were chosen last', async () => {
    const work = await chosen(6);
    void work.chooseFound({ bank: 'first' }, 'first');
    void work.chooseFound({ bank: 'second' }, 'second');
    work.set({ work: 'check' });
    await answered(7);
    expect(work.ready).toBe(false);
    looked[1]!(['two', 'three']);
    await vi.advanceTimersByTimeAsync(0);
    looked[0]!(['four']);
    await answered(8);
    expect([work.ids, work.name, work.ready]).toEqual([['two', 'three'], 'second', true]);
  });

  it('lets begin what it is of, and nothing that was chosen since', async () => {
    const work = await chosen(6);
    expect(work.ready).toBe(true);
    work.set({ work: 'check' });
    expect([work.plan?.pieces, work.ready]).toEqual([6, false]);
    await vi.runAllTimersAsync();
    // Another is chosen before the answer is there.
    work.set({ work: 'sweep' });
    expect((await answered(7)).work).toBe('check');
    expect(work.ready).toBe(false);
    expect((await answered(8)).work).toBe('sweep');
    expect([work.plan?.pieces, work.ready]).toEqual([8, true]);
  });

  it('of a sample set is over several keys and velocities, and each work keeps its own notes', async () => {
    const work = await chosen(6);
    work.setNotes({ keys: 'C5' });
    await answered(6);
    work.set({ work: 'samples' });
    await vi.runAllTimersAsync();
    expect(asked[0]!.notes).toMatchObject({ keys: 'C2, C3, C4', velocities: '40, 80, 118', lengths: '2 s', seeds: '' });
    await answered(54);
    work.setNotes({ velocities: '90' });
    await vi.runAllTimersAsync();
    expect(asked[0]!.notes).toMatchObject({ keys: 'C2, C3, C4', velocities: '90' });
    await answered(18);
    work.set({ work: 'check' });
    await vi.runAllTimersAsync();
    expect(asked[0]!.notes).toEqual({ keys: 'C5', velocities: '', lengths: '', seeds: '' });
    await answered(6);
  });

  it('of no piece lets nothing begin', async () => {
    expect((await chosen(0)).ready).toBe(false);
  });

  it('is of the card that is chosen as it is asked for', async () => {
    const work = await chosen(6);
    work.set({ work: 'card' });
    machine.card = { name: 'Small Staithe' };
    expect((await answered(6)).card).toEqual(machine.card);
    machine.card = null;
    work.planSoon();
    expect(work.ready).toBe(false);
    expect((await answered(6)).card).toBeNull();
  });
});
