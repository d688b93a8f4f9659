/** The way back: every change in words, undone and done again without a limit, also after a reload. */
import { openDB, type IDBPDatabase } from 'idb';
import type { Patch } from '../api/api';
import { freshId } from './window';

interface Step<D> {
  label: string;
  before: D;
  after: D;
  merge: string;
  at: number;
}

/** Changes with one merge key that follow each other within this are one step. */
const MERGE_MS = 1200;
/** So many steps are put aside where a page goes before they are written. */
const AT_HAND = 20;
const REST_MS = 400;

/** One record a step, and one for each patch that says which steps it has. */
const RECORDS = 'keyval';

let opened: Promise<IDBPDatabase> | undefined;

function database(): Promise<IDBPDatabase> {
  opened ??= openDB('keyval-store', 1, { upgrade: (made) => void made.createObjectStore(RECORDS) });
  // What could not be opened is tried again the next time.
  opened.catch(() => (opened = undefined));
  return opened;
}

export class History<D = Patch> {
  private done: Step<D>[] = $state.raw([]);
  private undone: Step<D>[] = $state.raw([]);
  private id = '';
  /** Under what each step is written: steps never change, so that it is written once. */
  private keys = new WeakMap<Step<D>, string>();
  private written: string[] = [];
  /** How many changes there were, and how many of them are written. */
  private changes = 0;
  private kept = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    if ('addEventListener' in globalThis) addEventListener('pagehide', () => this.hurry());
  }

  undoLabel = $derived(this.done.at(-1)?.label ?? '');
  redoLabel = $derived(this.undone.at(-1)?.label ?? '');
  /** When the last change was made that can be taken back, and the last that can be done again was. */
  lastAt = $derived(this.done.at(-1)?.at ?? 0);
  undoneAt = $derived(this.undone.at(-1)?.at ?? 0);

  /** Returns what one part of the patch was before, the latest first, each once, without what it is now. */
  earlier<T>(part: (patch: D) => T, now: T): T[] {
    const found: T[] = [];
    for (const step of [...this.done].reverse()) {
      const was = part(step.before);
      if (was !== now && was !== undefined && !found.includes(was)) found.push(was);
    }
    return found;
  }

  /** Adds a change. It ends what could have been done again. */
  add(label: string, before: D, after: D, merge = ''): void {
    const last = this.done.at(-1);
    const at = Date.now();
    if (last && merge && last.merge === merge && at - last.at < MERGE_MS) {
      this.done = [...this.done.slice(0, -1), { ...last, label, after, at }];
    } else this.done = [...this.done, { label, before, after, merge, at }];
    this.undone = [];
    this.remember();
  }

  /** Takes the last change back, and returns the patch before it. */
  back(): D | undefined {
    const step = this.done.at(-1);
    if (!step) return undefined;
    this.done = this.done.slice(0, -1);
    this.undone = [...this.undone, step];
    this.remember();
    return step.before;
  }

  /** Does the last undone change again, and returns the patch after it. */
  forth(): D | undefined {
    const step = this.undone.at(-1);
    if (!step) return undefined;
    this.undone = this.undone.slice(0, -1);
    this.done = [...this.done, { ...step, merge: '' }];
    this.remember();
    return step.after;
  }

  /** Forgets the change that led to a patch, as when it was refused. */
  forget(refused: D): void {
    this.done = this.done.filter((step) => step.after !== refused);
    this.remember();
  }

  /** What changed is written when it has rested for a moment: a drag is one writing, not hundreds. */
  private remember(): void {
    this.changes++;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.write(), REST_MS);
  }

  /** Writes each step that is not written yet, and which there are; resolves when that is done. */
  async write(): Promise<void> {
    clearTimeout(this.timer);
    const { id, done, undone, changes } = this;
    if (this.kept >= changes) return;
    const fresh = [...done, ...undone].filter((step) => !this.keys.has(step));
    for (const step of fresh) this.keys.set(step, `step ${id} ${freshId()}`);
    const [all, redo] = [done, undone].map((steps) => steps.map((step) => this.keys.get(step)!)) as [
      string[],
      string[]
    ];
    const gone = this.written.filter((key) => !all.includes(key) && !redo.includes(key));
    this.written = [...all, ...redo];
    try {
      const writing = (await database()).transaction(RECORDS, 'readwrite');
      for (const step of fresh) void writing.store.put(step, this.keys.get(step)!);
      void writing.store.put({ done: all, undone: redo }, `steps ${id}`);
      for (const key of gone) void writing.store.delete(key);
      // All of it or nothing; and only then: a page that goes in the middle of it puts the steps aside.
      await writing.done;
      this.kept = Math.max(this.kept, changes);
    } catch {
      // A browser that keeps nothing still undoes what was done since it was opened.
    }
  }

  /** Puts what is not written yet where it is taken at once, as when the page goes. */
  private hurry(): void {
    if (this.kept >= this.changes) return;
    const key = `jorvik.steps.${this.id}`;
    try {
      sessionStorage.setItem(key, JSON.stringify([this.done.slice(-AT_HAND), this.undone.slice(-AT_HAND)]));
    } catch {
      sessionStorage.removeItem(key);
    }
  }

  /** Recalls the steps of a patch that was opened, where they lead to it as it stands. */
  async open(id: string, patch: D): Promise<void> {
    await this.write();
    this.id = id;
    this.done = this.undone = [];
    this.written = [];
    this.kept = this.changes;
    const key = `jorvik.steps.${id}`;
    const recent = read<D>(sessionStorage.getItem(key));
    sessionStorage.removeItem(key);
    const kept = await recalled<D>(id).catch((): Both<D> => [[], []]);
    if (this.id !== id || this.done.length > 0) return;
    const here = JSON.stringify(patch);
    // Where the patch was changed elsewhere meanwhile, the steps lead nowhere.
    const leads = ([done, undone]: Both<D>): boolean =>
      JSON.stringify(done.at(-1)?.after ?? undone.at(-1)?.before) === here;
    const found = [joined(kept, recent), kept, recent].find(leads);
    [this.done, this.undone] = found ?? [[], []];
    if (found && found !== kept) this.remember();
  }
}

type Both<D> = [Step<D>[], Step<D>[]];

/** Returns kept steps followed by those that were put aside in a hurry, where these go on from them. */
function joined<D>([done, undone]: Both<D>, [more, redo]: Both<D>): Both<D> {
  const first = JSON.stringify(more[0]?.before);
  const at = done.findIndex((step) => JSON.stringify(step.before) === first);
  return more.length === 0 ? [done, undone] : [[...(at < 0 ? done : done.slice(0, at)), ...more], redo];
}

function read<D>(text: string | null): Both<D> {
  try {
    const found = JSON.parse(text ?? '[[],[]]') as Partial<Both<D>>;
    return [found[0] ?? [], found[1] ?? []];
  } catch {
    return [[], []];
  }
}

async function recalled<D>(id: string): Promise<Both<D>> {
  const reading = (await database()).transaction(RECORDS);
  const index = (await reading.store.get(`steps ${id}`)) as { done: string[]; undone: string[] } | Both<D> | undefined;
  if (!index) return [[], []];
  // As it was written once: all steps in one.
  if (Array.isArray(index)) return index;
  const each = (keys: string[]): Promise<(Step<D> | undefined)[]> =>
    Promise.all(keys.map((key) => reading.store.get(key) as Promise<Step<D> | undefined>));
  const [done, undone] = await Promise.all([each(index.done), each(index.undone)]);
  return [done.filter((step) => step !== undefined), undone.filter((step) => step !== undefined)];
}
