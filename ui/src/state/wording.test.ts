import { beforeEach, expect, it, vi } from 'vitest';
import type { Route } from '../api/api';

const bench = vi.hoisted(() => ({
  signals: ['velocity', 'key'],
  catalogue: { destinations: [{ name: 'pitch', title: 'Pitch', amount_unit: 'st', unit: 'st' }], kinds: [] },
  patch: { modules: [], routes: [] as Route[] },
  sheet: { signals: { vib: { swings: true }, env: { swings: false } } }
}));
vi.mock('./workbench.svelte', () => ({ workbench: bench }));
const { amountSays, verbFor } = await import('./wording');

const vib: Route = { id: 'v', source: 'vib', destination: 'pitch', amount: 0.3 };
const off = (id: string, amount: number, source = 'velocity'): Route => ({
  id,
  source,
  destination: 'route:v.amount',
  amount
});

beforeEach(() => {
  bench.patch.routes = [vib];
});

it('says what all routes from one source leave together', () => {
  bench.patch.routes = [vib, off('a', -0.3)];
  expect(amountSays(vib)).toBe('none of it at full velocity');
  bench.patch.routes = [vib, off('a', -0.3), off('b', -0.3)];
  expect(amountSays(vib)).toBe('−0.3 st at full velocity');
  bench.patch.routes = [vib, off('a', -0.3), off('b', -0.3), { ...off('c', 0.3), enabled: false }];
  expect(amountSays(vib)).toBe('−0.3 st at full velocity');
});

it('takes its verb from the source and the polarity, whatever the note does', () => {
  expect(verbFor(vib)).toBe('moves it ±');
  expect(verbFor({ ...vib, amount: -0.3 })).toBe('moves it ∓');
  expect(verbFor({ ...vib, source: 'key', amount: 4 })).toBe('moves it ±');
  expect(verbFor({ ...vib, source: 'env' })).toBe('raises it');
  expect(verbFor({ ...vib, source: 'env', amount: -24 })).toBe('lowers it');
  expect(verbFor({ ...vib, source: 'env', polarity: 'bipolar' })).toBe('moves it ±');
  expect(verbFor({ ...vib, polarity: 'unipolar' })).toBe('raises it');
});
