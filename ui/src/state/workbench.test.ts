import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Kept, Phrase } from '../api/api';
import { Memory, named } from '../common/testing';
import type { Workbench } from './workbench.svelte';

const server = await vi.hoisted(async () => new (await import('../common/testing')).Unhurried());
vi.mock('../api/api', async (original) => ({
  ...(await original<object>()),
  api: server.api,
  unwrap: (answer: unknown) => answer
}));
const said: string[] = [];
vi.mock('./messages.svelte', () => ({
  messages: { say: (text: string) => said.push(text), attempt: (work: () => Promise<void>) => work() }
}));

let bench: Workbench;

beforeEach(async () => {
  said.length = 0;
  vi.stubGlobal('localStorage', new Memory());
  vi.stubGlobal('sessionStorage', new Memory());
  vi.stubGlobal('matchMedia', () => ({ matches: false, addEventListener: () => {} }));
  vi.stubGlobal('document', { documentElement: { classList: { toggle: () => {} } } });
  vi.stubGlobal('HTMLInputElement', class {});
  vi.stubGlobal('navigator', {});
  vi.stubGlobal('WebSocket', class {});
  vi.stubGlobal('location', { hash: '' });
  vi.stubGlobal('history', { replaceState: () => {} });
  vi.resetModules();
  server.forget();
  bench = new (await import('./workbench.svelte')).Workbench();
});

const kept = (id: string): Kept =>
  ({ id, sequence: 1, saved_number: 1, name: id, document: named(id), keys: {} }) as unknown as Kept;
const tick = (): Promise<unknown> => new Promise((resolve) => setTimeout(resolve));

/** Opens a patch, and whatever else is asked for on the way. */
async function open(id: string): Promise<void> {
  void bench.bring(() => Promise.resolve(kept(id)));
  await vi.waitUntil(() => bench.patch?.name === id);
}

describe('a patch', () => {
  it('that is made comes after one that was asked for since', async () => {
    let made!: (kept: Kept) => void;
    const making = bench.bring(() => new Promise((done) => (made = done)));
    await vi.waitUntil(() => made);
    await open('horn');
    made(kept('empty'));
    expect(await making).toBe(false);
    expect(bench.patch?.name).toBe('horn');
  });

  it('is not left while something is worked out for it', async () => {
    await open('horn');
    let worked!: (answer: { document: unknown }) => void;
    const working = bench.work('louder', () => new Promise((done) => (worked = done)));
    const opening = bench.bring(() => Promise.resolve(kept('latch')));
    await tick();
    expect(bench.patch?.name).toBe('horn');
    worked({ document: named('louder horn') });
    await working;
    await tick();
    await server.answer('/edits', { head: kept('horn'), is_repeated: false, others: [] });
    await opening;
    expect([bench.patch?.name, bench.steps.undoLabel]).toEqual(['latch', '']);
  });
});

describe('a phrase', () => {
  const phrase = { format: 'jorvik-phrase', version: 1, name: 'watch', bars: 1 } as Phrase;
  const phraseKept = { ...kept('watch'), document: phrase } as unknown as Kept;

  it('that does not go under a patch gives way, though the sheet of the test note came after it was chosen', async () => {
    await open('horn');
    const before = bench.performed;
    void bench.phrasing.takeUp(() => Promise.resolve(phraseKept));
    await vi.waitUntil(() => bench.phrasing.phrase);
    bench.traced(bench.patch!, before);
    bench.refused(bench.patch!, 'no such macro', bench.performed);
    await vi.waitUntil(() => bench.phrasing.phrase === null);
    expect(said).toEqual(['no such macro']);
  });

  it('is not blamed for one before it', async () => {
    await open('horn');
    const before = bench.performed;
    void bench.phrasing.takeUp(() => Promise.resolve(phraseKept));
    await vi.waitUntil(() => bench.phrasing.phrase);
    bench.refused(bench.patch!, 'no such key', before);
    await tick();
    expect(bench.phrasing.phrase?.name).toBe('watch');
  });
});
