/** Work of minutes: what was asked for, how far it is, and what came of it. It goes on whatever becomes of this page. */
import type { Job, JobRequest } from '../api/api';

/** What the server does with jobs. */
export interface JobServer {
  list: () => Promise<Job[]>;
  ask: (id: string, request: JobRequest) => Promise<Job>;
  cancel: (id: string) => Promise<Job>;
  forget: (id: string) => Promise<void>;
}

const POLL_MS = 400;
/** While the server does not answer. */
const PATIENT_MS = 3000;

export const underWay = (job: Job): boolean => job.state === 'waiting' || job.state === 'running';

export class Jobs {
  all: Job[] = $state.raw([]);
  /** Those asked for by this page, and what is done with each once it is there. */
  private mine = new Map<string, (job: Job) => void>();
  private timer = 0;

  constructor(
    private server: JobServer,
    private freshId: () => string
  ) {}

  /** How many are under way, and how far all of them are together. */
  get running(): { count: number; progress: number } {
    const some = this.all.filter(underWay);
    return {
      count: some.length,
      progress: some.reduce((sum, job) => sum + job.progress, 0) / Math.max(1, some.length)
    };
  }

  /** Asks for a job and returns its id; `then` is told once it has ended, whichever way. */
  async ask(request: JobRequest, then: (job: Job) => void): Promise<string> {
    const job = await this.server.ask(this.freshId(), request);
    this.mine.set(job.id, then);
    this.put(job);
    this.watch(0);
    return job.id;
  }

  async cancel(id: string): Promise<void> {
    this.put(await this.server.cancel(id));
  }

  async forget(id: string): Promise<void> {
    await this.server.forget(id);
    this.all = this.all.filter((job) => job.id !== id);
  }

  async refresh(): Promise<void> {
    this.all = await this.server.list();
    for (const job of this.all) {
      const then = underWay(job) ? undefined : this.mine.get(job.id);
      this.mine.delete(then ? job.id : '');
      then?.(job);
    }
    if (this.running.count > 0) this.watch(POLL_MS);
  }

  private put(job: Job): void {
    this.all = [job, ...this.all.filter((other) => other.id !== job.id)];
  }

  private watch(after: number): void {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => this.refresh().catch(() => this.watch(PATIENT_MS)), after);
  }
}
