/** Work over many patches: which, what is done with them, what is planned, what runs, and what came of it. */
import { SvelteMap } from 'svelte/reactivity';
import { api, unwrap, type Job } from '../api/api';
import { VELOCITIES, WORKS } from '../api/facts.gen';
import type { components, paths } from '../api/schema.gen';
import { underWay } from '../state/jobs.svelte';
import { Latest } from '../state/latest';
import { messages } from '../state/messages.svelte';
import { freshId } from '../session/window';
import type { Machine } from '../machine/machine.svelte';
import type { Workbench } from '../state/workbench.svelte';
import { shownColumns, type Row } from './table';

export type Settings = components['schemas']['BankSettings'];
export type WorkName = Settings['work'];
export type Plan = components['schemas']['BankPlan'];
type Wanted = NonNullable<paths['/api/library/ids']['get']['parameters']['query']>;
type BankRequest = components['schemas']['BankRequest'];

type Notes = Record<'keys' | 'velocities' | 'lengths' | 'seeds', string>;
const OWN: Notes = { keys: '', velocities: '', lengths: '', seeds: '' };
/** A sample set is cut over several keys and velocities unless something else is typed. */
const SAMPLED: Notes = {
  ...OWN,
  keys: 'C2, C3, C4',
  velocities: VELOCITIES.map(({ velocity }) => velocity).join(', '),
  lengths: '2 s'
};

const SOON_MS = 100;

export class BankWork {
  constructor(
    private readonly bench: Workbench,
    private readonly machine: Pick<Machine, 'card'>
  ) {}

  /** The patches that were chosen, and what they are called together. */
  ids: string[] = $state.raw([]);
  name = $state('');
  settings: Settings = $state({ work: WORKS[0].name });
  readonly facts = $derived(WORKS.find((one) => one.name === this.settings.work) ?? WORKS[0]);
  /** The notes as they are typed, for each work; nothing typed is the note of each patch. */
  private readonly typed: Partial<Record<WorkName, Notes>> = $state(
    Object.fromEntries(WORKS.filter((one) => one.isSampleSet).map((one) => [one.name, { ...SAMPLED }]))
  );
  against = $state('');
  plan: Plan | null = $state.raw(null);
  /** Whether what is planned is what is asked for now. */
  private current = $state(false);
  /** Whether the patches are still being looked for. */
  private choosing = $state(false);
  trouble = $state('');
  /** The work that is looked at. */
  run = $state('');
  rows: Row[] = $state.raw([]);
  rowsOf = $state(0);
  /** Whether what came of the work that is looked at has been read. */
  taken = $state(false);
  moved: string[] = $state.raw([]);
  /** What is to be shown of a patch that was opened from the table, once it is judged. */
  showing: { patch: string; rule: string } | null = $state.raw(null);
  /** About how many seconds each work still takes, where that is known. */
  readonly left = new SvelteMap<string, number | null>();
  private readonly followed = new Set<string>();
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly asked = new Latest();
  private readonly chosen = new Latest();

  readonly runs: Job[] = $derived.by(() => this.bench.jobs.all.filter((job) => job.kind === 'bank'));
  readonly job: Job | undefined = $derived.by(() => this.runs.find((job) => job.id === this.run));
  readonly ready: boolean = $derived.by(
    () => this.current && !this.choosing && Boolean(this.plan?.pieces) && !this.trouble
  );
  readonly columns: string[] = $derived(shownColumns(this.rows));

  /** The card of the machine that is chosen; none while another is fetched, so that nothing begins on the one before. */
  private get card(): Record<string, unknown> | null {
    return this.machine.card as Record<string, unknown> | null;
  }

  get needsCard(): boolean {
    return (this.facts.requires as readonly string[]).includes('card');
  }

  private get body(): BankRequest {
    return {
      ids: this.ids,
      name: this.name,
      settings: this.needsCard ? { ...this.settings, card: this.card } : this.settings,
      notes: this.notes,
      ...(this.against ? { against: this.against } : {})
    };
  }

  /** At which notes the chosen work is done. */
  get notes(): Notes {
    return this.typed[this.settings.work] ?? OWN;
  }

  setNotes(fields: Partial<Notes>): void {
    this.typed[this.settings.work] = { ...this.notes, ...fields };
    this.planSoon();
  }

  /** Chooses the patches that the library finds. */
  async chooseFound(query: Wanted, name: string): Promise<void> {
    const isLast = this.chosen.ask();
    this.choosing = true;
    const ids = unwrap(api.GET('/api/library/ids', { params: { query } }));
    const found = await ids.finally(() => (this.choosing &&= !isLast()));
    if (isLast()) this.choose(found, name);
  }

  /** Chooses the patches that are worked on. */
  choose(ids: string[], name: string): void {
    this.chosen.ask();
    this.choosing = false;
    this.ids = ids;
    this.name = name;
    this.planSoon();
  }

  set(fields: Partial<Settings>): void {
    this.settings = { ...this.settings, ...fields };
    this.planSoon();
  }

  setSamples(fields: Partial<NonNullable<Settings['samples']>>): void {
    this.set({ samples: { ...this.settings.samples, ...fields } as NonNullable<Settings['samples']> });
  }

  planSoon(): void {
    this.current = false;
    this.asked.ask();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.plans(), SOON_MS);
  }

  /** Asks what would be done; an answer that comes after a newer question is let go. */
  private async plans(): Promise<void> {
    const isLast = this.asked.ask();
    if (!this.ids.length) return void ((this.plan = null), (this.trouble = ''));
    try {
      const plan = await unwrap(api.POST('/api/bank/plan', { body: this.body }));
      if (isLast()) [this.plan, this.trouble, this.current] = [plan, '', true];
    } catch (error) {
      if (isLast()) [this.plan, this.trouble] = [null, error instanceof Error ? error.message : String(error)];
    }
  }

  /** Begins what is planned, and looks at it; then does something once it has ended. */
  async begin(then: () => void = () => {}): Promise<void> {
    // A figure that was typed just before counts.
    await this.bench.settled();
    const { id } = await unwrap(
      api.PUT('/api/bank/runs/{run}', { params: { path: { run: freshId() } }, body: this.body })
    );
    await this.bench.jobs.refresh();
    this.follow(id, then);
    await this.open(id);
  }

  /** Follows a work that is under way, also one that was begun before the page was loaded. */
  private follow(id: string, then: () => void = () => {}): void {
    if (this.followed.has(id)) return;
    this.followed.add(id);
    this.bench.jobs.listen(
      id,
      () => {
        this.left.delete(id);
        then();
        if (this.run === id) void messages.attempt(() => this.take(id));
      },
      (known) => this.left.set(id, (known as { left_s: number | null }).left_s)
    );
  }

  /** Follows whatever is under way, and looks at the newest where none is looked at. */
  async look(): Promise<void> {
    await this.bench.jobs.refresh();
    for (const job of this.runs) if (underWay(job)) this.follow(job.id);
    const newest = this.runs[0];
    if (newest && !this.job) await this.open(newest.id);
  }

  /** Looks at a work: what came of it, once it has ended. */
  async open(run: string): Promise<void> {
    this.run = run;
    this.rows = [];
    this.rowsOf = 0;
    this.moved = [];
    this.taken = false;
    if (this.job && !underWay(this.job)) await this.take(run);
  }

  private async take(run: string): Promise<void> {
    const job = this.runs.find((one) => one.id === run);
    if (!job || job.state === 'failed') return;
    const table = await unwrap(api.GET('/api/bank/runs/{run}/table', { params: { path: { run } } })).catch(() => null);
    const made = job.state === 'done' ? ((await this.bench.jobs.result(run)) as { moved: string[] }) : { moved: [] };
    if (this.run !== run) return;
    this.rows = (table?.rows ?? []) as Row[];
    this.rowsOf = table?.of ?? 0;
    this.moved = made.moved;
    this.taken = true;
  }
}
