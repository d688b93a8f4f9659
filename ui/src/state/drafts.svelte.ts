/**
 * Keeps the draft: at once in this browser, a moment later in the store. Nothing is lost when the tab is closed, the
 * server is killed or the store stops, and two windows never overwrite each other.
 *
 * Each write carries an identity. Where an answer is lost the store is asked again with the same one, or is told which
 * writes were never answered, so that a write of this window is not taken for another window's.
 */
import { api, asBody, Refused, unwrap, Unreachable, type Kept, type Patch } from '../api/api';
import { freshId, livingWindows, windowId } from './window';

const PAUSE_MS = 250;
const RETRY_MS = 1500;
const PREFIX = 'jorvik.draft.';
/** So many unanswered writes are told of; a store that is away for longer has seen none of them. */
const MOST_TRIED = 60;

/** A draft as it lies in this browser until the store has it. */
interface Mirror<D> {
  document: D;
  sequence: number;
  /** Writes whose answers never came. */
  tried: string[];
  at: number;
}

/** What a window that is gone left in this browser, and how it is forgotten once it is kept. */
export interface Stray<D = Patch> {
  document: D;
  forget: () => void;
}

/** The work of this window on one document. */
interface Session<D> {
  head: Kept;
  /** What is not kept yet, and the identity of its write. */
  next: D | null;
  write: string;
  tried: string[];
  conflict: boolean;
}

export type KeepState = 'kept' | 'keeping' | 'waiting' | 'refused' | 'conflict';

/** The kinds of document that are kept, as their requests begin. */
type Plural = 'patches' | 'phrases';

export class DraftStore<D extends { format: string } = Patch> {
  state: KeepState = $state('kept');
  trouble = $state('');
  head: Kept | null = $state.raw(null);
  /** Drafts of patches that were left before they were kept go on being written. */
  private sessions = new Map<string, Session<D>>();
  private open_: Session<D> | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** Writes and saves follow each other: each begins with the sequence that the one before came to. */
  private line: Promise<unknown> = Promise.resolve();
  private unsaved: { sequence: number; reason: string; write: string } | null = null;

  constructor(
    private readonly living: () => Promise<ReadonlySet<string>> = livingWindows,
    private readonly plural: Plural = 'patches'
  ) {}

  /**
   * Starts to keep a patch. Returns what is not kept of it, from this window or one that is gone, and what else such
   * windows left, each of which wants to be kept as a patch of its own.
   */
  async open(kept: Kept): Promise<{ left: D | null; strays: Stray<D>[] }> {
    const living = await this.living();
    const own = this.sessions.get(kept.id);
    const session: Session<D> = { head: kept, next: null, write: '', tried: [], conflict: false };
    const found = this.leftBehind(kept.id, living);
    if (own?.next) found.unshift({ key: this.key(kept.id), mirror: mirrorOf(own) });
    const here = JSON.stringify(kept.document);
    const open = found.filter(({ key, mirror }) => {
      const known = JSON.stringify(mirror.document) === here;
      if (known) localStorage.removeItem(key);
      return !known;
    });
    this.open_ = session;
    this.sessions.set(kept.id, session);
    this.head = kept;
    this.trouble = '';
    this.state = 'kept';
    const [newest, ...others] = open;
    const strays = others.map(({ key, mirror }) => ({
      document: mirror.document,
      forget: () => localStorage.removeItem(key)
    }));
    if (!newest) return { left: null, strays };
    const { key, mirror } = newest;
    session.tried = mirror.tried;
    const isOurs = mirror.sequence === kept.sequence || mirror.tried.includes(kept.last_write ?? '');
    session.conflict = !isOurs;
    if (!isOurs) session.head = { ...kept, sequence: mirror.sequence };
    this.keep(mirror.document);
    if (key !== this.key(kept.id)) localStorage.removeItem(key);
    if (isOurs) return { left: mirror.document, strays };
    this.state = 'conflict';
    return { left: null, strays };
  }

  /** The address of a request about this kind of document: all kinds have the same. */
  private at<A extends string>(address: A): A {
    return address.replace('/patches/', `/${this.plural}/`) as A;
  }

  /** The work of this window that another window's change stands against. */
  get mine(): D | null {
    return this.open_?.next ?? null;
  }

  keep(document: D): void {
    const session = this.open_;
    if (!session) return;
    session.next = document;
    session.write = freshId();
    this.mirror(session);
    if (session.conflict) return;
    if (this.state === 'kept' || this.state === 'refused') this.state = 'keeping';
    this.later(this.state === 'waiting' ? RETRY_MS : PAUSE_MS);
  }

  private later(milliseconds: number): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), milliseconds);
  }

  /** Writes what is not yet kept; resolves when nothing is left to write or it cannot be written now. */
  flush(replace = false): Promise<void> {
    clearTimeout(this.timer);
    return this.inLine(async () => {
      for (const session of this.sessions.values()) {
        if (session.next && (!session.conflict || (replace && session === this.open_)))
          await this.write(session, session.next, replace && session === this.open_);
      }
    });
  }

  private inLine<T>(work: () => Promise<T>): Promise<T> {
    const done = this.line.then(work, work);
    this.line = done.catch(() => {});
    return done;
  }

  private async write(session: Session<D>, document: D, replace: boolean): Promise<void> {
    const { head, write, tried } = session;
    const body = { document: asBody(document), sequence: head.sequence, replace, write, after: tried };
    session.tried = [...tried.filter((id) => id !== write), write].slice(-MOST_TRIED);
    if (session.next === document) this.mirror(session);
    try {
      const params = { path: { document_id: head.id } };
      const kept = await unwrap(api.PUT(this.at('/api/patches/{document_id}/draft'), { params, body }));
      session.head = kept;
      session.tried = [];
      session.conflict = false;
      const done = session.next === document;
      if (done) session.next = null;
      this.show(session, done ? 'kept' : 'keeping', '');
      if (done) this.forget(session);
      else {
        this.mirror(session);
        this.later(PAUSE_MS);
      }
    } catch (error) {
      this.failed(session, error);
    }
  }

  /** Says how the open patch stands; of one that was left nothing is said. */
  private show(session: Session<D>, state: KeepState, trouble: string): void {
    if (session !== this.open_) return;
    this.head = session.head;
    this.state = state;
    this.trouble = trouble;
  }

  private failed(session: Session<D>, error: unknown): void {
    const said = error instanceof Error ? error.message : String(error);
    if (error instanceof Refused && error.status === 409) {
      session.conflict = true;
      this.show(session, 'conflict', '');
    } else if (error instanceof Unreachable || (error instanceof Refused && error.status === 503)) {
      this.show(session, 'waiting', said);
      this.later(RETRY_MS);
    } else {
      // What the store will not take it will not take a second time; the next change is another matter.
      if (error instanceof Refused && session !== this.open_) this.sessions.delete(session.head.id);
      this.show(session, 'refused', said);
    }
  }

  /** Keeps the draft as a revision. */
  async save(reason: string): Promise<Kept> {
    do await this.flush();
    while (this.mine && this.state === 'keeping');
    return this.inLine(async () => {
      const session = this.open_;
      if (!session || this.state !== 'kept') throw new Refused(503, this.trouble || 'The draft is not kept yet.');
      const { sequence, id } = session.head;
      const again = this.unsaved?.sequence === sequence && this.unsaved.reason === reason;
      const save = again && this.unsaved ? this.unsaved : { sequence, reason, write: freshId() };
      this.unsaved = save;
      const params = { path: { document_id: id } };
      const kept = await unwrap(api.POST(this.at('/api/patches/{document_id}/revisions'), { params, body: save }));
      this.unsaved = null;
      session.head = kept;
      if (session === this.open_) this.head = kept;
      return kept;
    });
  }

  /** Drops this window's work in favour of what the other window kept. */
  dropMine(): void {
    if (!this.open_) return;
    this.open_.next = null;
    this.forget(this.open_);
    this.sessions.delete(this.open_.head.id);
  }

  private mirror(session: Session<D>): void {
    if (!session.next) return;
    try {
      localStorage.setItem(this.key(session.head.id), JSON.stringify(mirrorOf(session)));
    } catch {
      if (session === this.open_) this.trouble = 'This browser has no room to keep the draft; save it to a file.';
    }
  }

  private forget(session: Session<D>): void {
    localStorage.removeItem(this.key(session.head.id));
    if (session !== this.open_) this.sessions.delete(session.head.id);
  }

  private key(id: string): string {
    return `${PREFIX}${id}.${windowId}`;
  }

  /** Finds what windows that are gone could not hand to the store, the newest first. What cannot be read is dropped. */
  private leftBehind(id: string, living: ReadonlySet<string>): { key: string; mirror: Mirror<D> }[] {
    const start = `${PREFIX}${id}.`;
    const keys = Array.from({ length: localStorage.length }, (_, i) => localStorage.key(i) ?? '');
    return keys
      .filter((key) => key.startsWith(start) && !living.has(key.slice(start.length)))
      .flatMap((key) => {
        const mirror = readMirror<D>(localStorage.getItem(key));
        if (!mirror) localStorage.removeItem(key);
        return mirror ? [{ key, mirror }] : [];
      })
      .sort((a, b) => b.mirror.at - a.mirror.at);
  }
}

function mirrorOf<D>({ next, head, tried }: Session<D>): Mirror<D> {
  return { document: next!, sequence: head.sequence, tried, at: Date.now() };
}

/** Returns a mirror, or null where what lies there is none. */
function readMirror<D extends { format: string }>(text: string | null): Mirror<D> | null {
  try {
    const found = JSON.parse(text ?? 'null') as Partial<Mirror<D>> | null;
    if (!found?.document?.format.startsWith('jorvik-') || typeof found.sequence !== 'number') return null;
    return { document: found.document, sequence: found.sequence, tried: found.tried ?? [], at: found.at ?? 0 };
  } catch {
    return null;
  }
}
