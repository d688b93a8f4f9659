/** What tests of the screen's own logic need where there is no browser. */
import type { Patch } from '../api/api';

/** A browser's storage, in memory. */
export class Memory {
  private held = new Map<string, string>();
  get length(): number {
    return this.held.size;
  }
  key = (index: number): string | null => [...this.held.keys()][index] ?? null;
  getItem = (key: string): string | null => this.held.get(key) ?? null;
  setItem = (key: string, value: string): void => void this.held.set(key, value);
  removeItem = (key: string): void => void this.held.delete(key);
}

export const named = (name: string): Patch => ({ format: 'jorvik-patch', version: 1, name });

/** A promise that is kept from outside. */
export function awaited<T>(): { promise: Promise<T>; keep: (value: T) => void; fail: (error: unknown) => void } {
  let keep!: (value: T) => void;
  let fail!: (error: unknown) => void;
  const promise = new Promise<T>((resolve, reject) => {
    keep = resolve;
    fail = reject;
  });
  return { promise, keep, fail };
}

interface Asked {
  readonly path: string;
  readonly given: unknown;
  readonly keep: (answer: unknown) => void;
}

/** A server that answers when it is told to, in any order. */
export class Unhurried {
  private asked: Asked[] = [];

  /** Stands in for every method of the client. */
  readonly api = new Proxy(
    {},
    {
      get:
        () =>
        (path: string, given: unknown = {}): Promise<unknown> => {
          const { promise, keep } = awaited<unknown>();
          this.asked.push({ path, given, keep });
          return promise;
        }
    }
  );

  /** Leaves whatever was asked unanswered. */
  forget(): void {
    this.asked = [];
  }

  /** Answers the question that waits, of those whose path and contents hold a text, and lets what hangs on it go on. */
  async answer(about: string, answer: unknown): Promise<void> {
    const found = this.asked.find(({ path, given }) => `${path} ${JSON.stringify(given)}`.includes(about));
    if (!found) throw new Error(`nobody asked for ${about}, but for ${this.asked.map(({ path }) => path).join(', ')}`);
    this.asked = this.asked.filter((one) => one !== found);
    found.keep(answer);
    await new Promise((resolve) => setTimeout(resolve));
  }
}

/** An animation that is over as soon as it begins. */
class Still {
  effect = null;
  currentTime = 0;
  cancel = (): void => {};
  set onfinish(finish: () => void) {
    queueMicrotask(finish);
  }
}

/** Gives a document that draws nothing what components ask of it: transitions end at once, popovers show nothing. */
export function drawNothing(): void {
  Element.prototype.animate = () => new Still() as unknown as Animation;
  HTMLElement.prototype.showPopover = HTMLElement.prototype.hidePopover = () => {};
}
