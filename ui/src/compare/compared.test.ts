import { describe, expect, it } from 'vitest';
import type { Module } from '../api/api';
import { answer, apart, inWords, SWEEPS, sweepsOf, measured, stepLabel, type ComparedStep } from './compared';

const note = { key: 60, length_s: 1.2, tempo: 90 };
const sweep = (name: string) => SWEEPS.find((l) => l.name === name)!;

describe('sweeps', () => {
  it('holds a control, or a note for a note value, at each step', () => {
    expect(sweep('note values, 1/4 to 1/32').steps({ key: 60, length_s: 1, tempo: 120 })).toEqual([
      0.5,
      0.25,
      1 / 6,
      0.125,
      0.0625
    ]);
    const far = sweepsOf([['macro:far', { id: 'far' } as Module]]).at(-1)!;
    expect([far.by, far.steps(note)]).toEqual(['macro:far', [0, 0.25, 0.5, 0.75, 1]]);
    expect(sweepsOf([])).toHaveLength(SWEEPS.length);
  });
  it('run from the softest to the hardest', () => {
    const steps = sweep('velocity 1 to 127').steps(note);
    expect(steps).toHaveLength(16);
    expect([steps[0], steps.at(-1)]).toEqual([1, 127]);
    expect(steps.every((v, i) => i === 0 || v > steps[i - 1]!)).toBe(true);
  });
  it('leave out keys that there are not', () => {
    expect(sweep('keys, an octave apart').steps({ ...note, key: 10 })).toEqual([10, 22, 34]);
    expect(sweep('keys, an octave apart').steps({ ...note, key: 120 })).toEqual([96, 108, 120]);
  });
  it('stretch the note and the tempo about what they are', () => {
    expect(sweep('short to long').steps(note)).toEqual([0.3, 0.6, 1.2, 2.4]);
    expect(sweep('tempos').steps(note)).toEqual([45, 68, 90, 135, 180]);
  });
  it('say what a step is in its unit', () => {
    expect(stepLabel(sweep('soft, medium, hard'), 118)).toBe('118');
    expect(stepLabel(sweep('keys, an octave apart'), 60)).toBe('C4');
    expect(stepLabel(sweep('short to long'), 0.3)).toBe('300 ms');
  });
});

describe('figures side by side', () => {
  it('lie apart in musical units', () => {
    expect(apart(500, 1000, 'Hz', 'peak')).toBe('+12 st');
    expect(apart(1000, 500, 'Hz', 'settle')).toBe('−12 st');
    expect(apart(0.5, 0.75, 'ratio', 'peak')).toBe('+25 %');
    expect(apart(0.1, 0.05, 'Hz', 'peak_s')).toBe('−50 ms');
  });
  it('say nothing where they are the same', () => {
    expect(apart(440, 440.00001, 'Hz', 'peak')).toBe('');
    expect(apart(0.2, 0.2, 'ratio', 'least')).toBe('');
  });
  it('are told in their unit', () => {
    expect(inWords(1234.5, 'Hz', 'peak')).toBe('1.235 kHz');
    expect(inWords(0.25, 'st', 'settle')).toBe('0.25 st');
    expect(inWords(0.08, 'Hz', 'peak_s')).toBe('80 ms');
  });
  it('tell what is still moving from what is not there', () => {
    const step = {
      measures: { lanes: { cutoff: { measures: { settle: null, peak: 800 } } } }
    } as unknown as ComparedStep;
    expect(measured(step, 'cutoff', 'settle')).toBe(null);
    expect(measured(step, 'cutoff', 'peak')).toBe(800);
    expect(measured(step, 'fold', 'peak')).toBeUndefined();
    expect(measured(undefined, 'cutoff', 'peak')).toBeUndefined();
  });
});

describe('what a stave answers to', () => {
  const stepOf = (peak: number, least: number, settle: number | null = null): ComparedStep =>
    ({
      measures: { lanes: { cutoff: { measures: { peak, least, settle, at_off: 500, peak_s: peak } } } }
    }) as unknown as ComparedStep;
  it('is told by the figure that differs most', () => {
    expect(answer([stepOf(500, 100), stepOf(1000, 110), stepOf(2000, 120)], 'cutoff', 'Hz')).toBe('peak: 24 st apart');
    expect(answer([stepOf(0.5, 0.1), stepOf(0.6, 0.4)], 'cutoff', 'ratio')).toBe('least: 30 % apart');
  });
  it('is when the peak comes where every level is the same', () => {
    const later = stepOf(500, 100);
    later.measures.lanes['cutoff']!.measures.peak_s = 500.2;
    expect(answer([stepOf(500, 100), later], 'cutoff', 'Hz')).toBe('peak after: 200 ms apart');
  });
  it('is nothing where all is the same, or where there is one step', () => {
    expect(answer([stepOf(500, 100), stepOf(500, 100)], 'cutoff', 'Hz')).toBe('the same at each step');
    expect(answer([stepOf(500, 100)], 'cutoff', 'Hz')).toBe('');
  });
});
