/**
 * Drafts: the document of this window as the server has it, and the edits that the server has not confirmed.
 *
 * Edits go to the server as operations, at most 250 ms after the first of them. Until they are confirmed they lie in
 * this browser, so that nothing is lost when the tab is closed, the server is killed or the database stops. Each request
 * carries an identity: the same operations sent twice are applied once. The answer brings the edits of other windows,
 * which are merged; of one field the edit that reaches the server last stands.
 */
import { api, isNoAnswer, Refused, unwrap, Unreachable, type Head, type Kept, type Patch } from '../api/api';
import { applied, compare, overlap, register, type KeyTree, type Operation } from './operations';
import { freshId, livingWindows, windowId } from './window';

const PAUSE_MS = 250;
const RETRY_MS = 1500;
const PREFIX = 'jorvik.draft.';
/** Stands in the place of a window for edits that wait to be applied on request, whatever the sequence. */
const NOT_APPLIED = 'not applied';
const NEVER = -1;

/** Edits as they lie in this browser until the server has confirmed them. */
interface Stored<D> {
  /** The sequence of the draft that they change. */
  sequence: number;
  /** The operations that were sent, under their identity; then those that were not. */
  sent: Sent | null;
  operations: Operation[];
  at: number;
  /** A whole document, as earlier versions of this program wrote it, with the identities of its writes. */
  document?: D;
  tried?: string[];
}

interface Sent {
  write: string;
  operations: Operation[];
}

/** Edits that were not applied, because others changed the same fields meanwhile. */
export interface NotApplied {
  apply: () => void;
}

/** The work of this window on one document. */
interface Work<D> {
  head: Head;
  /** The document as the server has it. */
  confirmed: D;
  /** The operations on their way to the server, and the document after them. */
  sent: (Sent & { document: D }) | null;
  /** The newest document of this window, where the server does not have it. */
  next: D | null;
}

/** What the owner of the document does when it changes other than by its own edit. */
export interface Owner<D> {
  /** Shows the document after the edits of another window. */
  merged(document: D): void;
  /** Shows the document as the server has it, because it refuses an edit of this window. */
  refused(document: D, sentence: string): void;
}

export type KeepState = 'kept' | 'keeping' | 'waiting' | 'refused';

/** The kinds of document that are kept, as their requests begin. */
type Plural = 'patches' | 'phrases';

export class DraftStore<D extends { format: string } = Patch> {
  state: KeepState = $state('kept');
  trouble = $state('');
  head: Head | null = $state.raw(null);
  /** Documents that were left before they were kept go on being sent. */
  private works = new Map<string, Work<D>>();
  private current: Work<D> | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** Edits and saves follow each other: each begins with the sequence that the one before came to. */
  private line: Promise<unknown> = Promise.resolve();
  private unsaved: { sequence: number; reason: string; write: string } | null = null;

  constructor(
    private readonly owner: Owner<D>,
    private readonly plural: Plural = 'patches',
    private readonly living: () => Promise<ReadonlySet<string>> = livingWindows
  ) {}

  /**
   * Starts to keep a document, and returns it with the edits that this window, or one that is gone, could not send.
   * Edits of fields that others changed meanwhile are returned apart, to be applied on request.
   */
  async open(kept: Kept): Promise<{ document: D; isRestored: boolean; notApplied: NotApplied | null }> {
    const living = await this.living();
    const confirmed = kept.document as unknown as D;
    register(confirmed, kept.keys as KeyTree);
    const left = this.leftBehind(kept.id, living);
    const unsent = this.works.get(kept.id);
    if (unsent?.next) left.push({ key: this.key(kept.id), stored: storedOf(unsent) });
    const work: Work<D> = { head: kept, confirmed, sent: null, next: null };
    let document = confirmed;
    const changed: Operation[] = [];
    // The newest edit of a field stands, and older ones of the same field are offered.
    const newer: Operation[] = [];
    for (const { stored } of left.sort((a, b) => b.stored.at - a.stored.at)) {
      const [free, taken] = await this.sorted(kept, stored, confirmed);
      const isOlder = (operation: Operation): boolean => newer.some((other) => overlap(operation, other));
      const older = free.filter(isOlder);
      const own = free.filter((operation) => !older.includes(operation));
      document = applied(document, own);
      changed.push(...taken, ...older);
      newer.push(...own);
    }
    this.current = work;
    this.works.set(kept.id, work);
    this.head = kept;
    this.trouble = '';
    this.state = 'kept';
    const isRestored = document !== confirmed && compare(confirmed, document).length > 0;
    if (isRestored) this.keep(document);
    for (const { key } of left) if (!isRestored || key !== this.key(kept.id)) localStorage.removeItem(key);
    return { document, isRestored, notApplied: this.offered(work, changed) };
  }

  /** Keeps edits that were not applied in this browser, until they are applied on request. */
  private offered(work: Work<D>, operations: Operation[]): NotApplied | null {
    if (operations.length === 0) return null;
    const key = `${PREFIX}${work.head.id}.${NOT_APPLIED}`;
    const stored: Stored<D> = { sequence: NEVER, sent: null, operations, at: Date.now() };
    try {
      localStorage.setItem(key, JSON.stringify(stored));
    } catch {
      // A browser without room offers them once.
    }
    return {
      apply: () => {
        if (this.current !== work) return;
        const document = applied(work.next ?? work.confirmed, operations);
        localStorage.removeItem(key);
        this.keep(document);
        this.owner.merged(document);
      }
    };
  }

  /** Returns which of the edits that were left behind can be applied, and which are of fields that others changed. */
  private async sorted(kept: Kept, stored: Stored<D>, confirmed: D): Promise<[Operation[], Operation[]]> {
    if (stored.document) {
      const operations = compare(confirmed, stored.document);
      const isBase = stored.sequence === kept.sequence || !!stored.tried?.includes(kept.last_write ?? '');
      return isBase ? [operations, []] : [[], operations];
    }
    const operations = [...(stored.sent?.operations ?? []), ...stored.operations];
    if (stored.sequence === kept.sequence) return [operations, []];
    if (stored.sequence === NEVER) return [[], operations];
    const params = { path: { document_id: kept.id }, query: { since: stored.sequence } };
    const since = await unwrap(api.GET(this.at('/api/patches/{document_id}/edits'), { params }));
    const others = since?.filter(({ write }) => write !== stored.sent?.write).flatMap((edit) => edit.operations);
    if (!others) return [[], operations];
    const isTaken = (operation: Operation): boolean => others.some((other) => overlap(operation, other));
    return [operations.filter((each) => !isTaken(each)), operations.filter(isTaken)];
  }

  /** The address of a request about this kind of document: all kinds have the same. */
  private at<A extends string>(address: A): A {
    return address.replace('/patches/', `/${this.plural}/`) as A;
  }

  keep(document: D): void {
    const { current } = this;
    if (!current) return;
    current.next = document;
    this.store(current);
    if (this.state === 'kept' || this.state === 'refused') this.state = 'keeping';
    this.later(this.state === 'waiting' ? RETRY_MS : PAUSE_MS);
  }

  /** Sends edits after a pause that begins with the first of them: a long drag is saved on its way too. */
  private later(milliseconds: number): void {
    this.timer ??= setTimeout(() => void this.flush(), milliseconds);
  }

  /** Sends the edits that are not confirmed; resolves when none is left or none can be sent now. */
  flush(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    return this.inLine(async () => {
      for (const work of this.works.values()) if (work.sent ?? work.next) await this.send(work);
    });
  }

  private inLine<T>(work: () => Promise<T>): Promise<T> {
    const done = this.line.then(work, work);
    this.line = done.catch(() => {});
    return done;
  }

  private async send(work: Work<D>): Promise<void> {
    // The same operations are sent under the same identity until they are answered.
    const { next } = work;
    const operations = work.sent?.operations ?? (next ? compare(work.confirmed, next) : []);
    if (operations.length === 0) return this.done(work, null);
    const sent = (work.sent ??= { write: freshId(), operations, document: next! });
    this.store(work);
    try {
      const body = { operations: sent.operations, sequence: work.head.sequence, write: sent.write };
      const params = { path: { document_id: work.head.id } };
      const answer = await unwrap(api.POST(this.at('/api/patches/{document_id}/edits'), { params, body }));
      const others = answer.is_repeated ? null : answer.others;
      if (others?.length === 0) {
        work.confirmed = sent.document;
        work.head = answer.head;
        this.done(work, work.next === sent.document ? null : work.next);
      } else {
        const theirs = others?.flatMap((edit) => edit.operations);
        if (theirs) {
          work.confirmed = applied(applied(work.confirmed, theirs), sent.operations);
          work.head = answer.head;
        } else await this.read(work);
        this.rebase(work, sent.document);
      }
    } catch (error) {
      await this.failed(work, error);
    }
  }

  /** Merges the edits that other windows or programs made since this window read the document. */
  catchUp(): Promise<void> {
    return this.inLine(async () => {
      const { current: work } = this;
      if (!work || work.sent) return;
      const { sequence, id } = work.head;
      const params = { path: { document_id: id }, query: { since: sequence } };
      try {
        const since = await unwrap(api.GET(this.at('/api/patches/{document_id}/edits'), { params }));
        if (since?.length === 0) return;
        const before = work.confirmed;
        if (since) {
          work.confirmed = applied(
            before,
            since.flatMap((edit) => edit.operations)
          );
          work.head = { ...work.head, sequence: since.at(-1)!.sequence, unsaved: true };
        } else await this.read(work);
        this.rebase(work, before);
      } catch (error) {
        // The next edit, or the next time the window is looked at, asks again.
        if (!isNoAnswer(error)) throw error;
      }
    });
  }

  /** Reads the document as the server has it. */
  private async read(work: Work<D>): Promise<void> {
    const params = { path: { document_id: work.head.id } };
    const kept = await unwrap(api.GET(this.at('/api/patches/{document_id}'), { params }));
    register(kept.document, kept.keys as KeyTree);
    work.confirmed = kept.document as unknown as D;
    work.head = kept;
  }

  /** Puts the edits that were made after those that were sent on top of what others made of the document. */
  private rebase(work: Work<D>, sent: D): void {
    const later = work.next ? compare(sent, work.next) : [];
    const merged = applied(work.confirmed, later);
    const shown = work.next ?? sent;
    this.done(work, later.length > 0 ? merged : null);
    if (work === this.current && compare(merged, shown).length > 0) this.owner.merged(merged);
  }

  /** Notes that what was sent is confirmed, and what is left to send. */
  private done(work: Work<D>, next: D | null): void {
    work.sent = null;
    work.next = next;
    this.show(work, next ? 'keeping' : 'kept', '');
    if (next) {
      this.store(work);
      this.later(PAUSE_MS);
    } else this.forget(work);
  }

  /** Shows the state of the open document; that of one that was left is not shown. */
  private show(work: Work<D>, state: KeepState, trouble: string): void {
    if (work !== this.current) return;
    this.head = work.head;
    this.state = state;
    this.trouble = trouble;
  }

  private async failed(work: Work<D>, error: unknown): Promise<void> {
    const sentence = error instanceof Error ? error.message : String(error);
    if (error instanceof Unreachable || (error instanceof Refused && error.status === 503)) {
      this.show(work, 'waiting', sentence);
      this.later(RETRY_MS);
      return;
    }
    // The server would refuse the same operations again.
    const operations = JSON.stringify(work.sent?.operations);
    work.sent = null;
    const isRefused = error instanceof Refused && error.status === 422;
    // The edits of a document that was left stay in the browser for the next window.
    if (work !== this.current) this.works.delete(work.head.id);
    else if (isRefused && (await this.hasMoved(work))) {
      work.next = null;
      this.forget(work);
      this.show(work, 'kept', '');
      this.owner.refused(work.confirmed, sentence);
    } else if (isRefused && work.next && JSON.stringify(compare(work.confirmed, work.next)) !== operations) {
      // The document was read again, and the same edit is another list of operations now.
      this.later(PAUSE_MS);
    } else this.show(work, 'refused', sentence);
  }

  /** Returns true where others changed the document since this window read it, which is read then. */
  private async hasMoved(work: Work<D>): Promise<boolean> {
    const { sequence } = work.head;
    await this.read(work).catch(() => {});
    return work.head.sequence !== sequence;
  }

  /** Keeps the draft as a version. */
  async save(reason: string): Promise<Kept> {
    do await this.flush();
    while (this.current?.next && this.state === 'keeping');
    return this.inLine(async () => {
      const { current } = this;
      if (!current || this.state !== 'kept') throw new Refused(503, this.trouble || 'The draft is not kept yet.');
      try {
        return await this.saveAs(current, reason);
      } catch (error) {
        if (!(error instanceof Refused) || error.status !== 409) throw error;
        // Another window made the last edit. It is shown, and it is part of the version.
        const { confirmed } = current;
        await this.read(current);
        this.rebase(current, confirmed);
        return await this.saveAs(current, reason);
      }
    });
  }

  private async saveAs(work: Work<D>, reason: string): Promise<Kept> {
    const { sequence, id } = work.head;
    const isAgain = this.unsaved?.sequence === sequence && this.unsaved.reason === reason;
    const body = isAgain && this.unsaved ? this.unsaved : { sequence, reason, write: freshId() };
    this.unsaved = body;
    const params = { path: { document_id: id } };
    const kept = await unwrap(api.POST(this.at('/api/patches/{document_id}/revisions'), { params, body }));
    this.unsaved = null;
    work.head = kept;
    if (work === this.current) this.head = kept;
    return kept;
  }

  private store(work: Work<D>): void {
    if (!work.next && !work.sent) return;
    try {
      localStorage.setItem(this.key(work.head.id), JSON.stringify(storedOf(work)));
    } catch {
      if (work === this.current) this.trouble = 'This browser has no room to keep the draft; save it to a file.';
    }
  }

  private forget(work: Work<D>): void {
    localStorage.removeItem(this.key(work.head.id));
    if (work !== this.current && this.works.get(work.head.id) === work) this.works.delete(work.head.id);
  }

  private key(id: string): string {
    return `${PREFIX}${id}.${windowId}`;
  }

  /** Finds the edits that windows that are gone could not send. Unreadable ones are removed. */
  private leftBehind(id: string, living: ReadonlySet<string>): { key: string; stored: Stored<D> }[] {
    const start = `${PREFIX}${id}.`;
    const keys = Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? '');
    return keys
      .filter((key) => key.startsWith(start) && !living.has(key.slice(start.length)))
      .flatMap((key) => {
        const stored = readStored<D>(localStorage.getItem(key));
        if (!stored) localStorage.removeItem(key);
        return stored ? [{ key, stored }] : [];
      });
  }
}

function storedOf<D extends object>({ head, confirmed, sent, next }: Work<D>): Stored<D> {
  const operations = next ? compare(sent?.document ?? confirmed, next) : [];
  const under = sent && { write: sent.write, operations: sent.operations };
  return { sequence: head.sequence, sent: under, operations, at: Date.now() };
}

/** Returns stored edits, or null where there are none. */
function readStored<D extends { format: string }>(text: string | null): Stored<D> | null {
  try {
    const found = JSON.parse(text ?? 'null') as Partial<Stored<D>> | null;
    if (!found || typeof found.sequence !== 'number') return null;
    const isEdits = Array.isArray(found.operations);
    if (!isEdits && !found.document?.format.startsWith('jorvik-')) return null;
    return {
      ...found,
      sequence: found.sequence,
      sent: found.sent ?? null,
      operations: found.operations ?? [],
      at: found.at ?? 0
    };
  } catch {
    return null;
  }
}
