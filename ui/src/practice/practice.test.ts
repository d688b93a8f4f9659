import { beforeEach, describe, expect, it, vi } from 'vitest';
import { named } from '../common/testing';
import type { Player } from '../state/player.svelte';
import type { Workbench } from '../state/workbench.svelte';
import { Practising, type TaskView } from './practice.svelte';

const server = await vi.hoisted(async () => new (await import('../common/testing')).Unhurried());
vi.mock('../api/api', () => ({
  api: server.api,
  asBody: (patch: unknown) => patch,
  unwrap: (answer: unknown) => answer
}));
vi.mock('../state/library', () => ({ keepNew: (patch: { name: string }) => Promise.resolve({ id: patch.name }) }));

const task = (seed: number): TaskView =>
  ({
    task: { kind: 'make', level: 2, seed, patch: named(`made ${seed}`), questions: [] },
    curves: []
  }) as unknown as TaskView;

/** A bench that shows whatever is made for it. */
const bench = {
  id: '',
  patch: null as unknown,
  view: 'practice',
  bring: async (make: () => Promise<{ id: string }>) => {
    bench.id = (await make()).id;
    bench.patch = named(bench.id);
    return true;
  },
  settled: () => Promise.resolve()
};
let practice: Practising;

beforeEach(() => {
  Object.assign(bench, { id: '', patch: null, view: 'practice' });
  practice = new Practising(bench as unknown as Workbench, { stop: () => {} } as Player);
});

/** Has a task at hand. */
async function begun(seed: number): Promise<void> {
  void practice.next({ seed });
  await server.answer(`"seed":${seed}`, task(seed));
}

describe('a task', () => {
  it('is the last that was asked for, whichever answer comes last', async () => {
    void practice.next({ seed: 1 });
    void practice.next({ seed: 2 });
    await server.answer('"seed":2', task(2));
    expect(practice.coming).toBe(false);
    await server.answer('"seed":1', task(1));
    expect(practice.task?.seed).toBe(2);
  });

  it('that is opened stays, though another was asked for just before', async () => {
    await begun(1);
    void practice.next({ seed: 2 });
    expect(practice.coming).toBe(true);
    await practice.open();
    await server.answer('"seed":2', task(2));
    expect(practice.task?.seed).toBe(1);
    expect([practice.inHand, practice.coming, bench.view]).toEqual([true, false, 'note']);
  });

  it('does not get the marks of the one before', async () => {
    await begun(1);
    await practice.open();
    void practice.handIn();
    await begun(2);
    await server.answer('/mark', { marks: [] });
    await server.answer('/api/practice', {});
    expect([practice.task?.seed, practice.marked]).toEqual([2, null]);
  });

  it('lets go of the pair that was on its way', async () => {
    void practice.listen('level');
    await begun(1);
    await server.answer('/pair', { patches: [] });
    expect([practice.task?.seed, practice.pair]).toEqual([1, null]);
  });
});
