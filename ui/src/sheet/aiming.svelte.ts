/** Targets for a stave: what it shall come to, at which notes, and what may change for it. */
import { api, asBody, unwrap, type Patch } from '../api/api';
import type { Workbench } from '../state/workbench.svelte';
import { reached, type Measures } from './reached';
import type { components } from '../api/schema.gen';
import { linesOf } from '../api/wire';

type Answer = components['schemas']['Answer'];
type Line = components['schemas']['SolveLine'];
export type Changeable = components['schemas']['Changeable'];
export type What = components['schemas']['Target']['what'];

export const AIMED: readonly (readonly [What, string])[] = [
  ['start', 'starts at'],
  ['peak', 'peak'],
  ['peak_s', 'peak after'],
  ['half_s', 'half down after'],
  ['tenth_s', 'a tenth left after'],
  ['settle', 'settles at'],
  ['least', 'least'],
  ['at_off', 'at note-off']
];

const NOTHING = 'nothing to change';

/** A figure that a stave shall have, at the note that is played where none is named. */
export interface Aimed {
  what: What;
  value: number;
  velocity: number | null;
  key: number | null;
}

/** What is aimed with: the open patch, its sheet and its figures. */
export type AimedAt = Pick<Workbench, 'patch' | 'sheet' | 'velocity' | 'key' | 'judging' | 'act'> &
  Partial<Pick<Workbench, 'performed'>>;

export class Aiming {
  targets: Aimed[] = $state.raw([]);
  /** The note that is aimed at at present; the one that is played where this is null. */
  velocity: number | null = $state(null);
  key: number | null = $state(null);
  /** The figures of another note. */
  private there: Measures | null = $state.raw(null);
  changeable: Changeable[] = $state.raw([]);
  /** What was taken in or left out by hand. */
  private picked: Record<string, boolean> = $state.raw({});
  answer: Answer | null = $state.raw(null);
  /** The patch that the answer is for. */
  private solved: Patch | null = null;
  tries = $state(0);
  abort: AbortController | null = $state.raw(null);

  constructor(
    readonly lane: string,
    private readonly of: AimedAt
  ) {}

  /** Figures of the note that is aimed at. */
  readonly measured: Measures | null = $derived.by(() =>
    this.velocity === null && this.key === null
      ? (this.of.judging.judgement?.measures.lanes[this.lane]?.measures ?? null)
      : this.there
  );
  /** What is usually changed for such targets, and what was taken in or left out by hand. */
  readonly offered = $derived(this.changeable.filter((c) => c.usual || c.name in this.picked));
  /** What could be let change too. */
  readonly others = $derived(this.changeable.filter((c) => !this.offered.includes(c)));
  /** The names of what may change, as things stand. */
  readonly changing = $derived(this.offered.filter((c) => this.changes(c)).map((c) => c.name));
  /** Targets at other notes than the one that is aimed at at present. */
  readonly elsewhere: Aimed[] = $derived(this.targets.filter((w) => !this.here(w)));

  private here(target: Aimed): boolean {
    return target.velocity === this.velocity && target.key === this.key;
  }

  targetOf(what: What): Aimed | undefined {
    return this.targets.find((w) => w.what === what && this.here(w));
  }

  /** What a figure is at the note that is aimed at; nothing where it is not known. */
  present(what: What): number | null {
    const of = this.measured;
    if (!of) return what.endsWith('_s') ? null : (this.of.sheet?.lanes[this.lane]?.set_value ?? null);
    if (what === 'half_s') return of.fall_s?.[0] ?? null;
    if (what === 'tenth_s') return of.fall_s?.[1] ?? null;
    if (what === 'settle') return of.settle ?? of.at_off;
    return what === 'greatest' ? of.peak : of[what];
  }

  /** The note that is aimed at at present. */
  get note(): Pick<Aimed, 'velocity' | 'key'> {
    return { velocity: this.velocity, key: this.key };
  }

  aim(what: What, value: number, note = this.note): void {
    const mine: Aimed = { what, value, ...note };
    const same = (w: Aimed): boolean => w.what === what && w.velocity === note.velocity && w.key === note.key;
    this.targets = [...this.targets.filter((w) => !same(w)), mine];
    this.leave();
  }

  forget(target: Aimed): void {
    this.targets = this.targets.filter((w) => w !== target);
    this.leave();
  }

  changes(one: Changeable): boolean {
    return this.picked[one.name] ?? one.usual;
  }

  pick(name: string, on: boolean): void {
    this.picked = { ...this.picked, [name]: on };
    this.leave();
  }

  /** Aims at another note from now on. */
  at(part: 'velocity' | 'key', value: number): void {
    this[part] = value === this.of[part] ? null : value;
    this.there = null;
  }

  /** Reads the figures of the note that is aimed at, where it is not the one that is played. */
  async look(patch: Patch): Promise<void> {
    if (this.velocity === null && this.key === null) return;
    const [velocity, key] = [this.velocity ?? this.of.velocity, this.key ?? this.of.key];
    const [found] = await reached(patch, this.lane, [key], [velocity], null, this.of.performed);
    if ((this.velocity ?? this.of.velocity) === velocity && (this.key ?? this.of.key) === key)
      this.there = found?.measures ?? null;
  }

  /** Asks what may change for the targets. */
  async offer(patch: Patch): Promise<void> {
    const { lane, targets } = this;
    if (targets.length === 0) return;
    const body = { document: asBody(patch), ...this.of.performed, lane, targets };
    this.changeable = (await unwrap(api.POST('/api/assist/changeable', { body })))!;
  }

  async solve(): Promise<void> {
    const from = this.of.patch;
    if (!from) return;
    const { lane, targets, changing } = this;
    const body = { document: asBody(from), ...this.of.performed, lane, targets, changing };
    this.abort = new AbortController();
    this.tries = 0;
    try {
      const lines = await unwrap(api.POST('/api/assist/solve', { body, signal: this.abort.signal, parseAs: 'stream' }));
      for await (const line of linesOf<Line>(lines!)) {
        this.tries = line.tries ?? this.tries;
        if (line.refused) throw new Error(line.refused);
        if (line.answer) [this.answer, this.solved] = [line.answer, from];
      }
      if (this.of.patch === from && this.answer) {
        const { changes, document } = this.answer;
        this.of.judging.try({ key: 'target', fix: changes.join('; ') || NOTHING, fixed: document }, from);
      }
    } catch (error) {
      if (!(error instanceof DOMException)) throw error;
    } finally {
      this.abort = null;
    }
    if (this.answer && this.of.patch !== from) {
      this.answer = null;
      await this.solve();
    }
  }

  take(): void {
    const document = this.answer?.document as unknown as Patch | undefined;
    if (!document) return;
    this.leave();
    this.of.act(
      'target',
      `target for ${(this.of.sheet?.lanes[this.lane]?.title ?? this.lane).toLowerCase()}`,
      document
    );
  }

  /** Drops an answer that is not of this patch: what was changed since would be lost with it. */
  keepUp(patch: Patch): void {
    if (this.answer && !this.abort && patch !== this.solved) this.leave();
  }

  /** Drops the answer, and the ghost of it. */
  leave(): void {
    if (this.answer) this.of.judging.leave();
    this.answer = null;
  }

  stop(): void {
    this.abort?.abort();
  }
}
