import { beforeEach, describe, expect, it, vi } from 'vitest';
import { named } from '../common/testing';
import { Jobs, type JobServer } from '../state/jobs.svelte';
import type { Job } from '../api/api';
import type { Player } from '../state/player.svelte';
import type { Workbench } from '../state/workbench.svelte';
import { Matching, type Match } from './matching.svelte';

const server = await vi.hoisted(async () => new (await import('../common/testing')).Unhurried());
vi.mock('../state/library', () => ({}));
vi.mock('../api/api', () => ({
  api: server.api,
  asBody: (patch: unknown) => patch,
  unwrap: (answer: unknown) => answer
}));
vi.mock('../state/files', () => ({}));
vi.mock('../state/messages.svelte', () => ({ messages: { attempt: (work: () => Promise<void>) => work() } }));

const match = (name: string): Match => ({ name, found: { seconds: 1 }, document: {} }) as unknown as Match;

/** Jobs that are done when a test says so. */
let known: Job[] = [];
const made = new Map<string, Match>();
const jobServer = {
  list: () => Promise.resolve(known),
  ask: (id: string, request: { recording: { name: string }; patch: string }) => {
    const job = {
      id,
      kind: 'match',
      state: 'running',
      said: '',
      progress: 0,
      facts: { patch: request.patch }
    } as unknown as Job;
    made.set(id, match(request.recording.name));
    known = [job, ...known];
    return Promise.resolve(job);
  },
  soFar: () => Promise.resolve(undefined),
  result: (id: string) => Promise.resolve(made.get(id))
} as unknown as JobServer;

const bench = {
  id: 'horn',
  patch: named('horn'),
  drafts: { head: { sequence: 1 } },
  settled: () => Promise.resolve(),
  jobs: null as unknown as Jobs
};
let matching: Matching;
let count = 0;

beforeEach(() => {
  vi.stubGlobal('window', { setTimeout: () => 0 });
  known = [];
  bench.id = 'horn';
  bench.jobs = new Jobs(jobServer, () => `job ${++count}`);
  matching = new Matching(bench as unknown as Workbench, {} as Player);
});

const recording = (name: string): object => ({ document: { name } });
async function done(): Promise<void> {
  known = known.map((job) => ({ ...job, state: 'done' }));
  await bench.jobs.refresh();
  await new Promise((resolve) => setTimeout(resolve));
}

describe('a match', () => {
  it('is of the recording that was chosen last, whichever was read first', async () => {
    void matching.choose('bell');
    await Promise.resolve();
    void matching.choose('reed');
    await Promise.resolve();
    await server.answer('reed', recording('reed'));
    await server.answer('bell', recording('bell'));
    expect(known).toHaveLength(1);
    await done();
    expect(matching.match?.name).toBe('reed');
  });

  it('is there once it is known which jobs there are', async () => {
    void matching.choose('bell');
    await Promise.resolve();
    await server.answer('bell', recording('bell'));
    await done();
    const list = bench.jobs;
    bench.jobs = new Jobs(jobServer, () => '');
    const later = new Matching(bench as unknown as Workbench, {} as Player);
    await later.show();
    expect(later.match).toBeNull();
    bench.jobs = list;
    await later.show();
    expect(later.match?.name).toBe('bell');
  });

  it('that ends once another patch is open is not shown with that one, and is there on coming back', async () => {
    void matching.choose('bell');
    await Promise.resolve();
    await server.answer('bell', recording('bell'));
    const shown = async (id: string): Promise<void> => {
      bench.id = id;
      await matching.show();
    };
    await shown('drone');
    await done();
    expect([matching.match, matching.running]).toEqual([null, undefined]);
    await shown('horn');
    expect(matching.match?.name).toBe('bell');
  });
});
