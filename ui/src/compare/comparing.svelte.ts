/** What Compare compares: the steps of a sweep, versions or other patches, in the order in which they are shown. */
import { api, asBody, unwrap, type Patch } from '../api/api';
import type { Workbench } from '../state/workbench.svelte';
import type { Performed } from '../session/session';
import { stepLabel, sweepsOf, type Comparison, type Sweep, type ComparedStep } from './compared';
import { patchOf, revisionPatch, revisions } from '../state/library';
import type { components } from '../api/schema.gen';
import { unpackRow, type Row } from '../api/sheet';
import { workFor } from '../session/window';

type LevelsBody = components['schemas']['CompareRequest'];
export type StepLevel = components['schemas']['StepLevel'];

/** So many versions, patches or phrases stand beside the present one. */
export const MOST_OTHERS = 5;
const COLUMNS = 300;

export interface Compared {
  label: string;
  /** What is played at this step: the patch, and the phrase that it is under. */
  patch: Patch;
  performed: Performed;
  facts: ComparedStep;
  lanes: Record<string, Row>;
  /** Its place in the answer. */
  place: number;
  /** How it sounds, and by how much it is turned down so that every step is as loud as the quietest, once known. */
  level: StepLevel | null;
}

/** What stands beside the present patch instead of a sweep of it. */
export const BESIDE = ['versions', 'patches', 'phrases'] as const;

/** Stands for the test note among phrases. */
export const TEST_NOTE = 'test note';

/** What is compared: the open patch, at its note. */
export type Comparable = Pick<Workbench, 'patch' | 'key' | 'note' | 'tempo' | 'playedModules'> &
  Partial<Pick<Workbench, 'performed'>>;

/** Returns names that are all unlike, by a number where some were alike. */
const apart = (names: readonly string[]): string[] =>
  names.map((name, i) => {
    const before = names.slice(0, i).filter((other) => other === name).length;
    return before ? `${name} (${before + 1})` : name;
  });

export class Comparing {
  constructor(private readonly of: Comparable) {}

  /** The name of a sweep, or one of BESIDE. */
  chosen: string = $state('soft, medium, hard');
  /** Other patches or phrases by their id, where those are compared. */
  others: string[] = $state.raw([]);
  steps: Compared[] = $state.raw([]);
  titles: Record<string, string> = $state.raw({});
  units: Record<string, string> = $state.raw({});
  /** The sweep that the shown steps are of; nothing where they are versions or patches. */
  over: Sweep | undefined = $state.raw(undefined);
  /** Settings in which versions or patches are unlike. */
  differences: Comparison['differences'] = $state.raw([]);
  trouble = $state('');
  busy = $state(false);
  /** The levels of the steps, as they are asked for. */
  private levels: Promise<void> = Promise.resolve();
  private abort: AbortController | null = null;

  /** The staves of the voice that any step has. */
  readonly names = $derived(Object.keys(this.titles).filter((name) => !/[.:]/.test(name)));

  stop(): void {
    this.abort?.abort();
    this.busy = false;
  }

  /** Exchanges two steps; differences are told from the first. */
  swap(a: number, b: number): void {
    const steps = [...this.steps];
    [steps[a], steps[b]] = [steps[b]!, steps[a]!];
    this.steps = steps;
  }

  async refresh(): Promise<void> {
    const { patch } = this.of;
    if (!patch) return;
    this.abort?.abort();
    const mine = (this.abort = new AbortController());
    const asked = sweepsOf(this.of.playedModules).find((one) => one.name === this.chosen);
    if (asked?.by === 'length_s' && this.of.performed?.phrase) {
      this.steps = [];
      this.over = undefined;
      this.busy = false;
      this.trouble = 'The notes of a phrase have lengths of their own. To compare lengths, play the test note instead.';
      return;
    }
    this.busy = true;
    try {
      const note = { key: this.of.key, length_s: this.of.note.length_s ?? 1, tempo: this.of.tempo };
      const values = asked ? asked.steps(note) : [];
      const phrases = this.chosen === 'phrases' ? await this.phrases() : [];
      const others = asked || this.chosen === 'phrases' ? [] : await this.beside(patch);
      const body = {
        document: asBody(patch),
        ...this.of.performed,
        by: asked?.by ?? 'velocity',
        steps: values,
        others: others.map((other) => asBody(other.patch)),
        phrases: phrases.map((one) => one.phrase),
        columns: COLUMNS
      };
      const { signal } = mine;
      const answer = (await unwrap(
        api.POST('/api/compare', { body, signal, headers: workFor('compare') })
      )) as Comparison;
      if (mine !== this.abort) return;
      const entries = asked
        ? values.map((value) => ({ label: stepLabel(asked, value), patch }))
        : phrases.length > 0
          ? phrases.map(({ label }) => ({ label, patch }))
          : [{ label: 'present', patch }, ...others];
      const labels = apart(entries.map(({ label }) => label));
      this.steps = entries.map((entry, i) => {
        const facts = answer.steps[i]!;
        const lanes = Object.entries(facts.lanes).map(([name, row]) => [name, unpackRow(row, COLUMNS)] as const);
        const { performance, phrase } = facts;
        return {
          label: labels[i]!,
          patch: { ...entry.patch, performance },
          performed: phrase ? { ...this.of.performed, phrase } : {},
          facts,
          lanes: Object.fromEntries(lanes),
          place: i,
          level: null
        };
      });
      this.titles = answer.titles;
      this.units = answer.units;
      this.over = asked;
      this.differences = answer.differences;
      this.levels = this.level(body, signal);
      // Whoever plays a step is told why it has no gain; nobody else waits for it.
      this.levels.catch(() => {});
      this.trouble = '';
      performance.mark('jorvik:compared');
    } catch (error) {
      if (mine === this.abort && !(error instanceof DOMException))
        this.trouble = error instanceof Error ? error.message : String(error);
    }
    if (mine === this.abort) this.busy = false;
  }

  /** Asks how loud each step is. */
  private async level(body: LevelsBody, signal: AbortSignal): Promise<void> {
    const of = this.steps;
    const found = await unwrap(api.POST('/api/levels', { body, signal, headers: workFor('levels') }));
    const levels = new Map(of.map((step, i) => [step.facts, found[i] ?? null]));
    this.steps = this.steps.map((step) => ({ ...step, level: levels.get(step.facts) ?? step.level }));
  }

  /** Returns by how much a step is turned down when it is played, once that is known. */
  async gainOf(step: Compared): Promise<number> {
    await this.levels;
    return this.steps.find((one) => one.facts === step.facts)?.level?.gain_db ?? 0;
  }

  /** Returns what the patch is played under in turn: as it is now, then what was chosen. */
  private async phrases(): Promise<{ label: string; phrase: Record<string, unknown> | null }[]> {
    const now = this.of.performed?.phrase ?? null;
    const named = (phrase: Record<string, unknown> | null): string =>
      String(phrase ? (phrase['name'] ?? 'Untitled') : TEST_NOTE);
    const found = await Promise.all(
      this.others.slice(0, MOST_OTHERS).map(async (id) => {
        const path = { document_id: id };
        return id !== TEST_NOTE
          ? (await unwrap(api.GET('/api/phrases/{document_id}', { params: { path } }))).document
          : null;
      })
    );
    return [now, ...found].map((phrase) => ({ label: named(phrase), phrase }));
  }

  /** Compares the present patch with some others. */
  withOthers(ids: string[]): void {
    this.chosen = 'patches';
    this.others = ids;
  }

  /** Returns what stands beside the present patch, each played at its test note. */
  private async beside(patch: Patch): Promise<{ label: string; patch: Patch }[]> {
    const at = (other: Patch): Patch => {
      const { notes, tempo_bpm, beats_per_bar, tail_s, seed } = patch.performance ?? {};
      return { ...other, performance: { ...other.performance, notes, tempo_bpm, beats_per_bar, tail_s, seed } };
    };
    if (this.chosen === 'patches') {
      const found = await Promise.all(this.others.slice(0, MOST_OTHERS).map(patchOf));
      return found.map((other) => ({ label: other.name ?? 'Untitled', patch: at(other) }));
    }
    const kept = (await revisions()).slice(0, MOST_OTHERS);
    return Promise.all(
      kept.map(async ({ number, reason }) => ({
        label: reason && reason !== 'saved' ? `${number}, ${reason}` : `version ${number}`,
        patch: at(await revisionPatch(number))
      }))
    );
  }
}
