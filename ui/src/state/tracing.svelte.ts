/** The note sheet of the present patch, and of a ghost behind it. */
import { api, asBody, unwrap } from '../api/api';
import type { Patch, View } from '../api/api';
import { DRAFT_RATE, FULL_RATE, VELOCITIES } from '../api/facts.gen';
import { alongKeys, unpack, unpackVoice, type FaintVoice, type Sheet } from '../api/sheet';
import type { Performed, Session, Shown } from '../session/session';
import { workFor } from '../session/window';

const LEAST_SPAN_S = 0.0005;

/** The patch whose sheet is shown, and who is told of the answer. */
export interface Traced {
  readonly patch: Patch | null;
  /** The phrase that it is played under, and whose voice is shown. */
  readonly performed: Performed;
  /** Signals and destinations that are shown though nothing reads them. */
  readonly pinned: readonly string[];
  traced(patch: Patch, performed: Performed): void;
  refused(patch: Patch, sentence: string, performed: Performed): void;
}

/** A version behind the present one: played as that is, or in its own way where that is what it was held for. */
export interface Ghost {
  patch: Patch;
  label: string;
  own: Performed | null;
  sheet: Sheet | null;
}

/** Returns a sheet as it is drawn: a voice that glides has one curve along its keys. */
function drawn(sheet: Sheet, { voice }: Patch): Sheet {
  return (voice?.mode ?? 'poly') !== 'poly' && (voice?.glide_ms ?? 0) > 0 ? alongKeys(sheet) : sheet;
}

export class Tracing {
  sheet: Sheet | null = $state.raw(null);
  /** The other voices of the phrase, seen behind the one that is looked at. */
  voices: FaintVoice[] = $state.raw([]);
  /** A version held behind the present one. */
  ghost: Ghost | null = $state.raw(null);
  /** The stretch of the note that the sheet shows; all of it where this is null. */
  span: { from: number; to: number } | null = $state.raw(null);
  /** The sheet's width in pixels: so many columns are asked for. */
  columns = $state(0);
  allThree = $state(false);
  failure = $state('');

  /** The document that the sheet is of. */
  private tracedAs: Shown | null = $state.raw(null);
  private asked: View | null = null;
  private ghostAsked = '';
  /** A held version at the note that was played last. */
  private laid: { of: Patch; patch: Patch } | null = null;

  constructor(
    private readonly of: Traced,
    private readonly session: Session
  ) {
    session.listen({
      sheet: (shown, { sheet }, chunks) => {
        this.sheet = drawn(unpack(sheet, this.columns, chunks), shown.patch);
        this.tracedAs = shown;
        this.failure = '';
        // The voices of a sheet follow it.
        if (!shown.performed.phrase) this.voices = [];
        performance.mark('jorvik:sheet');
        this.of.traced(shown.patch, shown.performed);
        if (this.ghost) void this.askGhost();
      },
      voices: (shown, { voices }, chunks) => {
        const { sheet } = this;
        if (sheet && shown === this.tracedAs) this.voices = voices.map((one) => unpackVoice(one, sheet, chunks));
      },
      refused: ({ patch, performed }, sentence) => this.of.refused(patch, sentence, performed),
      failed: (sentence) => (this.failure = sentence)
    });
  }

  /** True while the sheet is of an earlier edit. */
  get isOld(): boolean {
    const { tracedAs, of } = this;
    return tracedAs !== null && (tracedAs.patch !== of.patch || tracedAs.performed !== of.performed);
  }

  /** Begins with another patch. */
  open(): void {
    this.ghost = null;
    this.span = null;
    const { patch, performed } = this.of;
    if (patch) this.session.open({ patch, performed });
    this.ask();
  }

  /** Asks for the sheet of the present patch; of answers the newest is shown. */
  ask(draft = false): void {
    const { patch, performed } = this.of;
    if (!patch) return;
    const rate = draft ? DRAFT_RATE : FULL_RATE;
    const view = this.columns > 0 ? this.viewOf(patch) : null;
    // What is shown comes first, so that the edit is traced once.
    if (view && JSON.stringify(view) !== JSON.stringify(this.asked)) this.session.show(view, rate);
    this.asked = view;
    this.session.edit({ patch, performed }, rate);
  }

  private viewOf(patch: Patch): View {
    const struck = patch.performance?.notes?.[0]?.velocity ?? 96;
    const others = VELOCITIES.map((v) => v.velocity).filter((v) => v !== struck);
    return {
      columns: this.columns,
      velocities: this.allThree ? others : [],
      asked: this.of.pinned.filter((name) => !(name in (this.sheet?.signals ?? {})) && !name.startsWith('heard:')),
      ...this.stretch()
    };
  }

  private stretch(): { from_s: number; to_s: number | null } {
    return { from_s: this.span?.from ?? 0, to_s: this.span?.to ?? null };
  }

  /** Shows a stretch of the note; all of it where it is as long as the note or longer. */
  zoom(from: number, to: number): void {
    const whole = this.sheet?.seconds ?? 1;
    const length = Math.max(LEAST_SPAN_S, Math.min(to - from, whole));
    const begin = Math.max(0, Math.min(from, whole - length));
    this.span = length >= whole * 0.9999 ? null : { from: begin, to: begin + length };
    this.ask();
  }

  /** Holds a version behind the present one, the present one itself where none is given. */
  hold(label = 'as it was', patch = this.of.patch, own: Performed | null = null): void {
    if (!patch) return;
    this.ghost = { patch, label, own, sheet: null };
    void this.askGhost();
  }

  /** The patch that lies behind, as it is played: the same object while nothing of it changes. */
  behind(present: Patch): Patch | null {
    const { ghost, laid } = this;
    if (!ghost || ghost.own) return ghost?.patch ?? null;
    const { performance } = present;
    if (laid?.of === ghost.patch && laid.patch.performance === performance) return laid.patch;
    const patch = { ...ghost.patch, performance };
    this.laid = { of: ghost.patch, patch };
    return patch;
  }

  drop(): void {
    this.ghost = null;
  }

  /** Traces the ghost over the seconds that the sheet shows, so that both lie on one axis. */
  private async askGhost(): Promise<void> {
    const { ghost, sheet: shown } = this;
    const { patch } = this.of;
    const behind = patch && this.behind(patch);
    if (!ghost || !behind || this.columns === 0) return;
    const stretch = shown ? { from_s: shown.from_s, to_s: shown.to_s } : this.stretch();
    const performed = ghost.own ?? this.of.performed;
    const asked = JSON.stringify([this.columns, stretch, behind.performance, performed]);
    if (ghost.sheet && asked === this.ghostAsked) return;
    this.ghostAsked = asked;
    const how = { ...performed, rate: FULL_RATE, columns: this.columns, velocities: [] };
    const body = { document: asBody(behind), ...how, ...stretch };
    try {
      const answer = await unwrap(api.POST('/api/sheet', { body, headers: workFor('ghost') }));
      const sheet = drawn(unpack(answer, this.columns), behind);
      if (this.ghost?.patch === ghost.patch) this.ghost = { ...ghost, sheet };
    } catch {
      if (this.ghost?.patch === ghost.patch) this.ghostAsked = '';
    }
  }
}
