/** The useful range of a control of the open patch: swept as a job, heard step by step, kept with the patch. */
import { api, asBody, unwrap, type Job, type Patch } from '../api/api';
import { VELOCITIES } from '../api/facts.gen';
import { shown } from '../common/format';
import { messages } from '../state/messages.svelte';
import type { Player } from '../state/player.svelte';
import { ShownJob } from '../state/shown-job.svelte';
import type { Workbench } from '../state/workbench.svelte';
import { Loops } from './loops';
import { middleLoudness, type Found, type FoundMap, type Range } from './range';

const GLIDE_S = 6;
const STEPS = 48;

/** At which notes it is swept beside the patch's own. */
export type Notes = 'this note' | 'three octaves' | 'soft to hard' | 'both';

/** The steps of keys, in semitones, that stand beside the note. */
const OCTAVES = [-12, 0, 12];

/** Returns true where two patches differ at most in what is noted about them. */
function soundsAlike(one: Patch, other: Patch): boolean {
  const of = ({ name: _n, notes: _t, tags: _g, set_aside: _s, useful_ranges: _u, ...sound }: Patch): string =>
    JSON.stringify(sound);
  return one === other || of(one) === of(other);
}

export class Ranging {
  of = $state('cutoff');
  /** Where the sweep begins and ends; the whole range where nothing is said. */
  low: number | null = $state(null);
  high: number | null = $state(null);
  notes: Notes = $state('this note');
  /** What is swept on the map beside it. */
  up = $state('');
  found: Found | null = $state.raw(null);
  private isWhole = $state(false);
  /** The patch that was swept. */
  private sweptPatch: Patch | null = $state.raw(null);
  map: FoundMap | null = $state.raw(null);
  /** How often the patch was changed since it was swept. */
  behind = $state(0);
  /** The step that is pointed at. */
  step: number | null = $state(null);
  private loops: Loops | null = null;
  /** The job that sweeps, and the one that sweeps two controls at once. */
  private readonly swept: ShownJob;
  private readonly mapped: ShownJob;

  /** The range at the note that is heard. */
  readonly range: Range | null = $derived(this.found?.ranges[0] ?? null);
  /** Between which values it is useful, as it is kept with the patch. */
  readonly kept = $derived.by(() => this.bench.patch?.useful_ranges?.[this.of] ?? null);

  constructor(
    private readonly bench: Workbench,
    private readonly player: Player
  ) {
    this.mapped = new ShownJob(bench, {
      clear: () => (this.map = null),
      made: (result) => (this.map = result as FoundMap)
    });
    this.swept = new ShownJob(bench, {
      clear: () => {
        this.loops?.rest();
        this.loops = this.found = null;
        this.isWhole = false;
        this.sweptPatch = null;
        this.step = null;
        this.mapped.clear();
      },
      soFar: (known) => (this.found = known as Found),
      made: (result, job) => {
        const found = (this.found = result as Found);
        this.isWhole = true;
        if (!this.sweptPatch) this.sweptPatch = bench.patch;
        this.behind = Math.max(0, (bench.drafts.head?.sequence ?? 0) - Number(job.facts['sequence'] ?? 0));
        this.loops = found.sounds ? new Loops(player, found.sounds.rate, found.sounds.loops) : null;
      }
    });
  }

  get running(): Job | undefined {
    return this.swept.running ?? this.mapped.running;
  }

  /** Whether not all steps were swept: what was found so far may change, and cannot be kept. */
  get unfinished(): boolean {
    return this.found !== null && !this.isWhole;
  }

  /** True where the patch sounds otherwise than when it was swept. */
  readonly isOld: boolean = $derived.by(() => {
    const { patch } = this.bench;
    return this.found !== null && patch !== null && this.sweptPatch !== null && !soundsAlike(patch, this.sweptPatch);
  });

  get trouble(): string {
    return this.swept.trouble || this.mapped.trouble;
  }

  /** Shows what was found last of what is chosen; nothing where it was not swept yet. */
  async show(): Promise<void> {
    const { bench, of } = this;
    const { id } = bench;
    await this.swept.show(
      `${id} ${of}`,
      ({ kind, facts }) => kind === 'sweep' && facts['patch'] === id && facts['of'] === of
    );
  }

  /** Chooses something else to be swept. */
  choose(name: string): void {
    this.of = name;
    this.low = this.high = null;
    void messages.attempt(() => this.show());
  }

  private about(patch: Patch): { document: Record<string, unknown>; patch: string; sequence: number; of: string } {
    return {
      document: asBody(patch),
      patch: this.bench.id,
      sequence: this.bench.drafts.head?.sequence ?? 0,
      of: this.of
    };
  }

  private ends(): { low?: number; high?: number } {
    return { ...(this.low !== null ? { low: this.low } : {}), ...(this.high !== null ? { high: this.high } : {}) };
  }

  private get playedAt(): { key: number; velocity: number }[] {
    const { key, velocity } = this.bench;
    const keys = this.notes === 'three octaves' || this.notes === 'both' ? OCTAVES.map((by) => key + by) : [key];
    const hard =
      this.notes === 'soft to hard' || this.notes === 'both' ? VELOCITIES.map((one) => one.velocity) : [velocity];
    const all = keys.flatMap((k) => hard.map((v) => ({ key: k, velocity: v })));
    const own = { key, velocity };
    const others = all.filter(
      (note) => note.key >= 0 && note.key <= 127 && (note.key !== key || note.velocity !== velocity)
    );
    return [own, ...others].slice(0, 9);
  }

  /** Sweeps what is chosen. */
  async sweep(): Promise<void> {
    await this.bench.settled();
    const { patch } = this.bench;
    if (!patch) return;
    const isLast = this.swept.clear();
    this.sweptPatch = patch;
    const notes = this.playedAt;
    const request = {
      kind: 'sweep' as const,
      ...this.about(patch),
      ...this.ends(),
      steps: STEPS,
      keep_routes: false,
      notes
    };
    await this.swept.ask(request, isLast);
  }

  cancel(): void {
    (this.swept.running ? this.swept : this.mapped).cancel();
  }

  /** Points at a step; with `hear` it sounds for as long as it is pointed at. */
  point(step: number | null, hear: boolean): void {
    this.step = step;
    if (step === null || !hear || !this.range || !this.loops || !this.bench.patch) {
      this.loops?.rest();
      return;
    }
    const at = this.range.steps[step]!;
    const down = this.player.guard({
      loudness: middleLoudness(this.range),
      centroid: at.centroid_hz,
      patch: this.bench.patch
    });
    void messages.attempt(() => this.loops!.hear(step, down));
  }

  /** Plays one long note that goes through the whole sweep. */
  async glide(): Promise<void> {
    const { range } = this;
    const { patch } = this.bench;
    if (!range || !patch) return;
    const [low, high] = [range.steps[0]!.value, range.steps.at(-1)!.value];
    const body = { ...this.about(patch), low, high, seconds: GLIDE_S };
    const { document } = await unwrap(api.POST('/api/sweep/glide', { body }));
    await this.player.sound(document as unknown as Patch, 0, {});
  }

  /** Keeps between which values it is useful, with the patch. */
  keep(low: number, high: number, merge = ''): void {
    const { patch } = this.bench;
    if (!patch || !(low < high)) return;
    const unit = this.range?.unit ?? 'signal';
    const [from, to] = [low, high].map((value) => Number(value.toPrecision(4))) as [number, number];
    const label = `useful from ${shown(from, unit)} to ${shown(to, unit)}`;
    const next = { ...patch.useful_ranges, [this.of]: { low: from, high: to } };
    const after = { ...patch, useful_ranges: next };
    // What is dragged is kept at each step of the way; what is said once is an act.
    if (merge) this.bench.edit(label, after, merge);
    else this.bench.act('range', label, after);
  }

  forget(): void {
    const { patch } = this.bench;
    if (!patch) return;
    const rest = { ...patch.useful_ranges };
    delete rest[this.of];
    this.bench.edit(`no useful range of ${this.range?.title.toLowerCase() ?? this.of}`, {
      ...patch,
      useful_ranges: rest
    });
  }

  /** Sweeps two controls at once. */
  async mapIt(): Promise<void> {
    await this.bench.settled();
    const { patch } = this.bench;
    if (!patch || !this.up) return;
    const isLast = this.mapped.clear();
    await this.mapped.ask({ kind: 'map', ...this.about(patch), ...this.ends(), up: this.up, steps: 12 }, isLast);
  }

  /** Sets both controls of the map to a pair of values. */
  async goTo(across: number, up: number): Promise<void> {
    const { map } = this;
    if (!map) return;
    const said = `${map.across.title.toLowerCase()} ${shown(across, map.across.unit)}, ${map.up.title.toLowerCase()} ${shown(up, map.up.unit)}`;
    await this.bench.work(said.slice(0, 60), async (patch) => {
      let document = asBody(patch);
      for (const [of, value] of [
        [map.across.of, across],
        [map.up.of, up]
      ] as const)
        ({ document } = await unwrap(api.POST('/api/sweep/at', { body: { document, of, value } })));
      return { document };
    });
  }
}
