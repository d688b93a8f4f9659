import { beforeEach, describe, expect, it, vi } from 'vitest';
import { named } from '../common/testing';
import { Jobs, type JobServer } from '../state/jobs.svelte';
import type { Job } from '../api/api';
import type { Player } from '../state/player.svelte';
import type { Workbench } from '../state/workbench.svelte';
import { Ranging } from './ranging.svelte';

vi.mock('../state/messages.svelte', () => ({ messages: { attempt: (work: () => Promise<void>) => work() } }));

/** Sweeps that end when a test says so, each with as many ranges as its name has letters. */
let known: Job[] = [];
let soFar: unknown;
const jobServer = {
  list: () => Promise.resolve(known),
  ask: (id: string, { of, patch }: { of: string; patch: string }) => {
    const job = { id, kind: 'sweep', state: 'running', said: '', progress: 0, facts: { of, patch } } as unknown as Job;
    known = [job, ...known];
    return Promise.resolve(job);
  },
  soFar: () => Promise.resolve(soFar),
  result: (id: string) => {
    const { of } = known.find((job) => job.id === id)!.facts as { of: string };
    return Promise.resolve({ ranges: [...of].map(() => ({ unit: 'Hz' })), sounds: null });
  }
} as unknown as JobServer;

const bench = {
  id: 'horn',
  patch: named('horn'),
  drafts: { head: { sequence: 1 } },
  key: 60,
  velocity: 96,
  jobs: null as unknown as Jobs,
  settled: () => Promise.resolve()
};
let ranging: Ranging;
let count = 0;
const rest = (): Promise<unknown> => new Promise((resolve) => setTimeout(resolve));

beforeEach(() => {
  vi.stubGlobal('window', { setTimeout: () => 0 });
  known = [];
  soFar = undefined;
  bench.jobs = new Jobs(jobServer, () => `sweep ${++count}`);
  ranging = new Ranging(bench as unknown as Workbench, {} as Player);
});

async function done(ended: Partial<Job> = { state: 'done' }): Promise<void> {
  known = known.map((job) => ({ ...job, ...ended }));
  await bench.jobs.refresh();
  await rest();
}

describe('a sweep', () => {
  it('is unfinished from its first steps until all of it was taken, and when it was stopped', async () => {
    await ranging.sweep();
    expect(ranging.unfinished).toBe(false);
    soFar = { ranges: [{ unit: 'Hz', useful: [21.1, 15_200] }] };
    await bench.jobs.refresh();
    await rest();
    expect(ranging.found).not.toBeNull();
    expect(ranging.unfinished).toBe(true);
    await done({ state: 'cancelled' });
    expect(ranging.unfinished).toBe(true);
    known = [];
    await ranging.sweep();
    expect(ranging.unfinished).toBe(false);
    await done();
    expect(ranging.found).not.toBeNull();
    expect(ranging.unfinished).toBe(false);
  });

  it('is old once the patch sounds otherwise, not for a range or a tag that is kept with it', async () => {
    await ranging.sweep();
    await done();
    expect(ranging.isOld).toBe(false);
    const { patch } = bench;
    bench.patch = { ...patch, tags: ['low'], useful_ranges: { cutoff: { low: 100, high: 900 } } };
    expect(ranging.isOld).toBe(false);
    bench.patch = { ...patch, voice: { base: { cutoff: 400 } } };
    expect(ranging.isOld).toBe(true);
  });

  it('that ends once something else is chosen is not shown with that, and is there on coming back', async () => {
    await ranging.show();
    await ranging.sweep();
    expect(ranging.running).toBeDefined();
    ranging.choose('drive');
    await rest();
    expect(ranging.running).toBeUndefined();
    await done();
    expect(ranging.found).toBeNull();
    ranging.choose('cutoff');
    await rest();
    expect(ranging.found?.ranges).toHaveLength('cutoff'.length);
  });

  it('is there once it is known which jobs there are, and one that is asked for is not let go for that', async () => {
    await ranging.show();
    await ranging.sweep();
    void ranging.show();
    await done();
    expect(ranging.found?.ranges).toHaveLength('cutoff'.length);
    const list = bench.jobs;
    bench.jobs = new Jobs(jobServer, () => '');
    const later = new Ranging(bench as unknown as Workbench, {} as Player);
    await later.show();
    expect(later.found).toBeNull();
    bench.jobs = list;
    await later.show();
    expect(later.found?.ranges).toHaveLength('cutoff'.length);
  });

  it('of two controls stays shown as more jobs are listed, where none of one was made', async () => {
    await ranging.show();
    ranging.up = 'resonance';
    await ranging.mapIt();
    known = [{ ...known[0]!, id: 'other', kind: 'print' } as Job, { ...known[0]!, kind: 'map' } as Job];
    await bench.jobs.refresh();
    await ranging.show();
    await done();
    expect(ranging.map).not.toBeNull();
  });

  it('that fails says why until something else is shown, and one under way goes before what was made last', async () => {
    await ranging.show();
    await ranging.sweep();
    await done({ state: 'failed', said: 'the note is too long' });
    expect(ranging.trouble).toBe('the note is too long');
    await ranging.sweep();
    expect(ranging.trouble).toBe('');
    await done();
    await ranging.sweep();
    ranging.choose('drive');
    ranging.choose('cutoff');
    await rest();
    expect([ranging.found, ranging.running?.state]).toEqual([null, 'running']);
  });
});
