/**
 * The session of this window: the open patch on the server.
 *
 * The document is sent once, then edits as operations. The server answers with the sheet, the judgement and sounds of
 * the newest revision. Every answer says its revision; `Shown` is the document that the revision had in this window.
 */
import {
  Refused,
  Unreachable,
  type FromWindow,
  type Judgement,
  type Patch,
  type ToWindow,
  type View
} from '../api/api';
import { FULL_RATE } from '../api/facts.gen';
import type { Chunks } from '../api/wire';
import type { Connection, Listener } from './connection';
import { compareByKeys, treeOf } from './operations';

/** What a patch is played under: a phrase and the voice that the sheet shows, or its own test note. */
export interface Performed {
  phrase?: Record<string, unknown>;
  voice?: number;
}

/** A document of this window. */
export interface Shown {
  readonly patch: Patch;
  readonly performed: Performed;
}

export interface Note {
  velocity?: number;
  key?: number;
  length_s?: number;
}

/** A sound as it comes: a WAV file and its figures. */
export interface Heard {
  wav: ArrayBuffer;
  limitedDb: number;
  loudness: number;
  centroid: number;
}

type Message<T extends ToWindow['type']> = Extract<ToWindow, { type: T }>;

/** Who is told of answers; nobody has to take all of them. */
export interface Answered {
  sheet?(of: Shown, message: Message<'sheet'>, chunks: Chunks): void;
  voices?(of: Shown, message: Message<'voices'>, chunks: Chunks): void;
  judged?(of: Shown, judgement: Judgement): void;
  /** The document is not valid. */
  refused?(of: Shown, sentence: string): void;
  /** There is no sheet, for a reason that the document does not have. */
  failed?(sentence: string): void;
}

interface Waiting {
  readonly note: Note;
  keep: (heard: Heard) => void;
  fail: (error: Error) => void;
}

const CLIENT_ERROR = 422;

export class Session implements Listener {
  private readonly connection: Connection;
  private readonly listeners: Answered[] = [];
  private shown: Shown | null = null;
  private view: View | null = null;
  private rate: number = FULL_RATE;
  private isLive = false;
  private revision = 0;
  /** The document of each revision that is not answered yet, and of the one that was answered last. */
  private documents = new Map<number, Shown>();
  private sounds = new Map<number, Waiting>();
  private request = 0;

  constructor(connect: (listener: Listener) => Connection) {
    this.connection = connect(this);
  }

  /** Tells somebody of answers. */
  listen(listener: Answered): void {
    this.listeners.push(listener);
  }

  /** Opens another patch: it is sent whole. */
  open(shown: Shown): void {
    this.connection.begin();
    this.shown = shown;
    this.sendOpen();
  }

  /** Sends what changed since the document that was sent last. */
  edit(shown: Shown, rate: number): void {
    const before = this.shown;
    this.rate = rate;
    if (!before) return this.open(shown);
    if (shown.patch === before.patch && shown.performed === before.performed) return this.show(this.view, rate);
    this.shown = shown;
    this.documents.set(++this.revision, shown);
    const operations = compareByKeys(before, shown);
    this.send({ type: 'edit', revision: this.revision, operations, rate });
  }

  /** Says which part of the sheet is shown; it is computed anew. */
  show(view: View | null, rate: number): void {
    this.view = view;
    this.rate = rate;
    if (view) this.send({ type: 'view', view, rate });
  }

  /** Asks for a judgement of the same document again. */
  judge(): void {
    this.send({ type: 'judge' });
  }

  /** Says whether the patch is played live. */
  live(isLive: boolean): void {
    if (isLive === this.isLive) return;
    this.isLive = isLive;
    this.send({ type: 'live', is_live: isLive });
  }

  /** Returns the sound of the document as it is now. Throws Refused, Unreachable, or an AbortError. */
  hear(note: Note, signal: AbortSignal): Promise<Heard> {
    const request = ++this.request;
    return new Promise<Heard>((keep, fail) => {
      if (!this.connection.isOpen) return fail(new Unreachable());
      this.sounds.set(request, { note, keep, fail });
      signal.addEventListener('abort', () => {
        if (this.sounds.delete(request)) this.send({ type: 'stop', request });
        fail(new DOMException('The sound is not wanted any more.', 'AbortError'));
      });
      this.send({ type: 'hear', request, ...note });
    });
  }

  opened(): void {
    if (this.shown) this.sendOpen();
    if (this.isLive) this.send({ type: 'live', is_live: true });
  }

  lost(): void {
    for (const { fail } of this.sounds.values()) fail(new Unreachable());
    this.sounds.clear();
    for (const listener of this.listeners) listener.failed?.(new Unreachable().message);
  }

  message(message: ToWindow, chunks: Chunks): void {
    switch (message.type) {
      case 'sheet':
        return this.answered(message.revision, (each, of) => each.sheet?.(of, message, chunks));
      case 'voices':
        return this.answered(message.revision, (each, of) => each.voices?.(of, message, chunks));
      case 'judged':
        return this.answered(message.revision, (each, of) => each.judged?.(of, message.judgement));
      case 'refused':
        return this.answered(message.revision, (each, of) => each.refused?.(of, message.sentence));
      case 'sound':
        return this.heard(message, chunks);
      case 'failed':
        if (message.of === 'sound') this.soundFailed(message.request, message.sentence);
        else if (message.of === 'sheet' || message.of === 'message')
          for (const listener of this.listeners) listener.failed?.(message.sentence);
        return;
      case 'lost':
        this.sendOpen();
        for (const [request, { note }] of this.sounds) this.send({ type: 'hear', request, ...note });
    }
  }

  private answered(revision: number, tell: (listener: Answered, of: Shown) => void): void {
    const of = this.documents.get(revision);
    // What was opened before is nobody's any more.
    if (!of) return;
    for (const known of this.documents.keys()) if (known < revision) this.documents.delete(known);
    for (const listener of this.listeners) tell(listener, of);
  }

  private heard(message: Message<'sound'>, chunks: Chunks): void {
    const waiting = this.sounds.get(message.request);
    this.sounds.delete(message.request);
    const chunk = chunks[message.wav as number]!;
    waiting?.keep({
      // Decoding takes the memory away, so that it must not be the message's own.
      wav: chunk.slice().buffer,
      limitedDb: message.limited_db,
      loudness: message.loudness_lufs,
      centroid: message.centroid_hz
    });
  }

  private soundFailed(request: number | null | undefined, sentence: string): void {
    const waiting = this.sounds.get(request ?? -1);
    this.sounds.delete(request ?? -1);
    waiting?.fail(new Refused(CLIENT_ERROR, sentence));
  }

  private sendOpen(): void {
    if (!this.shown) return;
    const { patch, performed } = this.shown;
    const document = { patch: patch as Record<string, unknown>, performed };
    // Answers to what was sent before are of a document that the server does not have any more.
    this.documents = new Map([[++this.revision, this.shown]]);
    this.send({ type: 'open', revision: this.revision, document, keys: { ...treeOf(document) }, rate: this.rate });
    if (this.view) this.send({ type: 'view', view: this.view, rate: this.rate });
  }

  private send(message: FromWindow): void {
    this.connection.send(message);
  }
}
