import { beforeEach, expect, it, vi } from 'vitest';
import { Memory } from '../common/testing';

const STANDING = ['pitch', 'cutoff', 'fold'];

async function fresh(id = 'p1') {
  const { Staves } = await import('./staves.svelte');
  const staves = new Staves();
  staves.open(id);
  return staves;
}
const placed = (staves: Awaited<ReturnType<typeof fresh>>): string[] =>
  [...STANDING].sort((a, b) => staves.orderOf(a, STANDING) - staves.orderOf(b, STANDING));

beforeEach(() => vi.stubGlobal('localStorage', new Memory()));

it('moves a stave past its neighbour, and no further than the ends', async () => {
  const staves = await fresh();
  staves.move('fold', -1, STANDING);
  expect(placed(staves)).toEqual(['pitch', 'fold', 'cutoff']);
  staves.move('pitch', -1, STANDING);
  expect(placed(staves)).toEqual(['pitch', 'fold', 'cutoff']);
  staves.move('pitch', 1, STANDING);
  expect(placed(staves)).toEqual(['fold', 'pitch', 'cutoff']);
});

it('keeps sizes, places and what was raised, for each patch apart', async () => {
  const staves = await fresh();
  staves.lay('cutoff', 'folded');
  staves.move('cutoff', 1, STANDING);
  staves.pin('shake');
  const again = await fresh();
  expect(again.sizeOf('cutoff')).toBe('folded');
  expect(placed(again)).toEqual(['pitch', 'fold', 'cutoff']);
  expect(again.pinned).toEqual(['shake']);
  const other = await fresh('p2');
  expect([other.sizeOf('cutoff'), other.pinned]).toEqual(['plain', []]);
});

it('lowers again what is raised', async () => {
  const staves = await fresh();
  staves.pin('shake');
  staves.pin('shake');
  expect(staves.pinned).toEqual([]);
});

it('begins afresh where what is kept makes no sense', async () => {
  localStorage.setItem('jorvik.staves.p1', '{"staves":');
  expect((await fresh()).pinned).toEqual([]);
});
