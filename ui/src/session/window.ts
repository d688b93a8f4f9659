/** This window among others: its identity, and which of the others still live. */

/** Returns an identity that nothing else has. (`crypto.randomUUID` is only there over a safe connection.) */
export function freshId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** Made anew at each load: a duplicated tab is a window of its own. */
export const windowId = freshId();

const LOCK = 'jorvik.window.';
const CHANNEL = 'jorvik.windows';
/** How long windows are given to answer where the browser has no locks. */
const ANSWER_MS = 400;

let asked = 0;

/** What a request is for: what this window asks for later in the same words replaces it, whichever comes first. */
export function workFor(kind: string): { 'X-Work': string } {
  return { 'X-Work': `${++asked} ${windowId} ${kind}` };
}

/** Lets other windows know that this one lives, for as long as it does. */
export function stayAlive(): void {
  if ('locks' in navigator) void navigator.locks.request(LOCK + windowId, () => new Promise(() => {}));
  else {
    const channel = new BroadcastChannel(CHANNEL);
    channel.onmessage = (event: MessageEvent<string>) => {
      if (event.data === 'who?') channel.postMessage(windowId);
    };
  }
}

/** Returns the windows that live, this one among them. */
export async function livingWindows(): Promise<ReadonlySet<string>> {
  if ('locks' in navigator) {
    const { held } = await navigator.locks.query();
    const names = (held ?? []).map((lock) => lock.name ?? '').filter((name) => name.startsWith(LOCK));
    return new Set([windowId, ...names.map((name) => name.slice(LOCK.length))]);
  }
  const found = new Set([windowId]);
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = (event: MessageEvent<string>) => void found.add(event.data);
  channel.postMessage('who?');
  await new Promise((resolve) => setTimeout(resolve, ANSWER_MS));
  channel.close();
  return found;
}
