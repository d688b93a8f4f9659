/** Figures and findings of the present patch, which follow the sheet; and the fix that is tried. */
import type { FindingView, Judgement, Patch } from '../api/api';
import { cut } from '../common/text';
import { applied } from '../session/operations';
import type { Performed, Session, Shown } from '../session/session';
import type { LoggedAct } from './logging';

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
  readonly performed: Performed;
  edit(label: string, after: Patch): void;
  act(act: LoggedAct, label: string, after: Patch): void;
  readonly tracing: { hold(label: string, patch: Patch): void; drop(): void };
}

export class Judging {
  /** Figures and findings of the patch as it was judged last. */
  judgement: Judgement | null = $state.raw(null);
  private judgedAs: Shown | null = $state.raw(null);
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

  constructor(
    private readonly of: Judged,
    private readonly session: Session
  ) {
    session.listen({
      judged: (shown, judgement) => {
        // Another judgement follows the newer edit.
        if (of.patch !== shown.patch || of.performed !== shown.performed) return;
        this.judgement = withFixes(judgement, shown.patch);
        this.judgedAs = shown;
        if (this.stale) this.tryAgain();
        performance.mark('jorvik:judged');
      }
    });
  }

  /** Begins with another patch. */
  open(): void {
    this.judgement = null;
    this.trying = null;
  }

  /** Judges the same patch again, such as by another ear. */
  again(): void {
    this.session.judge();
  }

  /** Another phrase is played: of one that is left, no finding stays. */
  anew(): void {
    if (this.judgedAs && !this.judgedAs.performed.phrase !== !this.of.performed.phrase) this.judgement = null;
  }

  /** Puts what a fix would make behind the present patch. */
  try(
    { key, fix = '', fixed }: { key: string; fix?: string; fixed?: Document | null },
    from: Patch | null = this.judgedAs?.patch ?? null
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

/** Returns a judgement whose fixes are whole patches: what they are tried with. */
function withFixes(judgement: Judgement, patch: Patch): Judgement {
  const findings = judgement.findings.map((finding) =>
    finding.operations ? { ...finding, fixed: applied(patch, finding.operations) as Document } : finding
  );
  return { ...judgement, findings };
}

/** Returns the rule that a finding's key names, in words. */
function wordsOf(key: string): string {
  return key.split(':')[0]!.replaceAll('_', ' ');
}
