/** Practice: the task at hand, the answer as it grows, its marks, how far one is, and pairs for one's own ear. */
import { api, asBody, unwrap, type Patch } from '../api/api';
import type { components } from '../api/schema.gen';
import { Latest } from '../state/latest';
import { keepNew } from '../state/library';
import type { Player } from '../state/player.svelte';
import type { Workbench } from '../state/workbench.svelte';

export type Standing = components['schemas']['Standing'];
export type TaskView = components['schemas']['TaskView'];
export type MarkedView = components['schemas']['MarkedView'];
export type Curve = components['schemas']['TaskCurve'];
export type Dimension = components['schemas']['PairRequest']['dimension'];
type Pair = components['schemas']['HeardPair'];

/** The tag of patches that were opened out of a task. */
const TAG = 'practice';

export class Practising {
  standing: Standing | null = $state.raw(null);
  /** Rules and figures that there are tasks about. */
  abouts: ReadonlySet<string> = $state.raw(new Set());
  view: TaskView | null = $state.raw(null);
  values: Record<string, string> = $state({});
  /** What was played: points of a lane in seconds. */
  lane: [number, number][] = $state.raw([]);
  marked: MarkedView | null = $state.raw(null);
  showing = $state(true);
  /** Where a part of the marks is seen. */
  pointed: { stave: string; at: number } | null = $state.raw(null);
  /** The kept patch that the task was opened as. */
  opened = $state('');
  /** What is listened for, where one's own threshold is found. */
  dimension: Dimension | '' = $state('');
  pair: Pair | null = $state.raw(null);
  /** What was said of the last pair. */
  said = $state('');
  /** Whether another task is on its way. */
  coming = $state(false);
  /** What was asked for: a task, to open it, its marks, a pair. What comes after a newer question is let go. */
  private readonly asked = new Latest();
  private readonly stood = new Latest();

  constructor(
    private readonly bench: Workbench,
    private readonly player: Player
  ) {}

  readonly task = $derived(this.view?.task ?? null);
  /** Whether the answer is the patch that was opened, and that is the one on the bench. */
  readonly byPatch = $derived(this.task?.kind === 'find' || this.task?.kind === 'make');
  /** Whether the patch that was opened is the one on the bench. */
  get inHand(): boolean {
    return this.opened !== '' && this.opened === this.bench.id;
  }

  private ask(): () => boolean {
    this.coming = false;
    return this.asked.ask();
  }

  async refresh(): Promise<void> {
    await this.stands(unwrap(api.GET('/api/practice')));
  }

  /** Learns what there are tasks about, which stays as it is. */
  async learnAbouts(): Promise<void> {
    if (this.abouts.size === 0) this.abouts = new Set(await unwrap(api.GET('/api/practice/abouts')));
  }

  /** Shows how far one is, as the newest answer has it. */
  private stands(answer: Promise<Standing>): Promise<void> {
    return this.stood.keep(answer, (standing) => (this.standing = standing));
  }

  /** Asks for a task: what comes next, of a kind, about a rule or a figure, or the same again. */
  async next(wanted: components['schemas']['NextRequest'] = {}): Promise<void> {
    const isLast = this.ask();
    this.coming = true;
    this.player.stop();
    const answer = unwrap(api.POST('/api/practice/next', { body: wanted }));
    const view = await answer.finally(() => (this.coming &&= !isLast()));
    if (!isLast()) return;
    this.dimension = '';
    this.view = view;
    this.values = {};
    this.lane = [];
    this.marked = null;
    this.opened = '';
    this.showing = true;
    this.pointed = null;
  }

  async play(patch: Record<string, unknown> | null | undefined): Promise<void> {
    if (patch) await this.player.sound(patch as Patch, 0);
  }

  /** Plays what is heard with the figures that were set: to set them until it sounds the same. */
  async playYours(): Promise<void> {
    const { task } = this;
    if (!task) return;
    const { kind, level = 1, seed = 0 } = task;
    const answer = { values: { ...this.values }, patch: null, lane: [] };
    await this.play(await unwrap(api.POST('/api/practice/yours', { body: { kind, level, seed, answer } })));
  }

  /** Opens what the task is about as a patch of one's own, to be explored or put right. */
  async open(): Promise<void> {
    const { task } = this;
    if (!task?.patch) return;
    const isLast = this.ask();
    const isShown = await this.bench.bring(() => keepNew({ ...(task.patch as Patch), tags: [TAG] }));
    if (!isShown || !isLast()) return;
    this.opened = this.bench.id;
    this.bench.view = 'note';
  }

  async handIn(): Promise<void> {
    const { task } = this;
    if (!task) return;
    const isLast = this.ask();
    await this.bench.settled();
    const answer = {
      values: { ...this.values },
      patch: this.byPatch && this.inHand && this.bench.patch ? asBody(this.bench.patch) : null,
      lane: this.lane
    };
    const { kind, level = 1, seed = 0 } = task;
    const marked = await unwrap(api.POST('/api/practice/mark', { body: { kind, level, seed, answer } }));
    if (isLast()) this.marked = marked;
    await this.refresh();
  }

  /** Begins to find a threshold of one's own ear, or goes on with it. */
  async listen(dimension: Dimension): Promise<void> {
    this.view = this.marked = null;
    this.dimension = dimension;
    this.said = '';
    await this.nextPair();
  }

  private async nextPair(): Promise<void> {
    const isLast = this.ask();
    if (!this.dimension) return;
    const pair = await unwrap(api.POST('/api/practice/pair', { body: { dimension: this.dimension } }));
    if (isLast()) this.pair = pair;
  }

  async hearPair(which: number): Promise<void> {
    await this.play(this.pair?.patches[which]);
  }

  /** Says which of the two it was; the next pair is as far apart as tells the most. */
  async say(which: number): Promise<void> {
    const { pair, dimension } = this;
    if (!pair || !dimension) return;
    this.pair = null;
    const trial = { difference: pair.difference, right: which === pair.more };
    this.said = trial.right ? 'Right.' : `It was the ${pair.more === 0 ? 'first' : 'second'}.`;
    const isSame = this.asked.since();
    await this.stands(unwrap(api.POST('/api/practice/trial', { body: { dimension, trial } })));
    if (isSame() && !this.standing?.thresholds[dimension]?.sure) await this.nextPair();
  }

  async forget(dimension: Dimension): Promise<void> {
    await this.stands(unwrap(api.DELETE('/api/practice/trials/{dimension}', { params: { path: { dimension } } })));
  }

  async own(on: boolean): Promise<void> {
    await this.stands(unwrap(api.PUT('/api/practice/own', { body: { on } })));
    // What is open is judged again, by the other ear.
    this.bench.judging.again();
  }

  async takeOut(): Promise<Record<string, unknown>> {
    return unwrap(api.GET('/api/practice/file'));
  }

  async readIn(document: Record<string, unknown>): Promise<void> {
    await this.stands(unwrap(api.PUT('/api/practice/file', { body: { document } })));
  }
}
