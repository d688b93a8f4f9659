/** The workbench: the open patch, its sheet, what is chosen, and the way back. */
import { get, set } from 'idb-keyval';
import { api, plain, Refused, taken, Unreachable } from './api';
import type { Catalogue, FindingView, Head, Judgement, Kept, Module, Patch, Route } from './api';
import {
  addModule,
  addRoute,
  duplicateModule,
  handOver,
  inverted,
  soloed,
  freeId,
  modules,
  removeModule,
  removeRoutes,
  replaceModule,
  replaceRoute,
  routes,
  verbOf
} from './document';
import { Keeper } from './keeper.svelte';
import { settings } from './settings.svelte';
import { extentOf, unpack, type Sheet } from './sheet';

export type Chosen =
  { what: 'patch' } | { what: 'source'; id: string } | { what: 'route'; id: string } | { what: 'stave'; id: string };

interface Step {
  label: string;
  before: Patch;
  after: Patch;
  merge: string;
  at: number;
}

export interface Message {
  id: number;
  text: string;
  trouble: boolean;
  act?: { label: string; run: () => void };
}

export const VELOCITIES = [
  { name: 'soft', velocity: 40 },
  { name: 'middle', velocity: 80 },
  { name: 'hard', velocity: 118 }
] as const;

const FULL_RATE = 48_000;
const DRAFT_RATE = 12_000;
const MERGE_MS = 1200;
const MESSAGE_MS = 9000;

class Bench {
  catalogue: Catalogue | null = $state.raw(null);
  patch: Patch | null = $state.raw(null);
  sheet: Sheet | null = $state.raw(null);
  /** A version held behind the present one. */
  ghost: { patch: Patch; label: string; sheet: Sheet | null } | null = $state.raw(null);
  /** The stretch of the note that the sheet shows; all of it where this is null. */
  span: { from: number; to: number } | null = $state.raw(null);
  /** Two posts between which is measured. */
  posts: [number, number] | null = $state.raw(null);
  /** How each stave lies, and in which order they stand. */
  layout: Record<string, { size?: 'plain' | 'folded' | 'large'; order?: number }> = $state({});
  /** Signals raised to a stave. */
  pinned: string[] = $state.raw([]);
  heads: Head[] = $state.raw([]);
  chosen: Chosen = $state({ what: 'patch' });
  cursor: number | null = $state(null);
  allThree = $state(false);
  /** Whether the harmonic builder is open. */
  building = $state(false);
  view: 'note' | 'sound' | 'compare' | 'map' = $state('note');
  columns = $state(0);
  loading = $state(true);
  failure = $state('');
  messages: Message[] = $state([]);
  /** Figures and findings of the patch as it was when they were last made. */
  judgement: Judgement | null = $state.raw(null);
  /** A mend that is being looked at: it lies behind as a ghost until it is taken or left. */
  trying: FindingView | { key: string; mend: string; mended: Patch } | null = $state.raw(null);
  readonly keeper = new Keeper();

  private done: Step[] = $state.raw([]);
  private undone: Step[] = $state.raw([]);
  private good: Patch | null = null;
  private asked: { patch: Patch; rate: number; three: boolean; columns: number } | null = null;
  private wanted = false;
  private draft = false;
  private abort: AbortController | null = null;
  private abortTimer: ReturnType<typeof setTimeout> | undefined;
  private nextMessage = 1;
  private ghostAsked = '';
  private judgeTimer: ReturnType<typeof setTimeout> | undefined;
  private judged: Patch | null = null;
  private judging = false;
  private unsettled = new Set<Promise<void>>();

  undoLabel = $derived(this.done.at(-1)?.label ?? '');
  redoLabel = $derived(this.undone.at(-1)?.label ?? '');
  note = $derived(this.patch?.performance?.notes?.[0] ?? {});
  key = $derived(this.note.key ?? 60);
  velocity = $derived(this.note.velocity ?? 96);
  tempo = $derived(this.patch?.performance?.tempo_bpm ?? 120);

  async start(): Promise<void> {
    try {
      this.catalogue = await taken(api.GET('/api/catalogue'));
      await this.refreshHeads();
      const wished = location.hash.slice(1) || settings.now.last;
      const first = this.heads.find((head) => head.id === wished) ?? this.heads.find((h) => h.demo === 'ferry-horn');
      const opening = first ?? this.heads[0];
      if (opening) await this.open(opening.id);
    } catch (error) {
      this.failure = error instanceof Error ? error.message : String(error);
    }
    this.loading = false;
  }

  async refreshHeads(): Promise<void> {
    this.heads = await taken(api.GET('/api/patches'));
  }

  async open(id: string): Promise<void> {
    await this.keeper.flush();
    const kept = await taken(api.GET('/api/patches/{patch_id}', { params: { path: { patch_id: id } } }));
    this.show(kept);
  }

  /** Shows a patch that the store handed over, with what an earlier window left of it. */
  show(kept: Kept): void {
    const left = this.keeper.open(kept);
    const stored = kept.document as unknown as Patch;
    this.patch = left ?? (this.keeper.state === 'conflict' ? (this.keeper.mine ?? stored) : stored);
    if (left) this.say('What the last window could not keep was found in this browser and is kept now.');
    this.good = stored;
    this.ghost = null;
    this.judgement = null;
    this.trying = null;
    this.span = this.posts = null;
    this.pinned = this.pins();
    this.recallLayout();
    this.chosen = { what: 'patch' };
    this.done = this.undone = [];
    void this.recallSteps(kept.id);
    settings.set({ last: kept.id });
    history.replaceState(null, '', `#${kept.id}`);
    document.title = `${this.patch.name ?? 'Untitled'} · Jorvik`;
    this.trace();
  }

  /** Makes a change: shown, undoable under its name, and kept. Changes with one `merge` key soon after are one step. */
  edit(label: string, after: Patch, merge = '', draft = false): void {
    if (!this.patch || after === this.patch) return;
    const last = this.done.at(-1);
    if (last && merge && last.merge === merge && Date.now() - last.at < MERGE_MS) {
      this.done = [...this.done.slice(0, -1), { ...last, label, after, at: Date.now() }];
    } else {
      const step = { label, before: this.patch, after, merge, at: Date.now() };
      this.done = [...this.done, step];
    }
    this.undone = [];
    this.put(after, draft);
  }

  undo(): void {
    const step = this.done.at(-1);
    if (!step) return;
    this.done = this.done.slice(0, -1);
    this.undone = [...this.undone, step];
    this.put(step.before);
  }

  redo(): void {
    const step = this.undone.at(-1);
    if (!step) return;
    this.undone = this.undone.slice(0, -1);
    this.done = [...this.done, { ...step, merge: '' }];
    this.put(step.after);
  }

  private put(patch: Patch, draft = false): void {
    this.patch = patch;
    document.title = `${patch.name ?? 'Untitled'} · Jorvik`;
    this.forgetChosenIfGone();
    this.keeper.keep(patch);
    this.rememberSteps();
    this.trace(draft);
  }

  private forgetChosenIfGone(): void {
    const { patch, chosen } = this;
    if (!patch || chosen.what === 'patch' || chosen.what === 'stave') return;
    const ids = chosen.what === 'source' ? modules(patch).map((m) => m.id) : routes(patch).map((r) => r.id);
    if (!ids.includes(chosen.id)) this.chosen = { what: 'patch' };
  }

  private rememberSteps(): void {
    const id = this.keeper.head?.id;
    if (!id) return;
    // A browser that keeps nothing still undoes what was done since it was opened.
    void set(`steps ${id}`, [this.done, this.undone]).catch(() => {});
    // What the database has not taken yet when a page is closed at once, the tab's own storage has.
    try {
      sessionStorage.setItem(`jorvik.steps.${id}`, JSON.stringify([this.done.slice(-20), this.undone.slice(-20)]));
    } catch {
      sessionStorage.removeItem(`jorvik.steps.${id}`);
    }
  }

  private async recallSteps(id: string): Promise<void> {
    const recent = JSON.parse(sessionStorage.getItem(`jorvik.steps.${id}`) ?? '[[],[]]') as [Step[], Step[]];
    const all = (await get<[Step[], Step[]]>(`steps ${id}`).catch(() => undefined)) ?? [[], []];
    if (this.keeper.head?.id !== id || this.done.length > 0) return;
    const here = JSON.stringify(this.patch);
    // Steps lead to the patch as this browser left it; where it stands elsewhere now, they lead nowhere.
    const found = [all, recent].find(
      ([done, undone]) => JSON.stringify(done.at(-1)?.after ?? undone.at(-1)?.before) === here
    );
    [this.done, this.undone] = found ?? [[], []];
  }

  /** Holds a version behind the present one, the present one itself where none is given. */
  holdGhost(label = 'as it was', patch = this.patch): void {
    if (!patch) return;
    this.ghost = { patch, label, sheet: null };
    void this.traceGhost();
  }

  dropGhost(): void {
    this.ghost = null;
  }

  findings = $derived(this.judgement?.findings.filter((f) => f.set_aside == null) ?? []);

  /** Asks for figures and findings a little after the last change; an old answer never replaces a newer one. */
  judgeSoon(): void {
    clearTimeout(this.judgeTimer);
    this.judgeTimer = setTimeout(() => void this.judge(), 350);
  }

  private async judge(): Promise<void> {
    const { patch } = this;
    if (!patch || this.judging || patch === this.judged) return;
    this.judging = true;
    try {
      const found = await taken(api.POST('/api/judge', { body: { document: plain(patch), rate: FULL_RATE } }));
      this.judged = patch;
      if (this.patch === patch) this.judgement = found as Judgement;
      performance.mark('jorvik:judged');
    } catch {
      // The sheet says what is wrong with a patch or a connection; figures follow when it is mended.
    }
    this.judging = false;
    if (this.patch !== patch) this.judgeSoon();
    // The sound is made ready while nobody waits for it, so that it starts at once when it is played.
    else void api.POST('/api/prepare', { body: { document: plain(patch), rate: FULL_RATE } }).catch(() => {});
  }

  /** Shows where a finding is: its stave, source or route, and the stretch of the note. */
  showFinding(finding: FindingView): void {
    const [kind, ...rest] = finding.about.split('.');
    if (kind === 'signal') this.chosen = { what: 'source', id: rest.join('.') };
    else if (kind === 'route') this.chosen = { what: 'route', id: rest.join('.') };
    else this.chosen = { what: 'stave', id: finding.about };
    this.view = 'note';
    this.posts = [finding.from_s, finding.to_s];
    this.cursor = finding.from_s;
  }

  /** Puts what a mend would make behind the present patch, to be looked at before it is taken. */
  tryMend(finding: { key: string; mend?: string; mended?: unknown }): void {
    if (!finding.mended) return;
    this.trying = finding as FindingView;
    this.holdGhost(finding.mend, finding.mended as Patch);
  }

  takeMend(): void {
    const { trying, patch } = this;
    if (!trying?.mended || !patch) return;
    this.trying = null;
    this.dropGhost();
    this.edit(`mend: ${trying.mend}`.slice(0, 60), trying.mended as unknown as Patch);
  }

  leaveMend(): void {
    this.trying = null;
    this.dropGhost();
  }

  setAside(finding: FindingView, reason: string): void {
    const { patch } = this;
    if (!patch) return;
    const others = (patch.set_aside ?? []).filter((aside) => aside.finding !== finding.key);
    this.edit(`set aside ${finding.rule.replaceAll('_', ' ')}`, {
      ...patch,
      set_aside: [...others, { finding: finding.key, reason }]
    });
  }

  bringBack(key: string): void {
    const { patch } = this;
    if (patch)
      this.edit(`look at ${key.split(':')[0]!.replaceAll('_', ' ')} again`, {
        ...patch,
        set_aside: (patch.set_aside ?? []).filter((aside) => aside.finding !== key)
      });
  }

  /** Traces the ghost at the present note, so that both lie on one axis. */
  private async traceGhost(): Promise<void> {
    const { ghost, patch } = this;
    if (!ghost || !patch || this.columns === 0) return;
    const asked = JSON.stringify([this.columns, this.span, patch.performance]);
    if (ghost.sheet && asked === this.ghostAsked) return;
    this.ghostAsked = asked;
    const document = plain({ ...ghost.patch, performance: patch.performance });
    const body = { document, rate: FULL_RATE, columns: this.columns, velocities: [], ...this.stretch() };
    try {
      const sheet = unpack(await taken(api.POST('/api/sheet', { body })));
      if (this.ghost?.patch === ghost.patch) this.ghost = { ...ghost, sheet };
    } catch {
      if (this.ghost?.patch === ghost.patch) this.ghostAsked = '';
    }
  }

  private stretch(): { from_s: number; to_s: number | null } {
    return { from_s: this.span?.from ?? 0, to_s: this.span?.to ?? null };
  }

  /** Shows a stretch of the note; all of it where it is as long as the note or longer. */
  zoom(from: number, to: number): void {
    const whole = this.sheet?.seconds ?? 1;
    const length = Math.max(0.0005, Math.min(to - from, whole));
    const begin = Math.max(0, Math.min(from, whole - length));
    this.span = length >= whole * 0.9999 ? null : { from: begin, to: begin + length };
    this.trace();
  }

  private layoutKey(): string {
    return `jorvik.layout.${this.keeper.head?.id}`;
  }

  private recallLayout(): void {
    try {
      this.layout = JSON.parse(localStorage.getItem(this.layoutKey()) ?? '{}') as typeof this.layout;
    } catch {
      this.layout = {};
    }
  }

  lay(name: string, size: 'plain' | 'folded' | 'large'): void {
    this.layout = { ...this.layout, [name]: { ...this.layout[name], size } };
    localStorage.setItem(this.layoutKey(), JSON.stringify(this.layout));
  }

  orderOf(name: string): number {
    return this.layout[name]?.order ?? 2 * Object.keys(this.sheet?.lanes ?? {}).indexOf(name);
  }

  /** Moves a stave past its neighbour above or below. */
  moveStave(name: string, by: -1 | 1): void {
    const names = Object.keys(this.sheet?.lanes ?? {})
      .filter((other) => !other.includes('.') && !other.includes(':'))
      .sort((a, b) => this.orderOf(a) - this.orderOf(b));
    const at = names.indexOf(name);
    const other = names[at + by];
    if (!other) return;
    names[at + by] = name;
    names[at] = other;
    const order = Object.fromEntries(names.map((n, i) => [n, { ...this.layout[n], order: 2 * i }]));
    this.layout = { ...this.layout, ...order };
    localStorage.setItem(this.layoutKey(), JSON.stringify(this.layout));
  }

  private pinsKey(): string {
    return `jorvik.pins.${this.keeper.head?.id}`;
  }

  private pins(): string[] {
    try {
      return JSON.parse(localStorage.getItem(this.pinsKey()) ?? '[]') as string[];
    } catch {
      return [];
    }
  }

  /** Raises a signal or a destination to a stave, or lowers it again. */
  pin(name: string): void {
    this.pinned = this.pinned.includes(name) ? this.pinned.filter((other) => other !== name) : [...this.pinned, name];
    localStorage.setItem(this.pinsKey(), JSON.stringify(this.pinned));
    this.trace();
  }

  /** Asks for the sheet of the present patch. At most one question is under way; the newest is asked next. */
  trace(draft = false): void {
    this.draft = draft;
    this.wanted = true;
    if (this.abort) {
      clearTimeout(this.abortTimer);
      this.abortTimer = setTimeout(() => this.abort?.abort(), 150);
      return;
    }
    void this.traceAll();
  }

  private async traceAll(): Promise<void> {
    while (this.wanted && this.patch && this.columns > 0) {
      this.wanted = false;
      const ask = {
        patch: this.patch,
        rate: this.draft ? DRAFT_RATE : FULL_RATE,
        three: this.allThree,
        columns: this.columns
      };
      this.abort = new AbortController();
      try {
        await this.traceOne(ask, this.abort.signal);
      } finally {
        clearTimeout(this.abortTimer);
        this.abort = null;
      }
    }
  }

  private async traceOne(ask: NonNullable<typeof this.asked>, signal: AbortSignal): Promise<void> {
    try {
      const others = VELOCITIES.map((v) => v.velocity).filter(
        (v) => v !== (ask.patch.performance?.notes?.[0]?.velocity ?? 96)
      );
      const body = {
        document: plain(ask.patch),
        rate: ask.rate,
        columns: ask.columns,
        velocities: ask.three ? others : [],
        asked: this.pinned.filter((name) => !(name in (this.sheet?.signals ?? {}))),
        ...this.stretch()
      };
      const wire = await taken(api.POST('/api/sheet', { body, signal }));
      this.sheet = unpack(wire);
      this.good = ask.patch;
      this.failure = '';
      performance.mark('jorvik:sheet');
      this.judgeSoon();
      if (this.ghost) void this.traceGhost();
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') this.wanted = true;
      else if (error instanceof Refused && error.status === 422) this.takeBack(ask.patch, error.message);
      else if (error instanceof Unreachable) this.failure = error.message;
      else this.failure = error instanceof Error ? error.message : String(error);
    }
  }

  /** A change that the core refuses is taken back; the sentence says why. */
  private takeBack(refused: Patch, sentence: string): void {
    this.say(sentence, true);
    if (this.patch !== refused || !this.good) return;
    this.done = this.done.filter((step) => step.after !== refused);
    this.put(this.good);
  }

  /** Says something at the foot of the page, and returns its number, by which it can be dismissed. */
  say(text: string, trouble = false, act?: Message['act']): number {
    const id = this.nextMessage++;
    this.messages = [...this.messages.filter((message) => message.text !== text).slice(-2), { id, text, trouble, act }];
    setTimeout(() => this.dismiss(id), MESSAGE_MS);
    return id;
  }

  dismiss(id: number): void {
    this.messages = this.messages.filter((message) => message.id !== id);
  }

  /** Counts work whose outcome is an edit that is still to come, such as a typed value being understood. */
  async settling(work: Promise<void>): Promise<void> {
    this.unsettled.add(work);
    await work.finally(() => this.unsettled.delete(work));
  }

  /** Resolves when nothing that was typed is still on its way. */
  async settled(): Promise<void> {
    if (document.activeElement instanceof HTMLInputElement) document.activeElement.blur();
    await Promise.allSettled(this.unsettled);
  }

  /** Runs what may be refused, and says so where it is. */
  async attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.say(error instanceof Error ? error.message : String(error), true);
    }
  }

  chosenModule(): Module | undefined {
    const { chosen, patch } = this;
    return chosen.what === 'source' && patch ? modules(patch).find((module) => module.id === chosen.id) : undefined;
  }

  chosenRoute(): Route | undefined {
    const { chosen, patch } = this;
    return chosen.what === 'route' && patch ? routes(patch).find((route) => route.id === chosen.id) : undefined;
  }

  setNote(label: string, fields: Record<string, number>, merge = ''): void {
    const { patch } = this;
    if (!patch) return;
    const notes = patch.performance?.notes ?? [{}];
    const changed = [{ ...notes[0], ...fields }, ...notes.slice(1)];
    this.edit(label, { ...patch, performance: { ...patch.performance, notes: changed } }, merge);
  }

  setBase(name: string, value: number, label: string, merge = ''): void {
    const { patch } = this;
    if (!patch) return;
    const base = { ...patch.voice?.base, [name]: value };
    this.edit(label, { ...patch, voice: { ...patch.voice, base } }, merge);
  }

  setField(id: string, field: string, value: unknown, label: string, merge = '', draft = false): void {
    if (this.patch) this.edit(label, replaceModule(this.patch, id, { [field]: value }), merge, draft);
  }

  setRoute(id: string, fields: Partial<Route>, label: string, merge = ''): void {
    if (this.patch) this.edit(label, replaceRoute(this.patch, id, fields), merge);
  }

  /** Gives the patch a wavetable of its own under a free name, used by oscillator 1, and returns the name. */
  addTable(stem: string, frames: { cycles: string } | { frames: number[][][] }, replace = ''): string {
    const { patch } = this;
    if (!patch) return '';
    const of = patch.voice?.oscillators ?? {};
    const known = of.tables ?? [];
    const taken = [...Object.keys(this.catalogue?.tables ?? {}), ...known.map((own) => own.name)];
    const name = replace || freeId(stem.trim() || 'own', taken);
    const kept = replace ? known.filter((own) => own.name !== replace) : known.slice(-3);
    const oscillators = { ...of, osc1: { ...of.osc1, table: name }, tables: [...kept, { name, ...frames }] };
    this.edit(`table ${name}`, { ...patch, voice: { ...patch.voice, oscillators } });
    return name;
  }

  addSource(kind: string): void {
    const facts = this.catalogue?.kinds.find((k) => k.kind === kind);
    if (!facts || !this.patch) return;
    const [next, id] = addModule(this.patch, facts);
    this.edit(`add ${id}`, next);
    this.chosen = { what: 'source', id };
  }

  duplicate(id: string): void {
    if (!this.patch) return;
    const [next, name] = duplicateModule(this.patch, id);
    this.edit(`duplicate ${id}`, next);
    this.chosen = { what: 'source', id: name };
  }

  /** Gives a source's routes to another, all or those named, in one action. */
  handOver(from: string, to: string, ids?: readonly string[]): void {
    if (this.patch)
      this.edit(`hand ${ids ? ids.length : 'all'} of ${from} over to ${to}`, handOver(this.patch, from, to, ids));
  }

  invert(id: string): void {
    if (this.patch) this.edit(`turn ${id} over`, inverted(this.patch, id));
  }

  /** Lets only a source's routes sound, or one route; or all of them again. */
  solo(keep: ((route: Route) => boolean) | null, label: string): void {
    if (this.patch) this.edit(label, soloed(this.patch, keep));
  }

  /** Makes a change that the server works out. Where the patch has moved on meanwhile, it is worked out anew. */
  async work(label: string, ask: (patch: Patch) => Promise<{ document: unknown }>): Promise<void> {
    for (let attempt = 0; attempt < 5; attempt++) {
      const from = this.patch;
      if (!from) return;
      const changed = await ask(from);
      if (this.patch !== from) continue;
      this.edit(label, changed.document as Patch);
      return;
    }
  }

  /** Adds the route that a sentence says; throws with what was not understood. */
  async sayRoute(text: string): Promise<void> {
    let route = '';
    await this.work(text.slice(0, 60), async (patch) => {
      const changed = await taken(api.POST('/api/assist/sentence', { body: { document: plain(patch), text } }));
      route = changed.route ?? '';
      return changed;
    });
    if (route) this.chosen = { what: 'route', id: route };
  }

  removeSource(id: string): void {
    if (this.patch && this.catalogue) this.edit(`remove ${id}`, removeModule(this.patch, id, this.catalogue));
  }

  addPull(source: string, destination: string): void {
    if (!this.patch) return;
    const unit = this.amountUnit(destination);
    const [next, id] = addRoute(this.patch, source, destination, unit);
    this.edit(`${source} moves ${this.titleOf(destination)}`, next);
    this.chosen = { what: 'route', id };
  }

  removeRoute(route: Route): void {
    if (this.patch)
      this.edit(`remove ${route.source} from ${this.titleOf(route.destination)}`, removeRoutes(this.patch, [route.id]));
  }

  /** Mutes every route of a source, or lets them all sound again. */
  muteSource(id: string, enabled: boolean): void {
    if (!this.patch) return;
    const changed = routes(this.patch).map((route) => (route.source === id ? { ...route, enabled } : route));
    this.edit(`${enabled ? 'unmute' : 'mute'} ${id}`, { ...this.patch, routes: changed });
  }

  titleOf(destination: string): string {
    const known = this.catalogue?.destinations.find((at) => at.name === destination);
    if (known) return known.title.toLowerCase();
    const routeId = /^route:(.*)\.amount$/.exec(destination)?.[1];
    return routeId
      ? `the amount of ${routeId}`
      : destination
          .replace('.', ' ')
          .replace(/_(s|hz)$/, '')
          .replace('_', ' ');
  }

  /** Returns the verb of a route's sentence. */
  verb(route: Route): string {
    const given = this.sheet?.lanes[route.destination]?.contributions[route.id];
    if (!given) return verbOf(route, route.polarity === 'bipolar');
    const [low, high] = extentOf(given);
    return verbOf(route, low < 0 && high > 0);
  }

  /** Returns the unit of a route's amount. */
  amountUnit(destination: string): string {
    const known = this.catalogue?.destinations.find((at) => at.name === destination);
    if (known) return known.amount_unit;
    const routeId = /^route:(.*)\.amount$/.exec(destination)?.[1];
    if (routeId) {
      const route = this.patch && routes(this.patch).find((r) => r.id === routeId);
      return route && route.mode !== 'scale' ? this.amountUnit(route.destination) : 'ratio';
    }
    const [id, field] = destination.split('.');
    const module = this.patch && modules(this.patch).find((m) => m.id === id);
    const facts = this.catalogue?.kinds.find((k) => k.kind === module?.kind)?.fields.find((f) => f.name === field);
    if (!facts) return 'ratio';
    return facts.law === 'octaves' ? 'oct' : facts.law === 'semitones' ? 'st' : (facts.unit ?? 'ratio');
  }
}

export const bench = new Bench();
