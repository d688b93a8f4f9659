/** The phrase that the open patch is played under: which one, whose voice is strong, and every change to it. */
import { api, asBody, unwrap, type Head, type Kept, type Patch, type Phrase, type PhraseNote } from '../api/api';
import { DraftStore } from '../session/drafts.svelte';
import { History } from '../session/history.svelte';
import { Latest } from '../state/latest';
import { messages } from '../state/messages.svelte';
import type { Performed } from '../session/session';
import { freshId } from '../session/window';
import { workedOut } from '../state/worked-out';
import { beatS, EMPTY, hitsOf, notesOf, type FullNote, type LanePoint } from './phrase';

const PREFIX = 'jorvik.phrase.';

const keptOf = (id: string): Promise<Kept> =>
  unwrap(api.GET('/api/phrases/{document_id}', { params: { path: { document_id: id } } }));

/** Notes of the phrase, or strikes of one of its tracks, by their numbers; the last is the one that was picked last. */
export interface Picked {
  track: string | null;
  numbers: number[];
}

/** Who is told that what is played is another. */
export interface Stage {
  readonly patch: Patch | null;
  performedAnew(): void;
}

export class Phrasing {
  heads: Head[] = $state.raw([]);
  phrase: Phrase | null = $state.raw(null);
  picked: Picked | null = $state.raw(null);
  /** Notes that were copied, to be put in elsewhere, in another phrase too. */
  copied: FullNote[] = $state.raw([]);
  /** The note whose voice is strong, where each has a voice of its own. */
  voice = $state(0);
  readonly drafts = new DraftStore<Phrase>(
    {
      // A phrase that is no longer played stays out of sight.
      merged: (phrase) => this.phrase && this.replace(phrase),
      refused: (phrase, sentence) => {
        if (!this.phrase) return;
        messages.say(`Not applied: ${this.steps.undoLabel}. Another window changed the phrase. ${sentence}`, true);
        this.steps.forget(this.phrase);
        this.replace(phrase);
      }
    },
    'phrases'
  );
  readonly steps = new History<Phrase>();
  /** A lane as it would be, thinned as is asked for just now. */
  proposed: { name: string; points: LanePoint[] } | null = $state.raw(null);
  /** Counts what is played: two alike numbers are one performance. */
  take = $state(0);

  private patchId = '';
  /** What was asked to be played under: a phrase that comes after a newer question is let go. */
  private readonly asked = new Latest();
  private readonly listed = new Latest();
  private good: Phrase | null = null;
  /** Whether the core has taken this phrase under this patch. */
  private fits = false;

  constructor(private readonly stage: Stage) {}

  private told: { of: Phrase | null; voice: number; performed: Performed } = { of: null, voice: 0, performed: {} };

  /** What is played: the same object until phrase or voice are others, by which answers know what they are of. */
  get performed(): Performed {
    const { phrase, strong: voice } = this;
    if (this.told.of !== phrase || this.told.voice !== voice)
      this.told = { of: phrase, voice, performed: phrase ? { phrase: asBody(phrase), voice } : {} };
    return this.told.performed;
  }

  private get strong(): number {
    return Math.max(0, Math.min(this.voice, notesOf(this.phrase ?? EMPTY).length - 1));
  }

  /** The note whose voice is strong. */
  get note(): PhraseNote | undefined {
    return this.phrase ? notesOf(this.phrase)[this.strong] : undefined;
  }

  get beatS(): number {
    return beatS(this.phrase ?? EMPTY);
  }

  get id(): string {
    return this.phrase ? (this.drafts.head?.id ?? '') : '';
  }

  async refresh(): Promise<void> {
    await this.listed.keep(unwrap(api.GET('/api/phrases')), (heads) => (this.heads = heads));
  }

  /** Comes back to what a patch was played under last. */
  async open(patchId: string): Promise<void> {
    this.patchId = patchId;
    this.asked.ask();
    // A list that cannot be had now is had the next time.
    void this.drafts.flush().then(() => this.refresh().catch(() => {}));
    const { id, voice } = this.remembered();
    this.phrase = null;
    this.picked = null;
    if (!id) return;
    try {
      await this.bring(() => keptOf(id), voice);
    } catch {
      // A phrase that is gone leaves the patch at its test note.
      this.remember();
    }
  }

  /** Plays the patch under a phrase, or at its test note. */
  async choose(id: string | null): Promise<void> {
    if (id === null) {
      const isLast = this.asked.ask();
      await this.drafts.flush();
      if (!isLast()) return;
      this.phrase = null;
    } else if (!(await this.bring(() => keptOf(id)))) return;
    this.remember();
    this.changed();
  }

  /** Plays under a phrase that is fetched, or made first; tells whether nothing else was asked for meanwhile. */
  private async bring(fetch: () => Promise<Kept>, voice = 0): Promise<boolean> {
    const isLast = this.asked.ask();
    await this.drafts.flush();
    const kept = await fetch();
    if (!isLast()) return false;
    await this.show(kept, voice);
    return true;
  }

  private async show(kept: Kept, voice = 0): Promise<void> {
    const { document: phrase } = await this.drafts.open(kept);
    this.phrase = this.good = phrase;
    this.voice = voice;
    this.picked = null;
    this.fits = false;
    await this.steps.open(kept.id, this.phrase);
  }

  /** Keeps a new phrase and plays the patch under it. */
  async create(phrase: Phrase): Promise<void> {
    await this.takeUp(() => unwrap(api.POST('/api/phrases', { body: { document: asBody(phrase), write: freshId() } })));
  }

  /** Plays the patch under a phrase that is made and kept first. */
  async takeUp(make: () => Promise<Kept>): Promise<void> {
    const isShown = await this.bring(make);
    if (isShown) {
      this.remember();
      this.changed();
    }
    await this.refresh();
  }

  async remove(): Promise<void> {
    const { id, phrase } = this;
    if (!id || !phrase) return;
    await unwrap(api.DELETE('/api/phrases/{document_id}', { params: { path: { document_id: id } } }));
    await this.choose(null);
    await this.refresh();
    const back = async (): Promise<void> => {
      await unwrap(api.POST('/api/phrases/{document_id}/undelete', { params: { path: { document_id: id } } }));
      await this.refresh();
      await this.choose(id);
    };
    messages.say(`${phrase.name ?? 'The phrase'} was deleted.`, false, {
      label: 'Undo',
      run: () => void messages.attempt(back)
    });
  }

  /** Makes a change: played, undoable under its name, and kept. Changes with one `merge` key soon after are one step. */
  edit(label: string, after: Phrase, merge = ''): void {
    if (!this.phrase || after === this.phrase) return;
    this.steps.add(label, this.phrase, after, merge);
    this.put(after);
  }

  /** Makes a change that the server works out of the phrase as it is. */
  async work(label: string, ask: (phrase: Phrase) => Promise<{ phrase: unknown; remarks?: string[] }>): Promise<void> {
    const now = () => (this.phrase ? { id: this.id, document: this.phrase } : null);
    const made = await workedOut(label, now, ask);
    if (!made) return;
    this.edit(label, made.phrase as Phrase);
    for (const remark of made.remarks ?? []) messages.say(remark);
  }

  undo(): void {
    const before = this.phrase && this.steps.back(this.phrase);
    if (before) this.put(before);
  }

  redo(): void {
    const after = this.phrase && this.steps.forth(this.phrase);
    if (after) this.put(after);
  }

  /** The core took what is played. */
  taken(): void {
    this.good = this.phrase;
    this.fits = this.phrase !== null;
  }

  /**
   * The core refused it: what was changed last is taken back; a phrase that does not go under this patch at all gives
   * way to the test note. Tells whether there was anything to take back.
   */
  refused(): boolean {
    if (this.phrase && !this.fits) {
      void this.choose(null);
      return true;
    }
    if (!this.phrase || !this.good || this.good === this.phrase) return false;
    this.steps.forget(this.phrase);
    this.put(this.good);
    return true;
  }

  isPicked(track: string | null, number: number): boolean {
    return this.picked?.track === track && this.picked.numbers.includes(number);
  }

  /** The numbers that an act on one of a row is meant for: all that are picked, where it is among them. */
  meant(track: string | null, number: number): number[] {
    return this.isPicked(track, number) ? (this.picked?.numbers ?? []) : [number];
  }

  /** Which of a row are picked once one of them is: it alone, or it more, or it less. */
  with(track: string | null, number: number, isMore: boolean): number[] {
    const before = this.picked?.track === track ? this.picked.numbers : [];
    if (!isMore) return [number];
    return before.includes(number) ? before.filter((one) => one !== number) : [...before, number];
  }

  /** Picks notes, or strikes of a track; the voice of the note that was picked last is the strong one. */
  pick(track: string | null, numbers: number[]): void {
    this.picked = numbers.length > 0 ? { track, numbers } : null;
    const voice = (track === null ? numbers.at(-1) : undefined) ?? this.voice;
    if (voice === this.voice) return;
    this.voice = voice;
    this.remember();
    this.changed();
  }

  private put(phrase: Phrase): void {
    this.drafts.keep(phrase);
    this.replace(phrase);
  }

  private replace(phrase: Phrase): void {
    this.phrase = phrase;
    const { picked } = this;
    const track = hitsOf(phrase).find((hit) => hit.id === picked?.track);
    const count = picked?.track === null ? notesOf(phrase).length : (track?.strikes?.length ?? 0);
    if (picked?.numbers.some((number) => number >= count)) this.picked = null;
    this.changed();
  }

  private changed(): void {
    this.take++;
    this.stage.performedAnew();
  }

  private remembered(): { id: string; voice: number } {
    try {
      const found = JSON.parse(localStorage.getItem(PREFIX + this.patchId) ?? '{}') as { id?: string; voice?: number };
      return { id: found.id ?? '', voice: found.voice ?? 0 };
    } catch {
      return { id: '', voice: 0 };
    }
  }

  private remember(): void {
    try {
      if (this.id) localStorage.setItem(PREFIX + this.patchId, JSON.stringify({ id: this.id, voice: this.voice }));
      else localStorage.removeItem(PREFIX + this.patchId);
    } catch {
      // A browser that keeps nothing plays the test note the next time.
    }
  }
}
