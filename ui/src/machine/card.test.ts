import { describe, expect, it } from 'vitest';
import { pointsOf, slotReach, slotWords } from './card';

describe('measured points', () => {
  it('are read with or without a head, by comma, semicolon or tab', () => {
    for (const text of ['figure,value\n0,20\n5,400.5\n', '0;20\r\n5;400.5', '0\t20\n\n5\t400.5\n'])
      expect(pointsOf(text, 'knob.csv')).toEqual([
        [0, 20],
        [5, 400.5]
      ]);
  });

  it('are refused by the line that is wrong', () => {
    expect(() => pointsOf('0,20\n5,x\n', 'knob.csv')).toThrow('knob.csv, line 2: found "5,x"');
    expect(() => pointsOf('figure,value\n1,2\n', 'knob.csv')).toThrow('found 1 points');
    expect(() => pointsOf('0,20\n1,2,3\n', 'knob.csv')).toThrow('line 2');
  });
});

describe('what a source moves by a slot', () => {
  const known = [
    { name: 'cutoff', title: 'Cutoff' },
    { name: 'filter2_cutoff', title: 'Filter 2 cutoff' },
    { name: 'fold', title: 'Fold' }
  ];

  it('is read with how far it goes, and said as it was typed', () => {
    const read = slotReach('Cutoff 24 st, filter2 cutoff 12.5, fold', known);
    expect(read).toEqual({
      moves: ['cutoff', 'filter2_cutoff', 'fold'],
      farthest: { cutoff: 24, filter2_cutoff: 12.5 }
    });
    expect(slotWords({ name: 'lip', kind: 'envelope', ...(read as object) })).toBe(
      'cutoff 24, filter2 cutoff 12.5, fold'
    );
    expect(slotReach('', known)).toEqual({ moves: [], farthest: {} });
  });

  it('is refused by the name or the figure that is wrong', () => {
    expect(slotReach('fold, keel 3', known)).toContain('"keel 3"');
    expect(slotReach('cutoff 0', known)).toContain('over 0');
  });
});
