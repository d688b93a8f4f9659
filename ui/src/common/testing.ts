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
