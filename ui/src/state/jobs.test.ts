import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Job, JobRequest } from '../api/api';
import { Jobs, type JobServer } from './jobs.svelte';

const REQUEST = { kind: 'sound', document: {} } as JobRequest;

function job(id: string, state: Job['state'], progress = 0): Job {
  const now = '2026-11-26T06:00:00Z';
  const ends = { said: '', facts: {}, result_bytes: 0, file_name: '', created_at: now, changed_at: now };
  return { id, kind: 'sound', title: id, state, progress, ...ends };
}

describe('jobs', () => {
  let stored: Job[];
  let server: JobServer;
  let number: number;
  let known: Map<string, unknown>;
  const jobs = (): Jobs => new Jobs(server, () => `job${number++}`);

  beforeEach(() => {
    vi.useFakeTimers();
    vi.stubGlobal('window', globalThis);
    stored = [];
    number = 1;
    known = new Map();
    server = {
      list: () => Promise.resolve(stored),
      ask: (id) => {
        stored = [job(id, 'waiting'), ...stored];
        return Promise.resolve(stored[0]!);
      },
      cancel: (id) => Promise.resolve(job(id, 'cancelled')),
      forget: (id) => Promise.resolve(void (stored = stored.filter((one) => one.id !== id))),
      soFar: (id) => Promise.resolve(known.get(id)),
      result: (id) => Promise.resolve({ made: id })
    };
  });

  it('are watched until they end, and whoever asked is told once', async () => {
    const all = jobs();
    const told = vi.fn();
    await all.ask(REQUEST, told);
    expect(all.running).toEqual({ count: 1, progress: 0 });
    stored = [job('job1', 'running', 0.5)];
    await vi.advanceTimersByTimeAsync(500);
    expect(all.running.progress).toBe(0.5);
    expect(told).not.toHaveBeenCalled();
    stored = [job('job1', 'done', 1)];
    await vi.advanceTimersByTimeAsync(5000);
    expect(told).toHaveBeenCalledTimes(1);
    expect(told.mock.calls[0]![0].state).toBe('done');
    expect(vi.getTimerCount()).toBe(0);
  });

  it('of another page are seen and not handed over', async () => {
    stored = [job('theirs', 'running', 0.25)];
    const all = jobs();
    await all.refresh();
    expect(all.running).toEqual({ count: 1, progress: 0.25 });
    stored = [job('theirs', 'done', 1)];
    await vi.advanceTimersByTimeAsync(500);
    expect(all.running.count).toBe(0);
  });

  it('tell what they know so far, also to who did not ask for them, until they end', async () => {
    stored = [job('theirs', 'running', 0.2)];
    const all = jobs();
    await all.refresh();
    const [ended, soFar] = [vi.fn(), vi.fn()];
    all.listen('theirs', ended, soFar);
    await vi.advanceTimersByTimeAsync(500);
    expect(soFar).not.toHaveBeenCalled();
    known.set('theirs', { steps: 3 });
    await vi.advanceTimersByTimeAsync(500);
    expect(soFar).toHaveBeenLastCalledWith({ steps: 3 });
    server.soFar = () => Promise.reject(new Error('away'));
    await vi.advanceTimersByTimeAsync(500);
    stored = [job('theirs', 'done', 1)];
    await vi.advanceTimersByTimeAsync(500);
    expect(ended).toHaveBeenCalledTimes(1);
    const told = soFar.mock.calls.length;
    await vi.advanceTimersByTimeAsync(2000);
    expect(soFar.mock.calls.length).toBe(told);
    expect(await all.result('theirs')).toEqual({ made: 'theirs' });
  });

  it('go on being watched when the server was away', async () => {
    const all = jobs();
    const told = vi.fn();
    await all.ask(REQUEST, told);
    const list = server.list;
    server.list = () => Promise.reject(new Error('away'));
    await vi.advanceTimersByTimeAsync(1000);
    server.list = list;
    stored = [job('job1', 'failed')];
    await vi.advanceTimersByTimeAsync(4000);
    expect(told).toHaveBeenCalledTimes(1);
  });

  it('are cancelled and forgotten', async () => {
    const all = jobs();
    await all.ask(REQUEST, vi.fn());
    await all.cancel('job1');
    expect(all.all[0]!.state).toBe('cancelled');
    await all.forget('job1');
    expect(all.all).toEqual([]);
  });

  it('stay forgotten when a list that was asked for before comes after', async () => {
    stored = [job('theirs', 'cancelled')];
    const all = jobs();
    let come!: (listed: Job[]) => void;
    server.list = () => new Promise((resolve) => (come = resolve));
    const listed = all.refresh();
    await all.forget('theirs');
    come([job('theirs', 'cancelled')]);
    await listed;
    expect(all.all).toEqual([]);
  });
});
