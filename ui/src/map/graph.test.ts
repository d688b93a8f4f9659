import { describe, expect, it } from 'vitest';
import type { Catalogue, Module } from '../api/api';
import { inputsOf } from './graph';

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
