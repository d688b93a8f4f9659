import { describe, expect, it } from 'vitest';
import { pointsOf } from './card';

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
