/** The workbench: the open patch, what is chosen of it, and every change to it. */
import { SvelteSet } from 'svelte/reactivity';
import { api, asBody, unwrap } from '../api/api';
import type { Catalogue, FindingView, Head, Kept, Module, Patch, Place, Route } from '../api/api';
import { modules, playedModules, routes } from './document';
import { Phrasing } from '../phrase/phrasing.svelte';
import { Connection } from '../session/connection';
import { Session, type Heard, type Note, type Performed } from '../session/session';
import { EMPTY, hitsOf } from '../phrase/phrase';
import { Jobs, type JobServer } from './jobs.svelte';
import { Judging } from './judging.svelte';
import { DraftStore, type NotApplied } from '../session/drafts.svelte';
import { messages } from './messages.svelte';
import { enter, type LoggedAct } from './logging';
import { settings } from './settings.svelte';
import type { Sheet } from '../api/sheet';
import { freshId, stayAlive } from '../session/window';
import { Latest } from './latest';
import { workedOut } from './worked-out';
import { Staves } from './staves.svelte';
import { History } from '../session/history.svelte';
import { Tracing } from './tracing.svelte';

/** The patch as a whole, as what is chosen. */
export const WHOLE: Place = { what: 'patch', id: '' };

const FIRST_DEMO = 'ferry-horn';

/** Reads a patch as the store has it. */
export const keptOf = (id: string): Promise<Kept> =>
  unwrap(api.GET('/api/patches/{document_id}', { params: { path: { document_id: id } } }));

const at = (id: string): { params: { path: { job_id: string } } } => ({ params: { path: { job_id: id } } });

const JOBS: JobServer = {
  list: () => unwrap(api.GET('/api/jobs')),
  ask: (id, body) => unwrap(api.PUT('/api/jobs/{job_id}', { ...at(id), body })),
  cancel: (id) => unwrap(api.POST('/api/jobs/{job_id}/cancel', at(id))),
  forget: async (id) => void (await unwrap(api.DELETE('/api/jobs/{job_id}', at(id)))),
  soFar: (id) => unwrap(api.GET('/api/jobs/{job_id}/so-far', { ...at(id), parseAs: 'json' })),
  result: (id) => unwrap(api.GET('/api/jobs/{job_id}/result', { ...at(id), parseAs: 'json' }))
};

/** What an answer of the core was made of. */
export interface Present {
  patch: Patch | null;
  performed: Performed;
}

export class Workbench {
  catalogue: Catalogue | null = $state.raw(null);
  patch: Patch | null = $state.raw(null);
  heads: Head[] = $state.raw([]);
  chosen: Place | { what: 'phrase' | 'takes'; id: string } = $state.raw(WHOLE);
  /** The moment that is read out; nothing while nobody points. */
  private pointed: number | null = $state(null);
  /** The moment that was read out last, which every view begins with. */
  moment: number | null = $state(null);
  /** Two posts between which is measured. */
  posts: [number, number] | null = $state.raw(null);
  /** Between which values a stave shall move: its page takes that up as its targets. */
  aimed: { lane: string; least: number; greatest: number } | null = $state.raw(null);
  /** Whether WAV files of the patch are asked for. */
  files = $state(false);
  /** Whether the harmonic builder is open. */
  building = $state(false);
  /** The view that is shown, by its id in the table of views. */
  view = $state('note');
  loading = $state(true);
  failure = $state('');
  readonly drafts = new DraftStore<Patch>({
    merged: (patch) => this.merged(patch),
    refused: (patch, sentence) => this.dropped(patch, sentence)
  });
  readonly steps = new History();
  readonly staves = new Staves();
  readonly session = new Session((listener) => new Connection(listener));
  readonly tracing = new Tracing(this, this.session);
  readonly judging = new Judging(this, this.session);
  readonly jobs = new Jobs(JOBS, freshId);
  readonly phrasing = new Phrasing(this);

  /** The last patch that the core took. */
  private good: Patch | null = null;
  /** What was asked to be shown: what comes after a newer question is let go. */
  private readonly asked = new Latest();
  private readonly listed = new Latest();
  private unsettled = new SvelteSet<Promise<void>>();

  note = $derived(this.patch?.performance?.notes?.[0] ?? {});
  /** Key and velocity of the note that is looked at: of a phrase's, the one whose voice is strong. */
  key = $derived((this.phrasing.note ?? this.note).key ?? 60);
  velocity = $derived((this.phrasing.note ?? this.note).velocity ?? 96);
  tempo = $derived(
    this.phrasing.phrase ? (this.phrasing.phrase.tempo_bpm ?? 96) : (this.patch?.performance?.tempo_bpm ?? 120)
  );
  beatsPerBar = $derived((this.phrasing.phrase ?? this.patch?.performance)?.beats_per_bar ?? 4);
  /** The signals that are played: those of every note, and the hits of the phrase. */
  signals = $derived([
    ...Object.keys(this.catalogue?.signals ?? {}),
    ...hitsOf(this.phrasing.phrase ?? EMPTY).flatMap((hit) => [`hit:${hit.id}`, `hit:${hit.id}:trigger`])
  ]);

  /** The sources that a control lane plays, each with the lane's name. */
  playedModules = $derived(this.patch && this.catalogue ? playedModules(this.patch, this.catalogue) : []);

  /** Returns whether a source is drawn by points that run along time. */
  isDrawnInTime(module: Module): boolean {
    const facts = this.catalogue?.kinds.find((one) => one.kind === module.kind);
    return facts?.fields.some((field) => field.across === 'time') ?? false;
  }

  /** Returns the least and the greatest value of a played lane. */
  laneRange(name: string): readonly [number, number] {
    const [low = 0, high = 1] = this.catalogue?.controls[name.split(':')[0]!] ?? [];
    return [Number(low), Number(high)];
  }

  /** The staves that the sheet shows: the voice's destinations that are moved or asked for, and what was raised. */
  standing = $derived(
    Object.keys(this.sheet?.lanes ?? {}).filter((name) => !/[.:]/.test(name) || this.pinned.includes(name))
  );

  /** The key that the pitch is counted from at a moment: of one voice for all notes, that of the note it has then. */
  keyAt(time: number): number {
    const notes = this.sheet?.notes ?? [];
    return (notes.findLast((note) => note.on_s <= time) ?? notes[0])?.key ?? this.key;
  }

  /** The key by which heights of the pitch have names; none where notes of several keys share them. */
  get oneKey(): number | null {
    const keys = new Set((this.sheet?.notes ?? []).map((note) => note.key));
    return keys.size > 1 ? null : this.keyAt(0);
  }

  get cursor(): number | null {
    return this.pointed;
  }
  set cursor(at: number | null) {
    this.pointed = at;
    if (at !== null) this.moment = at;
  }

  get sheet(): Sheet | null {
    return this.tracing.sheet;
  }

  get pinned(): readonly string[] {
    return this.staves.pinned;
  }

  /** Raises a signal or a destination to a stave, or lowers it again. */
  pin(name: string): void {
    this.staves.pin(name);
    this.tracing.ask();
  }

  async start(): Promise<void> {
    stayAlive();
    try {
      this.catalogue = await unwrap(api.GET('/api/catalogue'));
      await Promise.all([this.refreshHeads(), this.phrasing.refresh()]);
      const asked = location.hash.slice(1) || settings.now.last;
      const first = this.heads.find((head) => head.id === asked) ?? this.heads.find((h) => h.demo === FIRST_DEMO);
      const opening = first ?? this.heads[0];
      if (opening) await this.open(opening.id);
    } catch (error) {
      this.failure = error instanceof Error ? error.message : String(error);
    }
    this.loading = false;
    void messages.attempt(() => this.jobs.refresh());
  }

  async refreshHeads(): Promise<void> {
    await this.listed.keep(unwrap(api.GET('/api/patches')), (heads) => (this.heads = heads));
  }

  open(id: string): Promise<boolean> {
    return this.bring(() => keptOf(id));
  }

  /** Shows the open patch as the store has it now, where it was changed there; not where another was asked for. */
  async reread(): Promise<void> {
    const { id } = this;
    await this.bring(() => keptOf(id), this.asked.since());
  }

  /**
   * Shows a patch that is fetched, or made first. What was typed until then belongs to the patch that it was typed in.
   * Tells whether it is shown: where another was asked for meanwhile, that one is.
   */
  async bring(fetch: () => Promise<Kept>, isLast = this.asked.ask()): Promise<boolean> {
    await this.rested();
    const kept = await fetch();
    await this.quiet();
    if (!isLast()) return false;
    await this.show(kept, isLast);
    return isLast();
  }

  /** Shows a patch that the store handed over, with what an earlier window left of it. */
  private async show(kept: Kept, isLast: () => boolean): Promise<void> {
    const { document: patch, isRestored, notApplied } = await this.drafts.open(kept);
    this.patch = patch;
    if (isRestored) messages.say('Restored the edits that the last window could not save.');
    if (notApplied) this.offer(notApplied);
    this.good = kept.document as unknown as Patch;
    this.posts = null;
    this.cursor = this.moment = null;
    this.chosen = WHOLE;
    this.staves.open(kept.id);
    void this.steps.open(kept.id, this.patch);
    settings.set({ last: kept.id });
    history.replaceState(null, '', `#${kept.id}`);
    document.title = `${this.patch.name ?? 'Untitled'} · Jorvik`;
    await this.phrasing.open(kept.id);
    if (!isLast()) return;
    this.judging.open();
    this.tracing.open();
  }

  /** Offers edits that were made away and not applied. */
  private offer({ apply }: NotApplied): void {
    const said = 'Edits of an earlier window were not applied, because the same fields were changed meanwhile.';
    messages.say(said, false, { label: 'Apply', run: apply }, true);
  }

  /** Shows the patch with the edits of another window. */
  merged(patch: Patch): void {
    this.replace(patch);
    messages.say('Merged the edits of another window.');
  }

  /** Drops an edit that does not go with the edits of another window, and shows the patch as the server has it. */
  private dropped(patch: Patch, sentence: string): void {
    messages.say(`Not applied: ${this.steps.undoLabel}. Another window changed the patch. ${sentence}`, true);
    if (this.patch) this.steps.forget(this.patch);
    this.replace(patch);
  }

  /** Makes a change that enters itself in the logbook. */
  act(act: LoggedAct, label: string, after: Patch): void {
    if (this.patch && after !== this.patch) enter(act, label, this.id, asBody(this.patch), asBody(after));
    this.edit(label, after);
  }

  /** Makes a change: shown, undoable under its name, and kept. Changes with one `merge` key soon after are one step. */
  edit(label: string, after: Patch, merge = '', draft = false): void {
    if (!this.patch || after === this.patch) return;
    this.steps.add(label, this.patch, after, merge);
    this.put(after, draft);
  }

  /** What requests say of the phrase that the patch is played under, and the number of that performance. */
  get performed(): Performed {
    return this.phrasing.performed;
  }

  get performance(): number {
    return this.phrasing.take;
  }

  /** Returns the sound of the patch as it is now. */
  hear(note: Note, signal: AbortSignal): Promise<Heard> {
    return this.session.hear(note, signal);
  }

  /** The patch as it is now, and as it is played now. */
  get present(): Present {
    return { patch: this.patch, performed: this.performed };
  }

  /** Returns true where an answer is of an earlier edit. */
  isOld(of: Present | null): boolean {
    return of !== null && (of.patch !== this.patch || of.performed !== this.performed);
  }

  /** The phrase, or whose voice is strong, is another. */
  performedAnew(): void {
    this.judging.anew();
    this.tracing.ask();
  }

  /** What was changed last, patch or phrase, is what is taken back, and done again. */
  private get back(): 'patch' | 'phrase' {
    return this.phrasing.phrase && this.phrasing.steps.lastAt > this.steps.lastAt ? 'phrase' : 'patch';
  }

  private get forth(): 'patch' | 'phrase' {
    const { undoneAt, redoLabel } = this.phrasing.steps;
    if (!this.phrasing.phrase || !redoLabel) return 'patch';
    return !this.steps.redoLabel || undoneAt < this.steps.undoneAt ? 'phrase' : 'patch';
  }

  undoLabel = $derived(this.back === 'phrase' ? this.phrasing.steps.undoLabel : this.steps.undoLabel);
  redoLabel = $derived(this.forth === 'phrase' ? this.phrasing.steps.redoLabel : this.steps.redoLabel);

  undo(): void {
    if (this.back === 'phrase') return this.phrasing.undo();
    const before = this.patch && this.steps.back(this.patch);
    if (before) this.put(before);
  }

  redo(): void {
    if (this.forth === 'phrase') return this.phrasing.redo();
    const after = this.patch && this.steps.forth(this.patch);
    if (after) this.put(after);
  }

  private put(patch: Patch, draft = false): void {
    this.drafts.keep(patch);
    this.replace(patch, draft);
  }

  private replace(patch: Patch, draft = false): void {
    this.patch = patch;
    document.title = `${patch.name ?? 'Untitled'} · Jorvik`;
    this.forgetChosenIfGone();
    this.tracing.ask(draft);
  }

  private forgetChosenIfGone(): void {
    const { patch, chosen } = this;
    if (
      !patch ||
      chosen.what === 'patch' ||
      chosen.what === 'stave' ||
      chosen.what === 'phrase' ||
      chosen.what === 'takes'
    )
      return;
    const ids = chosen.what === 'source' ? modules(patch).map((m) => m.id) : routes(patch).map((r) => r.id);
    if (!ids.includes(chosen.id)) this.chosen = WHOLE;
  }

  /** The core took a patch: its sheet stands. */
  traced(patch: Patch, performed: Performed): void {
    this.good = patch;
    if (performed === this.performed) this.phrasing.taken();
  }

  /** A change that the core refuses is taken back; the sentence says why. */
  refused(patch: Patch, sentence: string, performed: Performed): void {
    messages.say(sentence, true);
    // Under what is played now it is asked for again.
    if (performed !== this.performed || this.phrasing.refused()) return;
    // What was refused as it was opened has nothing to go back to.
    if (this.patch !== patch || !this.good || this.good === patch) return;
    this.steps.forget(patch);
    this.put(this.good);
  }

  /** Makes a change that the server works out. Where the patch has moved on meanwhile, it is worked out anew. */
  work(label: string, ask: (patch: Patch) => Promise<{ document: unknown }>): Promise<void> {
    const now = () => (this.patch ? { id: this.id, document: this.patch } : null);
    return this.settling(
      workedOut(label, now, ask).then((changed) => {
        if (changed) this.edit(label, changed.document as Patch);
      })
    );
  }

  /** Counts work whose outcome belongs to the open patch, such as a typed value being understood. */
  async settling(work: Promise<void>): Promise<void> {
    this.unsettled.add(work);
    await work.finally(() => this.unsettled.delete(work));
  }

  /** Whether something that was typed or asked for is not an edit yet. */
  get onTheWay(): boolean {
    return this.unsettled.size > 0;
  }

  /** Resolves when nothing that was typed is still on its way. */
  async settled(): Promise<void> {
    if (document.activeElement instanceof HTMLInputElement) document.activeElement.blur();
    await this.quiet();
  }

  /** Resolves when what was typed is kept, or cannot be kept now. */
  async rested(): Promise<void> {
    await this.settled();
    await this.drafts.flush();
  }

  private async quiet(): Promise<void> {
    while (this.onTheWay) await Promise.allSettled(this.unsettled);
  }

  /** The patch that is open, by its identity in the store. */
  get id(): string {
    return this.drafts.head?.id ?? '';
  }

  chosenModule(): Module | undefined {
    const { chosen, patch } = this;
    return chosen.what === 'source' && patch ? modules(patch).find((module) => module.id === chosen.id) : undefined;
  }

  chosenRoute(): Route | undefined {
    const { chosen, patch } = this;
    return chosen.what === 'route' && patch ? routes(patch).find((route) => route.id === chosen.id) : undefined;
  }

  /** Shows where a finding is: its stave, source or route, and the stretch of the note. */
  showFinding(finding: FindingView): void {
    this.chosen = finding.about;
    this.view = 'note';
    this.posts = [finding.from_s, finding.to_s];
    this.cursor = finding.from_s;
  }
}

export const workbench = new Workbench();
