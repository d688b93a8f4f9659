/** Takes that the store has not got yet, and what is being played: they lie in this browser until it has. */
import { openDB, type IDBPDatabase } from 'idb';

const TAKES = 'takes';
const SESSIONS = 'sessions';

let opened: Promise<IDBPDatabase> | undefined;

function database(): Promise<IDBPDatabase> {
  opened ??= openDB('jorvik-played', 1, {
    upgrade: (made) => {
      made.createObjectStore(TAKES);
      made.createObjectStore(SESSIONS);
    }
  });
  opened.catch(() => (opened = undefined));
  return opened;
}

/** Something to be kept: what writes it is answered twice as it was once. */
export interface Waiting {
  write: string;
  document: Record<string, unknown>;
}

export async function putOut(waiting: Waiting): Promise<void> {
  await (await database()).put(TAKES, waiting, waiting.write);
}

export async function forget(write: string): Promise<void> {
  await (await database()).delete(TAKES, write);
}

export async function waiting(): Promise<Waiting[]> {
  return (await (await database()).getAll(TAKES)) as Waiting[];
}

/** Lays down what this window is playing, as a take that could be made of it; nothing where it has ended. */
export async function layDown(window: string, document: Record<string, unknown> | null): Promise<void> {
  const to = await database();
  if (document) await to.put(SESSIONS, document, window);
  else await to.delete(SESSIONS, window);
}

/** Returns what windows that are gone were playing, and forgets it. */
export async function leftBehind(living: ReadonlySet<string>): Promise<Record<string, unknown>[]> {
  const from = await database();
  const found: Record<string, unknown>[] = [];
  for (const window of (await from.getAllKeys(SESSIONS)) as string[]) {
    if (living.has(window)) continue;
    found.push((await from.get(SESSIONS, window)) as Record<string, unknown>);
    await from.delete(SESSIONS, window);
  }
  return found;
}
