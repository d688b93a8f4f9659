/** What a job makes, as a view shows it: asked for or found again, and never that of something asked for before. */
import type { Job, JobRequest } from '../api/api';
import { underWay, type Jobs } from './jobs.svelte';
import { Latest } from './latest';
import { messages } from './messages.svelte';

/** What a view does with it. */
interface View {
  /** Shows nothing yet. */
  clear(): void;
  /** Shows what is known while it is being made. */
  soFar?(known: unknown): void;
  /** Shows what a job made. */
  made(result: unknown, job: Job): void;
}

type IsLast = () => boolean;

export class ShownJob {
  /** Why it failed. */
  trouble = $state('');
  private id = $state('');
  private of = '';
  /** Whether nothing is known of it: jobs may still be listed that made something. */
  private isBare = false;
  private readonly asked = new Latest();

  constructor(
    private readonly bench: { readonly jobs: Jobs },
    private readonly view: View
  ) {}

  /** The job, while it is under way. */
  readonly running: Job | undefined = $derived.by(() =>
    this.bench.jobs.all.find((job) => job.id === this.id && underWay(job))
  );

  /** Goes on with what is being made of something, or shows what was made of it last. */
  async show(of: string, isOne: (job: Job) => boolean): Promise<void> {
    const isSame = of === this.of;
    if (isSame && !this.isBare) return;
    const mine = this.bench.jobs.all.filter(isOne);
    const running = mine.find(underWay);
    const last = mine.find((job) => job.state === 'done');
    if (isSame && !last && !running) return;
    this.of = of;
    const isLast = this.clear();
    this.isBare = !last && !running;
    if (running) {
      this.id = running.id;
      this.bench.jobs.listen(running.id, ...this.listening(isLast));
    } else if (last) await this.take(last, isLast);
  }

  /** Shows nothing, for something else; what it returns tells whether that is still so. */
  clear(): IsLast {
    this.isBare = false;
    this.id = this.trouble = '';
    this.view.clear();
    return this.asked.ask();
  }

  /** Asks for a job, to be shown unless something else is by then. */
  async ask(request: JobRequest, isLast: IsLast): Promise<void> {
    const id = await this.bench.jobs.ask(request, ...this.listening(isLast));
    if (isLast()) this.id = id;
  }

  cancel(): void {
    void messages.attempt(() => this.bench.jobs.cancel(this.id));
  }

  private listening(isLast: IsLast): [(job: Job) => void, (known: unknown) => void] {
    return [
      (job) => {
        if (!isLast()) return;
        if (job.state === 'failed') this.trouble = job.said;
        if (job.state === 'done') void messages.attempt(() => this.take(job, isLast));
      },
      (known) => {
        if (isLast()) this.view.soFar?.(known);
      }
    ];
  }

  private async take(job: Job, isLast: IsLast): Promise<void> {
    const result = await this.bench.jobs.result(job.id);
    if (isLast()) this.view.made(result, job);
  }
}
