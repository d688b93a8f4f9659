/**
 * Keeps the draft: at once in this browser, a moment later in the store. Nothing is lost when the tab is closed, the
 * server is killed or the store stops, and two windows never overwrite each other.
 */
import { api, plain, Refused, taken, Unreachable, type Kept, type Patch } from './api';

const PAUSE_MS = 250;
const RETRY_MS = 1500;
const DEAD_MS = 10_000;
const PREFIX = 'jorvik.draft.';

interface Mirror {
  document: Patch;
  sequence: number;
  at: number;
}

export type KeepState = 'kept' | 'keeping' | 'waiting' | 'conflict';

function tabId(): string {
  const found = sessionStorage.getItem('jorvik.tab') ?? crypto.randomUUID();
  sessionStorage.setItem('jorvik.tab', found);
  return found;
}

export class Keeper {
  state: KeepState = $state('kept');
  trouble = $state('');
  head: Kept | null = $state.raw(null);
  private next: Patch | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private running: Promise<void> | null = null;

  /** Starts to keep a patch, and returns what an earlier window left unkept of it, if anything. */
  open(kept: Kept): Patch | null {
    this.head = kept;
    this.state = 'kept';
    this.next = null;
    clearTimeout(this.timer);
    const left = this.leftBehind(kept.id);
    if (!left || JSON.stringify(left.document) === JSON.stringify(kept.document)) {
      this.forget();
      return null;
    }
    if (left.sequence !== kept.sequence) {
      this.next = left.document;
      this.state = 'conflict';
      this.mirror(left.sequence);
      return null;
    }
    this.keep(left.document);
    return left.document;
  }

  /** The work of this window that another window's change stands against. */
  get mine(): Patch | null {
    return this.next;
  }

  keep(document: Patch): void {
    if (!this.head) return;
    this.next = document;
    this.mirror(this.head.sequence);
    if (this.state === 'conflict') return;
    if (this.state === 'kept') this.state = 'keeping';
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), this.state === 'waiting' ? RETRY_MS : PAUSE_MS);
  }

  /** Writes what is not yet kept; resolves when nothing is left to write or it cannot be written now. */
  async flush(replace = false): Promise<void> {
    clearTimeout(this.timer);
    while (this.running) await this.running;
    if (!this.next || !this.head || (this.state === 'conflict' && !replace)) return;
    this.running = this.write(this.next, this.head, replace);
    await this.running;
  }

  private async write(document: Patch, head: Kept, replace: boolean): Promise<void> {
    try {
      const request = api.PUT('/api/patches/{patch_id}/draft', {
        params: { path: { patch_id: head.id } },
        body: { document: plain(document), sequence: head.sequence, replace }
      });
      const kept = await taken(request);
      if (this.head?.id !== head.id) return;
      this.head = kept;
      this.trouble = '';
      if (this.next === document) {
        this.next = null;
        this.state = 'kept';
        this.forget();
      } else {
        this.state = 'keeping';
        this.timer = setTimeout(() => void this.flush(), PAUSE_MS);
      }
    } catch (error) {
      this.failed(error);
    } finally {
      this.running = null;
    }
  }

  private failed(error: unknown): void {
    if (error instanceof Refused && error.status === 409) {
      this.state = 'conflict';
    } else if (error instanceof Unreachable || (error instanceof Refused && error.status >= 500)) {
      this.state = 'waiting';
      this.trouble = error.message;
      if (this.head) this.mirror(this.head.sequence);
      this.timer = setTimeout(() => void this.flush(), RETRY_MS);
    } else {
      this.state = 'waiting';
      this.trouble = error instanceof Error ? error.message : String(error);
    }
  }

  /** Keeps the draft as a revision. */
  async save(reason: string): Promise<Kept> {
    do await this.flush();
    while (this.next && this.state === 'keeping');
    if (!this.head || this.state !== 'kept') throw new Refused(503, this.trouble || 'The draft is not kept yet.');
    const body = { sequence: this.head.sequence, reason };
    const path = { patch_id: this.head.id };
    this.head = await taken(api.POST('/api/patches/{patch_id}/revisions', { params: { path }, body }));
    return this.head;
  }

  /** Drops this window's work in favour of what the other window kept. */
  dropMine(): void {
    this.next = null;
    this.forget();
  }

  private mirror(sequence: number): void {
    if (!this.head || !this.next) return;
    const mirror: Mirror = { document: this.next, sequence, at: Date.now() };
    try {
      localStorage.setItem(this.key(this.head.id), JSON.stringify(mirror));
    } catch {
      this.trouble = 'This browser has no room to keep the draft; save it to a file.';
    }
  }

  private forget(): void {
    if (this.head) localStorage.removeItem(this.key(this.head.id));
  }

  private key(id: string): string {
    return `${PREFIX}${id}.${tabId()}`;
  }

  /** Finds what this tab, or one that is no longer alive, could not hand to the store. */
  private leftBehind(id: string): Mirror | null {
    const own = this.key(id);
    for (let i = 0; i < localStorage.length; i++) {
      const key = localStorage.key(i);
      if (!key?.startsWith(`${PREFIX}${id}.`)) continue;
      const mirror = JSON.parse(localStorage.getItem(key) ?? 'null') as Mirror | null;
      if (mirror && (key === own || Date.now() - mirror.at > DEAD_MS)) {
        if (key !== own) localStorage.removeItem(key);
        return mirror;
      }
    }
    return null;
  }
}
