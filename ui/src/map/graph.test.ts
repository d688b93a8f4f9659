import { describe, expect, it } from 'vitest';
import type { Catalogue, Module } from '../api/api';
import { depths, inputsOf } from './graph';

const field = (name: string, role: string) => ({ name, role });
const catalogue = {
  kinds: [
    { kind: 'sample_hold', fields: [field('input', 'signal'), field('clock', 'signal'), field('loop', 'choice')] },
    { kind: 'mix', fields: [field('inputs', 'mix_inputs'), field('operation', 'choice')] },
    { kind: 'quantise', fields: [field('input', 'signal'), field('scale', 'scale')] }
  ]
} as unknown as Catalogue;
const made = (fields: object): Module => fields as Module;

describe('what a module reads', () => {
  it('is what stands in its inputs, and no other text that happens to be a name', () => {
    // A source may be called minor, or sum.
    const quantise = made({ id: 'q', kind: 'quantise', input: 'steps', scale: 'minor' });
    expect(inputsOf(quantise, catalogue)).toEqual(['steps']);
    const mix = made({ id: 'm', kind: 'mix', operation: 'sum', inputs: [{ source: 'a' }, { source: 0.5 }] });
    expect(inputsOf(mix, catalogue)).toEqual(['a']);
    const hold = made({ id: 's', kind: 'sample_hold', input: 'noise', clock: 0 });
    expect(inputsOf(hold, catalogue)).toEqual(['noise']);
  });
});

describe('how deep a module lies', () => {
  it('is one more than the deepest that it reads', () => {
    expect(depths(['a', 'b', 'c', 'd'], { b: ['a'], c: ['a', 'b'], d: ['c'] })).toEqual({ a: 0, b: 1, c: 2, d: 3 });
  });

  it('cuts a loop, and every node has a depth', () => {
    expect(depths(['a', 'b', 'c'], { a: ['c'], b: ['a'], c: ['b'] })).toEqual({ a: 2, b: 0, c: 1 });
    expect(depths(['x'], { x: ['x'] })).toEqual({ x: 0 });
  });

  it('looks at each edge once, however dense the loops', () => {
    const ids = Array.from({ length: 64 }, (_, i) => `m${i}`);
    let looks = 0;
    const reads = Object.fromEntries(
      ids.map((id) => [
        id,
        new Proxy(ids, {
          get: (of, name) => {
            if (name === Symbol.iterator) looks++;
            return Reflect.get(of, name) as unknown;
          }
        })
      ])
    );
    expect(Object.keys(depths(ids, reads)).length).toBe(64);
    expect(looks).toBe(64);
  });
});
