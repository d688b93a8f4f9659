/** A recorded note held against the open patch: what is found in it, a patch brought near to it, both to be heard. */
import { api, asBody, unwrap, type Head, type Job, type Patch } from '../api/api';
import { cut } from '../common/text';
import { base64Of } from '../state/files';
import { Latest } from '../state/latest';
import { keepNew } from '../state/library';
import { messages } from '../state/messages.svelte';
import type { Player } from '../state/player.svelte';
import { ShownJob } from '../state/shown-job.svelte';
import { freshId } from '../session/window';
import type { Workbench } from '../state/workbench.svelte';

/** As much of a file as a request may carry. */
const MOST_BYTES = 6_400_000;

type Values = readonly (number | null)[];

export interface Found {
  seconds: number;
  note_on_s: number;
  note_off_s: number | null;
  pitch_hz: number | null;
  sentences: readonly string[];
  brightness: { settle_hz: number };
  lanes: { time_s: Values; pitch_cents: Values; level_db: Values; brightness_hz: Values };
}

/** How far a patch is from a recording, and where most. */
interface Distance {
  level_db: number;
  level_worst_s: number | null;
  pitch_cents: number | null;
  pitch_worst_s: number | null;
  brightness_oct: number | null;
  brightness_worst_s: number | null;
}

export interface Match {
  name: string;
  found: Found;
  fit: {
    distance: Distance;
    before: Distance | null;
    changes: readonly string[];
    lanes: { level_db: Values; pitch_hz: Values; brightness_hz: Values };
  };
  document: Record<string, unknown>;
  /** The recording as a WAV file, in base64. */
  sound: string;
  loudness_lufs: number;
  own_loudness_lufs: number;
}

export class Matching {
  /** What is known of the recording while the patch is still being brought near. */
  found: Found | null = $state.raw(null);
  match: Match | null = $state.raw(null);
  /** Whether a new patch is made, or the open one brought near. */
  anew = $state(true);
  /** Whether the match that is shown is a new patch. */
  isNew = $state(true);
  /** When it is let go, by hand; as found where nothing is said. */
  noteOff: number | null = $state(null);
  /** Which of the two a blind listener hears as A, and whether that was told. */
  blind: { first: 'recording' | 'patch'; told: boolean } | null = $state.raw(null);
  /** The recordings that are kept. */
  heads: Head[] = $state.raw([]);
  /** The one that is matched, by its identity in the store. */
  recording = $state('');
  private readonly listed = new Latest();

  /** The job that matches. */
  private readonly shown: ShownJob;

  constructor(
    private readonly bench: Workbench,
    private readonly player: Player
  ) {
    this.shown = new ShownJob(bench, {
      clear: () => (this.match = this.found = this.blind = null),
      soFar: (known) => (this.found = (known as { found: Found }).found),
      made: (result, job) => {
        this.match = result as Match;
        this.found = this.match.found;
        this.isNew = Boolean(job.facts['new']);
      }
    });
  }

  get running(): Job | undefined {
    return this.shown.running;
  }

  get trouble(): string {
    return this.shown.trouble;
  }

  /** Shows what was matched last with the open patch, and goes on with what is being matched. */
  async show(): Promise<void> {
    const { id } = this.bench;
    await this.shown.show(id, ({ kind, facts }) => kind === 'match' && facts['patch'] === id);
  }

  /** Reads a file, and brings a patch near to what is in it. */
  async read(file: File): Promise<void> {
    if (file.size > MOST_BYTES)
      throw new Error(
        `${file.name}: found ${(file.size / 1e6).toFixed(1)} MB; it must be ${MOST_BYTES / 1e6} MB at most: a shorter stretch, or FLAC.`
      );
    const isLast = this.shown.clear();
    const name = cut(file.name.replace(/\.[^.]*$/, ''), 120);
    const packed = await unwrap(api.POST('/api/match/recording', { body: { data: await base64Of(file), name } }));
    if (packed.remarks.length > 0) messages.say(packed.remarks.join(' '));
    const kept = await unwrap(api.POST('/api/recordings', { body: { document: packed.document, write: freshId() } }));
    await this.refresh();
    if (isLast()) await this.choose(kept.id);
  }

  /** Reads which recordings there are. */
  async refresh(): Promise<void> {
    await this.listed.keep(unwrap(api.GET('/api/recordings')), (heads) => (this.heads = heads));
  }

  /** Matches one of the recordings that are kept. */
  async choose(id: string): Promise<void> {
    this.recording = id;
    this.noteOff = null;
    await this.again();
  }

  async rename(name: string): Promise<void> {
    const path = { document_id: this.recording };
    const kept = await unwrap(api.GET('/api/recordings/{document_id}', { params: { path } }));
    const body = { document: { ...kept.document, name: cut(name, 120) }, sequence: kept.sequence, write: freshId() };
    await unwrap(api.PUT('/api/recordings/{document_id}/draft', { params: { path }, body }));
    await this.refresh();
  }

  async remove(): Promise<void> {
    const params = { path: { document_id: this.recording } };
    const name = this.heads.find((head) => head.id === this.recording)?.name ?? 'The recording';
    await unwrap(api.DELETE('/api/recordings/{document_id}', { params }));
    if (this.recording === params.path.document_id) this.recording = '';
    await this.refresh();
    const back = async (): Promise<void> => {
      await unwrap(api.POST('/api/recordings/{document_id}/undelete', { params }));
      await this.refresh();
      this.recording = params.path.document_id;
    };
    messages.say(`${name} was deleted.`, false, { label: 'Undo', run: () => void messages.attempt(back) });
  }

  /** Matches the same recording once more, as is said now. */
  async again(): Promise<void> {
    if (!this.recording) return;
    const isLast = this.shown.clear();
    await this.bench.settled();
    if (!isLast()) return;
    const path = { document_id: this.recording };
    const recording = (await unwrap(api.GET('/api/recordings/{document_id}', { params: { path } }))).document;
    const { patch } = this.bench;
    if (!patch || !isLast()) return;
    const about = { patch: this.bench.id, sequence: this.bench.drafts.head?.sequence ?? 0 };
    const off = this.noteOff === null ? {} : { note_off_s: this.noteOff };
    const of = this.anew ? {} : { document: asBody(patch) };
    const request = { kind: 'match' as const, recording, ...about, ...of, ...off };
    await this.shown.ask(request, isLast);
  }

  cancel(): void {
    this.shown.cancel();
  }

  get patch(): Patch | null {
    return this.match ? (this.match.document as unknown as Patch) : null;
  }

  /** Plays the recording or the patch that was brought near, both as loud as the quieter of the two. */
  async play(which: 'recording' | 'patch'): Promise<void> {
    const { match, patch } = this;
    if (!match || !patch) return;
    const quieter = Math.min(match.loudness_lufs, match.own_loudness_lufs);
    if (which === 'patch') return this.player.sound(patch, quieter - match.own_loudness_lufs, {});
    const bytes = Uint8Array.from(atob(match.sound), (letter) => letter.charCodeAt(0));
    const { settle_hz: centroid } = match.found.brightness;
    await this.player.recorded(bytes.buffer, match.loudness_lufs, centroid, quieter - match.loudness_lufs);
  }

  /** Begins to hear them without knowing which is which. */
  hide(): void {
    this.blind = { first: Math.random() < 0.5 ? 'recording' : 'patch', told: false };
  }

  /** Plays A or B. */
  async playSide(side: 'A' | 'B'): Promise<void> {
    const first = this.blind?.first ?? 'recording';
    await this.play((side === 'A') === (first === 'recording') ? 'recording' : 'patch');
  }

  /** Changes the open patch to the one that was brought near. */
  accept(): void {
    if (this.patch && this.match) this.bench.act('match', cut(`matched with ${this.match.name}`, 60), this.patch);
  }

  /** Keeps it as a patch of its own, and opens that. */
  async keep(): Promise<void> {
    const { match } = this;
    if (!match) return;
    const name = cut(String(match.document['name'] ?? match.name), 110);
    const patch = { ...match.document, name: this.isNew ? name : `${name}, matched` } as unknown as Patch;
    if (await this.bench.bring(() => keepNew(patch))) this.bench.view = 'note';
  }

  /** Holds it as the ghost behind the open patch. */
  ghost(): void {
    if (!this.patch || !this.match) return;
    this.bench.tracing.hold(this.match.name, this.patch, {});
    this.bench.view = 'note';
  }
}
