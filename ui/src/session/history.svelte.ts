/** Undo and redo: every edit of this window by name, without a limit, also after a reload. */
import { openDB, type IDBPDatabase } from 'idb';
import type { Patch } from '../api/api';
import { applied, compare, type Operation } from './operations';
import { freshId } from './window';

/** One edit of this window. Undo applies the inverse operations to the document as it is then. */
interface Step {
  id: string;
  label: string;
  operations: Operation[];
  inverse: Operation[];
  merge: string;
  at: number;
}

/** A step as earlier versions of this program wrote it. */
interface OldStep<D> {
  label: string;
  before: D;
  after: D;
  at: number;
}

type Stored<D> = Step | OldStep<D>;
type Both<S> = [done: S[], undone: S[]];

/** Edits with one merge key that follow each other within this are one step. */
const MERGE_MS = 1200;
/** Number of steps that are stored at once when the page closes before they are written. */
const AT_HAND = 20;
const REST_MS = 400;

/** The database has one record for each step, and one for each patch with the list of its steps. */
const RECORDS = 'keyval';

let opened: Promise<IDBPDatabase> | undefined;

function database(): Promise<IDBPDatabase> {
  opened ??= openDB('keyval-store', 1, { upgrade: (created) => void created.createObjectStore(RECORDS) });
  // A database that could not be opened is tried again the next time.
  opened.catch(() => (opened = undefined));
  return opened;
}

export class History<D extends object = Patch> {
  private done: Step[] = $state.raw([]);
  private undone: Step[] = $state.raw([]);
  /** The document before each step, where it is known, and the document after the step. */
  private before = new WeakMap<Step, D>();
  private after = new WeakMap<Step, D>();
  private id = '';
  private written = new Set<string>();
  private listed: string[] = [];
  /** Number of changes, and how many of them are written. */
  private changes = 0;
  private kept = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    if ('addEventListener' in globalThis) addEventListener('pagehide', () => this.hurry());
  }

  undoLabel = $derived(this.done.at(-1)?.label ?? '');
  redoLabel = $derived(this.undone.at(-1)?.label ?? '');
  /** Times of the step that undo takes back, and of the one that redo repeats. */
  lastAt = $derived(this.done.at(-1)?.at ?? 0);
  undoneAt = $derived(this.undone.at(-1)?.at ?? 0);

  /** Returns earlier values of one part of the document, the latest first, each once, without the present one. */
  earlier<T>(part: (document: D) => T, now: T): T[] {
    const found: T[] = [];
    for (const step of [...this.done].reverse()) {
      const document = this.before.get(step);
      const value = document && part(document);
      if (value !== undefined && value !== now && !found.includes(value)) found.push(value);
    }
    return found;
  }

  /** Adds an edit. Steps that were undone can no longer be repeated. */
  add(label: string, before: D, after: D, merge = ''): void {
    const last = this.done.at(-1);
    const at = Date.now();
    const isSame = last !== undefined && merge !== '' && last.merge === merge && at - last.at < MERGE_MS;
    const from = (isSame && this.before.get(last)) || before;
    // Comparing gives the lists of a document their keys: those of the present document come first.
    compare(before, after);
    const step = { id: freshId(), label, operations: compare(from, after), inverse: compare(after, from), merge, at };
    this.before.set(step, from);
    this.after.set(step, after);
    this.done = [...(isSame ? this.done.slice(0, -1) : this.done), step];
    this.undone = [];
    this.remember();
  }

  /** Takes the last edit back: returns the document without it, or nothing where there is none. */
  back(now: D): D | undefined {
    const step = this.done.at(-1);
    if (!step) return undefined;
    this.done = this.done.slice(0, -1);
    this.undone = [...this.undone, step];
    this.remember();
    return applied(now, step.inverse);
  }

  /** Repeats the last undone edit: returns the document with it, or nothing where there is none. */
  forth(now: D): D | undefined {
    const step = this.undone.at(-1);
    if (!step) return undefined;
    this.undone = this.undone.slice(0, -1);
    const again = { ...step, id: freshId(), merge: '' };
    this.before.set(again, now);
    this.done = [...this.done, again];
    this.remember();
    return applied(now, step.operations);
  }

  /** Drops the edit that led to a document which was refused. */
  forget(refused: D): void {
    this.done = this.done.filter((step) => this.after.get(step) !== refused);
    this.remember();
  }

  /** Writes when nothing has changed for a moment: a drag is one writing, not hundreds. */
  private remember(): void {
    this.changes++;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.write(), REST_MS);
  }

  /** Writes each step that is not written yet, and the list of steps; resolves when that is done. */
  async write(): Promise<void> {
    clearTimeout(this.timer);
    const { id, done, undone, changes } = this;
    if (this.kept >= changes) return;
    const all = [...done, ...undone];
    const fresh = all.filter((step) => !this.written.has(step.id));
    const ids = new Set(all.map((step) => step.id));
    const gone = this.listed.filter((one) => !ids.has(one));
    this.listed = [...ids];
    for (const step of fresh) this.written.add(step.id);
    try {
      const writing = (await database()).transaction(RECORDS, 'readwrite');
      for (const step of fresh) void writing.store.put(step, recordOf(id, step.id));
      const [doneIds, undoneIds] = [done, undone].map((steps) => steps.map((step) => step.id));
      void writing.store.put({ done: doneIds, undone: undoneIds }, `steps ${id}`);
      for (const one of gone) void writing.store.delete(recordOf(id, one));
      // A page that closes before the transaction ends stores the steps elsewhere.
      await writing.done;
      this.kept = Math.max(this.kept, changes);
    } catch {
      // A browser without a database still undoes the edits of this page.
    }
  }

  /** Stores the steps that are not written yet in a place that takes them at once, when the page closes. */
  private hurry(): void {
    if (this.kept >= this.changes) return;
    const key = `jorvik.steps.${this.id}`;
    try {
      sessionStorage.setItem(key, JSON.stringify([this.done.slice(-AT_HAND), this.undone.slice(-AT_HAND)]));
    } catch {
      sessionStorage.removeItem(key);
    }
  }

  /** Recalls the steps of a document that was opened. */
  async open(id: string, document: D): Promise<void> {
    await this.write();
    this.id = id;
    this.done = this.undone = [];
    this.listed = [];
    this.written = new Set();
    this.kept = this.changes;
    const key = `jorvik.steps.${id}`;
    const recent = read<D>(sessionStorage.getItem(key));
    sessionStorage.removeItem(key);
    const stored = await recalled<D>(id).catch((): Both<Stored<D>> => [[], []]);
    if (this.id !== id || this.done.length > 0) return;
    this.listed = stored.flat().flatMap((step) => ('id' in step ? [step.id] : []));
    this.written = new Set(this.listed);
    const [done, undone] = imported(joined(stored, recent), document);
    this.done = done;
    this.undone = undone;
    let now = document;
    for (const step of [...done].reverse()) this.before.set(step, (now = applied(now, step.inverse)));
    if (recent.flat().length > 0) this.remember();
  }
}

const recordOf = (document: string, step: string): string => `step ${document} ${step}`;

/** Returns stored steps followed by those that were stored when the page closed. */
function joined<D>([done, undone]: Both<Stored<D>>, [more, redo]: Both<Stored<D>>): Both<Stored<D>> {
  if (more.length === 0) return [done, undone];
  const first = textOf(more[0]!);
  const at = done.findIndex((step) => textOf(step) === first);
  return [[...(at < 0 ? done : done.slice(0, at)), ...more], redo];
}

const textOf = <D>(step: Stored<D>): string => ('id' in step ? step.id : JSON.stringify(step.before));

/** Returns steps with those that an earlier version wrote as documents, where these lead to the present document. */
function imported<D extends object>([done, undone]: Both<Stored<D>>, document: D): Both<Step> {
  const converted = (steps: Stored<D>[], from: 'before' | 'after', to: 'before' | 'after'): Step[] => {
    const found: Step[] = [];
    let now = document;
    for (const step of [...steps].reverse()) {
      if ('id' in step) found.unshift(step);
      else {
        if (compare(now, step[from]).length > 0) break;
        const [there, back] = [compare(now, step[to]), compare(step[to], now)];
        const [operations, inverse] = to === 'before' ? [back, there] : [there, back];
        found.unshift({ id: freshId(), label: step.label, operations, inverse, merge: '', at: step.at });
        now = step[to];
      }
    }
    return found;
  };
  return [converted(done, 'after', 'before'), converted(undone, 'before', 'after')];
}

function read<D>(text: string | null): Both<Stored<D>> {
  try {
    const found = JSON.parse(text ?? '[[],[]]') as Partial<Both<Stored<D>>>;
    return [found[0] ?? [], found[1] ?? []];
  } catch {
    return [[], []];
  }
}

async function recalled<D>(id: string): Promise<Both<Stored<D>>> {
  const { store } = (await database()).transaction(RECORDS);
  const index = (await store.get(`steps ${id}`)) as { done: string[]; undone: string[] } | Both<OldStep<D>> | undefined;
  if (!index) return [[], []];
  // The first versions wrote all steps in one record.
  if (Array.isArray(index)) return index;
  const each = async (names: string[]): Promise<Stored<D>[]> => {
    // Earlier versions listed the steps by the whole names of their records.
    const records = names.map((name) => store.get(name.startsWith('step ') ? name : recordOf(id, name)));
    return (await Promise.all(records)).filter((step) => step !== undefined) as Stored<D>[];
  };
  const [done, undone] = await Promise.all([each(index.done), each(index.undone)]);
  return [done, undone];
}
