/** Figures and findings of the present patch, asked for a little after the last change. */
import { api, asBody, isNoAnswer, unwrap } from '../api/api';
import type { FindingView, Judgement, Patch } from '../api/api';
import { cut } from '../common/text';
import type { LoggedAct } from './logging';
import { FULL_RATE } from '../api/facts.gen';
import { workFor } from '../session/window';
import type { Performed } from '../phrase/phrasing.svelte';

const PAUSE_MS = 350;
/** While it is played live: what plays comes before what is said of it. */
const LIVE_PAUSE_MS = 1500;

/** A patch as the core hands it over. */
type Document = NonNullable<FindingView['fixed']>;

/** What would put something right: it is looked at before it is taken. */
export interface Mend {
  key: string;
  fix: string;
  fixed: Patch;
  /** The patch that it was made of: taken onto another, it would undo what was changed since. */
  from: Patch | null;
}

/** The patch that is judged, and how it is changed. */
export interface Judged {
  readonly patch: Patch | null;
  /** The phrase that it is played under. */
  readonly performed?: Performed;
  edit(label: string, after: Patch): void;
  act(act: LoggedAct, label: string, after: Patch): void;
  readonly tracing: { hold(label: string, patch: Patch): void; drop(): void };
}

export class Judging {
  /** Figures and findings of the patch as it was judged last. */
  judgement: Judgement | null = $state.raw(null);
  private judgedAs: { patch: Patch; performed?: Performed } | null = $state.raw(null);
  /** The fix that lies behind as a ghost until it is taken or left. */
  trying: Mend | null = $state.raw(null);
  findings = $derived(this.judgement?.findings.filter((finding) => finding.set_aside == null) ?? []);

  /** True while the judgement is of an earlier edit, of the patch or of what is played. */
  get isOld(): boolean {
    const { judgement, judgedAs, of } = this;
    if (judgement === null || judgedAs === null) return false;
    return judgedAs.patch !== of.patch || judgedAs.performed !== of.performed;
  }

  /** Whether what lies behind was made of an earlier patch; the next judgement brings it up to date, or drops it. */
  get stale(): boolean {
    return this.trying !== null && this.trying.from !== this.of.patch;
  }

  /** Whether the patch is played live: the machine is left to that, and no sound is made ready that is heard anyway. */
  isLive = false;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private preparing: AbortController | null = null;
  private judged: Patch | null = null;
  private busy = false;

  constructor(private readonly of: Judged) {}

  /** Begins with another patch. */
  open(): void {
    this.judgement = null;
    this.trying = null;
  }

  /** Judges the same patch again, as another phrase is played. Of a phrase that is left, no finding stays. */
  anew(): void {
    this.judged = null;
    if (this.judgedAs && !this.judgedAs.performed?.phrase !== !this.of.performed?.phrase) this.judgement = null;
  }

  soon(): void {
    // A sound that nobody will hear is not made ready while the next sheet is asked for.
    this.preparing?.abort();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.judge(), this.isLive ? LIVE_PAUSE_MS : PAUSE_MS);
  }

  /** An old answer never replaces a newer one: where the patch moved on meanwhile, it is judged again. */
  private async judge(): Promise<void> {
    const { patch } = this.of;
    if (!patch || this.busy || patch === this.judged) return;
    this.busy = true;
    const { performed } = this.of;
    const body = { document: asBody(patch), ...performed, rate: FULL_RATE };
    try {
      const found = await unwrap(api.POST('/api/judge', { body, headers: workFor('judge') }));
      if (this.of.performed === performed) this.judged = patch;
      if (this.of.patch === patch && this.of.performed === performed) {
        this.judgement = found as Judgement;
        this.judgedAs = { patch, ...(performed && { performed }) };
        if (this.stale) this.tryAgain();
      }
      performance.mark('jorvik:judged');
    } catch (error) {
      // The sheet says what is wrong with a patch or a connection; figures follow when it is fixed.
      if (!isNoAnswer(error)) throw error;
    } finally {
      this.busy = false;
    }
    if (this.of.patch !== patch || this.of.performed !== performed) this.soon();
    // The sound is made ready while nobody waits for it, so that it starts at once when it is played.
    else if (!this.isLive) this.prepare({ ...body, with_hits: true });
  }

  private prepare(body: { document: Record<string, unknown>; rate: number; with_hits: boolean }): void {
    this.preparing = new AbortController();
    const { signal } = this.preparing;
    void api.POST('/api/prepare', { body, signal, headers: workFor('prepare') }).catch(() => {});
  }

  /** Puts what a fix would make behind the present patch. */
  try(
    { key, fix = '', fixed }: { key: string; fix?: string; fixed?: Document | null },
    from: Patch | null = this.judged
  ): void {
    if (!fixed) return;
    this.trying = { key, fix, fixed: fixed as unknown as Patch, from };
    this.of.tracing.hold(fix, this.trying.fixed);
  }

  private tryAgain(): void {
    const again = this.findings.find((finding) => finding.key === this.trying?.key && finding.fixed);
    if (again) this.try(again);
    else this.leave();
  }

  take(): void {
    const { trying } = this;
    if (!trying || this.stale) return;
    this.leave();
    this.of.act('fix', cut(`fix: ${trying.fix}`, 60), trying.fixed);
  }

  leave(): void {
    this.trying = null;
    this.of.tracing.drop();
  }

  setAside(finding: FindingView, reason: string): void {
    this.setAsides(`set aside ${wordsOf(finding.key)}`, finding.key, [{ finding: finding.key, reason }]);
  }

  bringBack(key: string): void {
    this.setAsides(`look at ${wordsOf(key)} again`, key, []);
  }

  private setAsides(label: string, key: string, added: NonNullable<Patch['set_aside']>): void {
    const { patch } = this.of;
    const others = patch?.set_aside?.filter((aside) => aside.finding !== key) ?? [];
    if (patch) this.of.edit(label, { ...patch, set_aside: [...others, ...added] });
  }
}

/** Returns the rule that a finding's key names, in words. */
function wordsOf(key: string): string {
  return key.split(':')[0]!.replaceAll('_', ' ');
}
