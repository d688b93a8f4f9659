import { beforeEach, expect, it, vi } from 'vitest';
import { named } from '../common/testing';
import { Comparing, TEST_NOTE, type Comparable } from './comparing.svelte';

const { server, asked } = await vi.hoisted(async () => ({
  server: new (await import('../common/testing')).Unhurried(),
  asked: [] as { path: string; body: Record<string, unknown> }[]
}));
vi.mock('../api/api', () => ({
  api: new Proxy(server.api, {
    get:
      (target, method) =>
      (path: string, given: { body: Record<string, unknown> }): unknown => {
        asked.push({ path, body: given.body });
        return (target as Record<string | symbol, (path: string, given: unknown) => unknown>)[method]!(path, given);
      }
  }),
  asBody: (patch: unknown) => patch,
  unwrap: (answer: unknown) => answer
}));
const versions = ['saved', 'brighter'].map((reason, i) => ({ number: 2 - i, reason }));
vi.mock('../state/library', () => ({
  patchOf: (id: string) => Promise.resolve(named(id)),
  revisions: () => Promise.resolve(versions),
  revisionPatch: (number: number) => Promise.resolve(named(`v${number}`))
}));

const bench = {
  patch: { ...named('Bell'), performance: { notes: [{ key: 60 }], tempo_bpm: 75 } },
  key: 60,
  playedModules: [],
  note: { length_s: 1 },
  tempo: 75
} as unknown as Comparable;
const facts = (n: number): unknown => ({ lanes: {}, performance: { seed: n }, phrase: null, measures: n });
const answer = (count: number): unknown => ({
  steps: Array.from({ length: count }, (_, i) => facts(i)),
  titles: { pitch: 'Pitch', 'lfo.rate': 'rate' },
  units: { pitch: 'st' },
  differences: []
});
const lastBody = (path: string): Record<string, unknown> => asked.filter((one) => one.path === path).at(-1)!.body;

let comparing: Comparing;
beforeEach(() => {
  server.forget();
  asked.length = 0;
  comparing = new Comparing(bench);
});

it('shows a step for each value of a sweep, with lanes of the voice apart from those of parameters', async () => {
  const done = comparing.refresh();
  expect(comparing.busy).toBe(true);
  const { steps, by } = lastBody('/api/compare') as { steps: number[]; by: string };
  expect([by, steps.length]).toEqual(['velocity', 3]);
  await server.answer('/api/compare', answer(3));
  await done;
  expect(comparing.steps.map(({ label }) => label)).toEqual(steps.map(String));
  expect(comparing.names).toEqual(['pitch']);
  expect(comparing.busy).toBe(false);
});

it('drops the answer to an older question', async () => {
  const first = comparing.refresh();
  comparing.chosen = 'keys, an octave apart';
  const second = comparing.refresh();
  await server.answer('"by":"key"', answer(3));
  await second;
  const shown = comparing.steps;
  await server.answer('"by":"velocity"', answer(3));
  await first;
  expect(comparing.steps).toBe(shown);
});

it('puts other patches beside the present one at its notes, with equal names told apart', async () => {
  comparing.withOthers(['Bell', 'Horn']);
  const done = comparing.refresh();
  await vi.waitFor(() => expect(asked.length).toBe(1));
  const others = lastBody('/api/compare')['others'] as { performance: unknown }[];
  expect(others.map(({ performance }) => performance)).toEqual(
    [0, 1].map(() => expect.objectContaining({ notes: [{ key: 60 }], tempo_bpm: 75 }) as unknown)
  );
  await server.answer('/api/compare', answer(3));
  await done;
  expect(comparing.steps.map(({ label }) => label)).toEqual(['present', 'Bell', 'Horn']);
});

it('names versions by their reason where they have one of their own', async () => {
  comparing.chosen = 'versions';
  const done = comparing.refresh();
  await vi.waitFor(() => expect(asked.length).toBe(1));
  await server.answer('/api/compare', answer(3));
  await done;
  expect(comparing.steps.map(({ label }) => label)).toEqual(['present', 'version 2', '1, brighter']);
});

it('lists the test note once for each time that it is chosen, under names that differ', async () => {
  comparing.chosen = 'phrases';
  comparing.others = [TEST_NOTE];
  const done = comparing.refresh();
  await vi.waitFor(() => expect(asked.length).toBe(1));
  expect(lastBody('/api/compare')['phrases']).toEqual([null, null]);
  await server.answer('/api/compare', answer(2));
  await done;
  expect(comparing.steps.map(({ label }) => label)).toEqual([TEST_NOTE, `${TEST_NOTE} (2)`]);
});

it('turns a step down by its level once that is known, also after two steps were exchanged', async () => {
  const done = comparing.refresh();
  await server.answer('/api/compare', answer(3));
  await done;
  const [soft, medium] = comparing.steps;
  const gain = comparing.gainOf(medium!);
  comparing.swap(0, 1);
  await server.answer('/api/levels', [{ gain_db: 0 }, { gain_db: -3.5 }, { gain_db: -6 }]);
  expect(await gain).toBe(-3.5);
  expect(await comparing.gainOf(soft!)).toBe(0);
  expect(comparing.steps.map(({ level }) => level?.gain_db)).toEqual([-3.5, 0, -6]);
});

it('says why there is nothing to compare', async () => {
  comparing.chosen = 'versions';
  vi.spyOn(console, 'error').mockImplementation(() => {});
  versions.length = 0;
  const done = comparing.refresh();
  await vi.waitFor(() => expect(asked.length).toBe(1));
  await server.answer('/api/compare', { steps: [] });
  await done;
  expect(comparing.trouble).not.toBe('');
  expect(comparing.busy).toBe(false);
});

it('compares no lengths under a phrase, whose notes have their own, and says so', async () => {
  const under = new Comparing({ ...bench, performed: { phrase: { name: 'Round' } } } as unknown as Comparable);
  for (const name of ['note values, 1/4 to 1/32', 'short to long']) {
    under.chosen = name;
    await under.refresh();
    expect(under.steps).toEqual([]);
    expect(under.trouble).toContain('lengths of their own');
    expect(asked.filter((one) => one.path === '/api/compare')).toEqual([]);
  }
});
