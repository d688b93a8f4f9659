import { describe, expect, it } from 'vitest';
import { bareUnit, decibels, figure, fixed, noteName, laneText, shown, signed, typedAs } from './format';

describe('figures', () => {
  it('keep so many digits and no trailing noughts', () => {
    expect(figure(0.1 + 0.2)).toBe('0.3');
    expect(figure(1234.5, 4)).toBe('1235');
    expect(figure(-2.5)).toBe('−2.5');
    expect(figure(0)).toBe('0');
    expect(figure(-0)).toBe('0');
  });

  it('carry the unit in which they are read', () => {
    expect(shown(0.18, 's')).toBe('180 ms');
    expect(shown(1.5, 's')).toBe('1.5 s');
    expect(shown('1/8d', 's')).toBe('1/8d');
    expect(shown(2200, 'Hz')).toBe('2.2 kHz');
    expect(shown(5.1, 'Hz')).toBe('5.1 Hz');
    expect(shown(0.4, 'ratio')).toBe('40 %');
    expect(shown(7, 'st')).toBe('7 st');
    expect(shown(43, 'key')).toBe('G2');
    expect(signed(7, 'st')).toBe('+7 st');
    expect(signed(-1.6, 'st')).toBe('−1.6 st');
  });

  it('say the unit that a bare number is taken to be in', () => {
    expect(bareUnit('s')).toBe('ms');
    expect(bareUnit('Hz')).toBe('Hz');
    expect(bareUnit('ratio')).toBe('%');
    expect(bareUnit('st')).toBe('st');
    expect(bareUnit('bend')).toBe('');
  });

  it('have no sign where they round to nothing', () => {
    expect([fixed(-0.04, 1), fixed(0.04, 1), fixed(-0.06, 1), fixed(-21.34, 1)]).toEqual([
      '0.0',
      '0.0',
      '−0.1',
      '−21.3'
    ]);
  });

  it('stand in that unit while they are typed', () => {
    expect(typedAs(0.0003, 's', 'ms')).toBe('0.3 ms');
    expect(typedAs(1.5, 's', 'ms')).toBe('1500 ms');
    expect(typedAs(1.5, 's', 's')).toBe('1.5 s');
    expect(typedAs(12_000, 'Hz', 'Hz')).toBe('12000 Hz');
    expect(typedAs('1/8d', 's', 'ms')).toBe('1/8d');
    expect(typedAs(0.42, 'ratio', '%')).toBe('42 %');
  });
});

describe('notes', () => {
  it('have the names of the keyboard, C4 being key 60', () => {
    expect([21, 60, 61, 69, 108].map(noteName)).toEqual(['A0', 'C4', 'C#4', 'A4', 'C8']);
    expect(noteName(-1)).toBe('B-2');
  });

  it('say the cents that they lie off the key', () => {
    expect(noteName(60.25)).toBe('C4 +25 cents');
    expect(noteName(59.9)).toBe('C4 −10 cents');
    expect(laneText({ reads_as: 'note', unit: 'st' }, -0.11, 43)).toBe('G2 −11 cents');
  });
});

describe('levels', () => {
  it('are decibels of a linear ratio', () => {
    expect(decibels(1)).toBe('0 dB');
    expect(decibels(0.5)).toBe('−6.02 dB');
    expect(decibels(0)).toBe('−∞ dB');
    expect(laneText({ reads_as: 'level', unit: 'ratio' }, 0.5, 60)).toBe('50 % · −6.02 dB');
  });
});
