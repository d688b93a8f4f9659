/** Takes: recorded pass after pass, kept whatever becomes of server, store and page, opened as phrases, joined. */
import { api, asBody, Refused, unwrap, type Head, type Kept, type Patch, type Phrase } from '../api/api';
import { Latest } from '../state/latest';
import { enter } from '../state/logging';
import { messages } from '../state/messages.svelte';
import { freshId, livingWindows, windowId } from '../session/window';
import { cut } from '../common/text';
import type { Live, Over, Write } from './live.svelte';
import { KEPT_S, taken, wasPlayed, type Session } from './session';
import * as outbox from './outbox';

const LAY_DOWN_MS = 1000;
const RETRY_MS = 3000;
/** The tag of a take that ended before its pass did, or with the page that played it. */
export const CUT_OFF = 'cut off';

/** Whether asking again would be refused again: not where the store is away, or nobody answers. */
const isFinal = (error: unknown): boolean => error instanceof Refused && error.status < 500;

export interface Take {
  name?: string;
  rate?: number;
  begins?: number;
  ends: number;
  tempo_bpm?: number;
  beats_per_bar?: number;
  edits?: number;
  phrase?: string;
  patch: Record<string, unknown>;
  of?: { patch: string; sequence: number };
  over?: Record<string, unknown> | null;
}

/** What takes are made of: the open patch, and the phrase that it is played under. */
export interface Stage {
  readonly patch: Patch | null;
  readonly id: string;
  readonly drafts: { head: { sequence: number } | null };
  readonly phrasing: {
    readonly phrase: Phrase | null;
    readonly heads: Head[];
    takeUp(make: () => Promise<Kept>): Promise<void>;
  };
}

export class Taking {
  /** The takes of the open patch, as they are listed. */
  heads: Head[] = $state.raw([]);
  /** Whether it is recorded, and how many takes were kept of that. */
  recording = $state(false);
  passes = $state(0);
  countIn = $state(1);
  clicks = $state(false);
  /** Whether notes and lanes of the phrase are played beside its hits. */
  plays = $state(true);
  write: Write = $state('touch');
  /** What is to be printed: takes, or where there are none the patch as it stands; nothing while nobody asks. */
  printing: readonly Head[] | null = $state.raw(null);
  private readonly listed = new Latest();
  private pass = 0;
  private laidAt = 0;
  /** Takes that are being sent. */
  private onTheWay = 0;

  constructor(
    private readonly of: Stage,
    private readonly live: Live
  ) {
    live.onplayed = () => this.played();
    live.onended = (wasLost) => this.ended(wasLost);
  }

  /** Reads which takes there are of the open patch, and sends on what waits in this browser. */
  async refresh(): Promise<void> {
    const query = { search: this.of.id };
    const found = this.of.id ? unwrap(api.GET('/api/takes', { params: { query } })) : Promise.resolve([]);
    await this.listed.keep(found, (heads) => (this.heads = heads));
    void this.sendOn();
  }

  /** What is played over: the phrase of the open patch, where there is one. */
  private get over(): Over {
    const { phrase } = this.of.phrasing;
    return { phrase: phrase ? asBody(phrase) : null, plays: this.plays, clicks: this.clicks };
  }

  async record(): Promise<void> {
    this.live.writes(this.write);
    this.pass = this.passes = 0;
    await this.live.record({ ...this.over, count_in: this.countIn });
    this.recording = true;
  }

  /** Ends the recording; what was played of the last pass is a take too. */
  stop(): void {
    const { session, now } = this.live;
    this.recording = false;
    if (!session) return;
    const begins = session.bars_from + this.pass * session.turn;
    if (now > begins && wasPlayed(session, begins, now)) this.keepPass(session, begins, now);
    this.live.beat({ phrase: null, plays: false }, session.tempo_bpm, session.beats_per_bar, 0);
  }

  /** More is heard, or was played: what is complete is kept, and all of it laid down. */
  private played(): void {
    const { session, now } = this.live;
    if (!session) return;
    if (this.recording && session.turn > 0) {
      const begins = session.bars_from + this.pass * session.turn;
      if (now >= begins + session.turn) {
        if (wasPlayed(session, begins, begins + session.turn)) this.keepPass(session, begins, begins + session.turn);
        this.pass++;
      }
    }
    if (this.recording && now > KEPT_S * session.rate) {
      this.stop();
      messages.say('Two minutes were recorded, which is as much as one take can be rendered from.');
    }
    if (performance.now() - this.laidAt < LAY_DOWN_MS || session.notes.length === 0) return;
    this.laidAt = performance.now();
    void outbox.layDown(windowId, this.lastMinutes(session)).catch(() => {});
  }

  private about(name: string): Record<string, unknown> {
    const { patch, id, drafts } = this.of;
    const kept = drafts.head ? { of: { patch: id, sequence: drafts.head.sequence } } : {};
    return { name: cut(name, 120), patch: asBody(patch!), ...kept };
  }

  private keepPass(session: Session, begins: number, ends: number): void {
    this.passes++;
    this.onTheWay++;
    const name = `${this.of.patch?.name ?? 'Untitled'}, take ${this.heads.length + this.onTheWay}`;
    const tags = ends - begins < session.turn ? { tags: [CUT_OFF] } : {};
    void this.send(asBody(taken(session, begins, ends, { ...this.about(name), ...tags })))
      .catch(() => {})
      .finally(() => this.onTheWay--);
  }

  private lastMinutes(session: Session): Record<string, unknown> | null {
    const ends = Math.max(this.live.now, session.until, 1);
    const since = ends - KEPT_S * session.rate;
    if (!session.notes.some(({ on }) => on >= since)) return null;
    return asBody(taken(session, null, ends, this.about('As it was played')));
  }

  /** Keeps what was played in the last two minutes, and opens it as a phrase. */
  async keep(): Promise<void> {
    const take = this.live.session && this.lastMinutes(this.live.session);
    if (!take) throw new Error('Nothing was played in the last two minutes; strike a key first.');
    await this.open((await this.send(take)).id);
    await outbox.layDown(windowId, null).catch(() => {});
  }

  /** What plays has ended: whoever was recording, or lost it in the middle, loses nothing of what was played. */
  private ended(wasLost: boolean): void {
    const { session } = this.live;
    if (wasLost && session && this.lastMinutes(session)) {
      const keep = { label: 'Keep it', run: () => void messages.attempt(() => this.keep()) };
      messages.say('What was played until then can be kept.', false, keep, true);
    } else void outbox.layDown(windowId, null).catch(() => {});
    if (session && this.recording) {
      this.recording = false;
      const begins = session.bars_from + this.pass * session.turn;
      const ends = Math.max(this.live.now, session.until);
      if (ends > begins && wasPlayed(session, begins, ends)) this.keepPass(session, begins, ends);
    }
  }

  /** Lays a take into this browser and sends it to the store, again and again until it has it. */
  private async send(document: Record<string, unknown>): Promise<Kept> {
    const waiting = { write: freshId(), document };
    await outbox.putOut(waiting).catch(() => {});
    try {
      return await this.sent(waiting);
    } catch (error) {
      if (isFinal(error)) throw error;
      messages.say('The take lies in this browser and is kept as soon as Jorvik answers.');
      setTimeout(() => void this.sendOn(), RETRY_MS);
      throw error;
    }
  }

  /** Takes that are being sent, by their writes: what waits in the browser is not sent a second time meanwhile. */
  private readonly underWay = new Map<string, Promise<Kept>>();

  private sent(waiting: outbox.Waiting): Promise<Kept> {
    const { write } = waiting;
    const answer = this.underWay.get(write) ?? this.post(waiting).finally(() => this.underWay.delete(write));
    this.underWay.set(write, answer);
    return answer;
  }

  private async post({ write, document }: outbox.Waiting): Promise<Kept> {
    let kept: Kept;
    try {
      kept = await unwrap(api.POST('/api/takes', { body: { document, write } }));
    } catch (error) {
      if (isFinal(error)) await outbox.forget(write).catch(() => {});
      throw error;
    }
    await outbox.forget(write).catch(() => {});
    this.heads = [...this.heads.filter((head) => head.id !== kept.id), kept];
    enter('take', `kept the take ${kept.name}`, kept.id, null, kept.document);
    return kept;
  }

  private sending = false;
  private async sendOn(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    try {
      for (const one of await outbox.waiting()) await this.sent(one);
    } catch (error) {
      if (isFinal(error)) messages.say(`A take was not kept: ${(error as Error).message}`, true);
      setTimeout(() => void this.sendOn(), RETRY_MS);
    } finally {
      this.sending = false;
    }
  }

  /** Offers what a window that is gone was playing when it went. */
  async lookBehind(): Promise<void> {
    for (const document of await outbox.leftBehind(await livingWindows()).catch(() => [])) {
      const keep = async (): Promise<void> => this.open((await this.send({ ...document, tags: [CUT_OFF] })).id);
      messages.say(
        'Something was being played when the last window went.',
        false,
        { label: 'Keep it', run: () => void messages.attempt(keep) },
        true
      );
    }
  }

  async take(id: string): Promise<Take> {
    const kept = await unwrap(api.GET('/api/takes/{document_id}', { params: { path: { document_id: id } } }));
    return kept.document as unknown as Take;
  }

  /** Returns the phrase of a take, kept: made of it once, and then as it was edited. */
  async phraseOf(id: string): Promise<Kept> {
    const path = { document_id: id };
    const take = await unwrap(api.GET('/api/takes/{document_id}', { params: { path } }));
    const made = (take.document as unknown as Take).phrase;
    if (made) {
      try {
        return await unwrap(api.GET('/api/phrases/{document_id}', { params: { path: { document_id: made } } }));
      } catch {
        // It was deleted since: it is made again.
      }
    }
    const { phrase } = await unwrap(api.POST('/api/take/phrase', { body: { take: take.document } }));
    const kept = await unwrap(api.POST('/api/phrases', { body: { document: phrase, write: freshId() } }));
    const body = { document: { ...take.document, phrase: kept.id }, sequence: take.sequence, write: freshId() };
    await unwrap(api.PUT('/api/takes/{document_id}/draft', { params: { path }, body }));
    return kept;
  }

  /** Plays the patch under the phrase of a take. */
  async open(id: string): Promise<void> {
    await this.of.phrasing.takeUp(() => this.phraseOf(id));
  }

  async join(ids: readonly string[], bars: readonly number[]): Promise<void> {
    await this.of.phrasing.takeUp(async () => {
      const takes = await Promise.all(ids.map(async (id) => asBody(await this.take(id))));
      const { phrase } = await unwrap(api.POST('/api/take/join', { body: { takes, bars: [...bars] } }));
      return unwrap(api.POST('/api/phrases', { body: { document: phrase, write: freshId() } }));
    });
  }

  async rename(id: string, name: string): Promise<void> {
    const path = { document_id: id };
    const kept = await unwrap(api.GET('/api/takes/{document_id}', { params: { path } }));
    const body = { document: { ...kept.document, name: cut(name, 120) }, sequence: kept.sequence, write: freshId() };
    await unwrap(api.PUT('/api/takes/{document_id}/draft', { params: { path }, body }));
    await this.refresh();
  }

  async remove(head: Head): Promise<void> {
    const params = { path: { document_id: head.id } };
    await unwrap(api.DELETE('/api/takes/{document_id}', { params }));
    await this.refresh();
    const back = async (): Promise<void> => {
      await unwrap(api.POST('/api/takes/{document_id}/undelete', { params }));
      await this.refresh();
    };
    messages.say(`${head.name} was deleted.`, false, { label: 'Undo', run: () => void messages.attempt(back) });
  }
}
