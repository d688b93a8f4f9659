/** The way back: every change in words, undone and done again without a limit, also after a reload. */
import { get, set } from 'idb-keyval';
import type { Patch } from './api';

interface Step {
  label: string;
  before: Patch;
  after: Patch;
  merge: string;
  at: number;
}

/** Changes with one merge key that follow each other within this are one step. */
const MERGE_MS = 1200;
/** So many steps are in the tab's own storage, which takes them at once. */
const AT_HAND = 20;

export class Steps {
  private done: Step[] = $state.raw([]);
  private undone: Step[] = $state.raw([]);
  private id = '';

  undoLabel = $derived(this.done.at(-1)?.label ?? '');
  redoLabel = $derived(this.undone.at(-1)?.label ?? '');

  /** Adds a change. It ends what could have been done again. */
  add(label: string, before: Patch, after: Patch, merge = ''): void {
    const last = this.done.at(-1);
    const at = Date.now();
    if (last && merge && last.merge === merge && at - last.at < MERGE_MS) {
      this.done = [...this.done.slice(0, -1), { ...last, label, after, at }];
    } else this.done = [...this.done, { label, before, after, merge, at }];
    this.undone = [];
    this.remember();
  }

  /** Takes the last change back, and returns the patch before it. */
  back(): Patch | undefined {
    const step = this.done.at(-1);
    if (!step) return undefined;
    this.done = this.done.slice(0, -1);
    this.undone = [...this.undone, step];
    this.remember();
    return step.before;
  }

  /** Does the last undone change again, and returns the patch after it. */
  forth(): Patch | undefined {
    const step = this.undone.at(-1);
    if (!step) return undefined;
    this.undone = this.undone.slice(0, -1);
    this.done = [...this.done, { ...step, merge: '' }];
    this.remember();
    return step.after;
  }

  /** Forgets the change that led to a patch, as when it was refused. */
  forget(refused: Patch): void {
    this.done = this.done.filter((step) => step.after !== refused);
    this.remember();
  }

  private remember(): void {
    // A browser that keeps nothing still undoes what was done since it was opened.
    void set(`steps ${this.id}`, [this.done, this.undone]).catch(() => {});
    // What the database has not taken yet when a page is closed at once, the tab's own storage has.
    const key = `jorvik.steps.${this.id}`;
    try {
      sessionStorage.setItem(key, JSON.stringify([this.done.slice(-AT_HAND), this.undone.slice(-AT_HAND)]));
    } catch {
      sessionStorage.removeItem(key);
    }
  }

  /** Recalls the steps of a patch that was opened, where they lead to it as it stands. */
  async open(id: string, patch: Patch): Promise<void> {
    this.id = id;
    this.done = this.undone = [];
    const recent = JSON.parse(sessionStorage.getItem(`jorvik.steps.${id}`) ?? '[[],[]]') as [Step[], Step[]];
    const all = (await get<[Step[], Step[]]>(`steps ${id}`).catch(() => undefined)) ?? [[], []];
    if (this.id !== id || this.done.length > 0) return;
    const here = JSON.stringify(patch);
    // Where the patch was changed elsewhere meanwhile, the steps lead nowhere.
    const found = [all, recent].find(
      ([done, undone]) => JSON.stringify(done.at(-1)?.after ?? undone.at(-1)?.before) === here
    );
    [this.done, this.undone] = found ?? [[], []];
  }
}
