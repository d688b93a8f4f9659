/** Work of minutes: what was asked for, how far it is, and what came of it. It goes on whatever becomes of this page. */
import type { Job, JobRequest } from '../api/api';

/** What the server does with jobs. */
export interface JobServer {
  list: () => Promise<Job[]>;
  ask: (id: string, request: JobRequest) => Promise<Job>;
  cancel: (id: string) => Promise<Job>;
  forget: (id: string) => Promise<void>;
  /** What a running job has told of what it makes; nothing where it has told none. */
  soFar: (id: string) => Promise<unknown>;
  /** What a job made, where that is JSON. */
  result: (id: string) => Promise<unknown>;
}

/** Who waits for a job: told once it has ended, whichever way, and what it knows until then. */
interface Listener {
  ended: (job: Job) => void;
  soFar?: ((known: unknown) => void) | undefined;
}

const POLL_MS = 400;
/** While the server does not answer. */
const PATIENT_MS = 3000;

export const underWay = (job: Job): boolean => job.state === 'waiting' || job.state === 'running';

export class Jobs {
  all: Job[] = $state.raw([]);
  /** Those that somebody on this page waits for. */
  private mine = new Map<string, Listener>();
  private timer = 0;
  /** A list that was asked for before one of these was forgotten still has it. */
  private forgotten = new Set<string>();

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

  /** Asks for a job and returns its id. */
  async ask(request: JobRequest, ended: Listener['ended'], soFar?: Listener['soFar']): Promise<string> {
    const job = await this.server.ask(this.freshId(), request);
    this.put(job);
    this.listen(job.id, ended, soFar);
    return job.id;
  }

  /** Waits for a job that is under way, whoever asked for it. */
  listen(id: string, ended: Listener['ended'], soFar?: Listener['soFar']): void {
    this.mine.set(id, { ended, soFar });
    this.watch(0);
  }

  /** Returns what a job made. */
  result(id: string): Promise<unknown> {
    return this.server.result(id);
  }

  async cancel(id: string): Promise<void> {
    this.put(await this.server.cancel(id));
  }

  async forget(id: string): Promise<void> {
    await this.server.forget(id);
    this.forgotten.add(id);
    this.all = this.all.filter((job) => job.id !== id);
  }

  async refresh(): Promise<void> {
    const listed = await this.server.list();
    this.all = listed.filter((job) => !this.forgotten.has(job.id));
    for (const job of this.all) {
      const listener = this.mine.get(job.id);
      if (!underWay(job)) {
        this.mine.delete(job.id);
        listener?.ended(job);
      } else if (listener?.soFar) void this.tell(job.id, listener);
    }
    if (this.running.count > 0) this.watch(POLL_MS);
  }

  private async tell(id: string, listener: Listener): Promise<void> {
    // Whoever does not answer now is asked again.
    const known = await this.server.soFar(id).catch(() => undefined);
    if (known !== undefined && this.mine.get(id) === listener) listener.soFar?.(known);
  }

  private put(job: Job): void {
    this.all = [job, ...this.all.filter((other) => other.id !== job.id)];
  }

  private watch(after: number): void {
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.refresh().catch(() => this.watch(PATIENT_MS)), after);
  }
}
