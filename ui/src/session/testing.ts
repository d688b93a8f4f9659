/** What tests of a session need where there is no server. */
import type { FromWindow, ToWindow } from '../api/api';
import type { Connection } from './connection';
import { Session } from './session';

/** A connection that keeps what is sent. */
export class Sent {
  isOpen = true;
  messages: FromWindow[] = [];
  begin = (): void => {};
  send = (message: FromWindow): void => void (this.isOpen && this.messages.push(message));

  /** Returns the messages of a type that were sent since this was called last. */
  take<T extends FromWindow['type']>(type: T): Extract<FromWindow, { type: T }>[] {
    const found = this.messages.filter((message) => message.type === type);
    this.messages = this.messages.filter((message) => message.type !== type);
    return found as Extract<FromWindow, { type: T }>[];
  }
}

/** Returns a session, and what it sends. */
export function sessionOf(): { session: Session; sent: Sent } {
  const sent = new Sent();
  return { session: new Session(() => sent as unknown as Connection), sent };
}

/** Returns a sheet as it comes. */
export function sheetOf(revision: number, from_s = 0, to_s = 2): ToWindow {
  const empty = { signals: {}, lanes: {}, overlays: [], notes: [] };
  const sheet = { rate: 48_000, seconds: 2, from_s, to_s, columns: 0, starts_s: '', ...empty };
  return { type: 'sheet', revision, sheet };
}
