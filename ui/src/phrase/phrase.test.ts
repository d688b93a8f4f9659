import { describe, expect, it } from 'vitest';
import type { Phrase } from '../api/api';
import * as of from './phrase';

const phrase: Phrase = {
  format: 'jorvik-phrase',
  version: 1,
  tempo_bpm: 120,
  beats_per_bar: 3,
  bars: 2,
  played: [
    { key: 48, velocity: 90, at: 0, length: 1 },
    { key: 60, velocity: 60, at: 2.5, length: 4 }
  ],
  hits: [{ id: 'thud', strikes: [{ at: 1, strength: 0.5 }] }]
};

describe('a phrase', () => {
  it('lasts to its last note-off, stroke or bar line', () => {
    expect(of.beatsOf(phrase)).toBe(6.5);
    expect(of.beatsOf({ ...phrase, played: [] })).toBe(6);
    const struck = of.withStrikes(phrase, 'thud', [0], () => ({ at: 9, length: 0.5 }));
    expect(of.beatsOf(struck)).toBe(9.5);
    expect(of.beatS(phrase)).toBe(0.5);
  });

  it('keeps what is changed of a note within what a phrase may hold', () => {
    const [first, second] = of.withNotes(phrase, [0], () => ({ at: -1, key: 140, velocity: 200, length: -3 })).played!;
    expect(first).toEqual({ key: 127, velocity: 127, at: 0, length: 1 / 64 });
    expect(second).toBe(phrase.played![1]);
    expect(phrase.played![0]!.key).toBe(48);
  });

  it('moves several notes together, none of them before the beginning', () => {
    const all = phrase.played!.map(of.fullNote);
    expect(of.together(all, -1)).toBe(-0);
    expect(of.together([all[1]!], -3)).toBe(-2.5);
    expect(of.movedTo(all, 3).map((note) => note.at)).toEqual([3, 5.5]);
    // The last of them ends at 6.5, on a step.
    expect(of.afterAll(all)).toBe(6.5);
    expect(of.afterAll([{ ...all[0]!, length: 0.9 }])).toBe(1);
  });

  it('grows and shrinks by notes, tracks and strokes', () => {
    const [more, numbers] = of.withNewNotes(phrase, [{ key: 50, velocity: 80, at: 1.25, length: 0.5 }]);
    expect([more.played!.length, numbers]).toEqual([3, [2]]);
    expect(of.withoutNotes(more, [0]).played!.map((note) => note.key)).toEqual([60, 50]);
    const [tracks, id] = of.withNewHit(phrase);
    expect(id).toBe('snap');
    expect(tracks.hits![1]!.strikes!.map((strike) => strike.at)).toEqual([0, 3]);
    let all = tracks;
    for (let i = 0; i < 2; i++) [all] = of.withNewHit(all);
    expect(all.hits!.map((hit) => hit.id)).toEqual(['thud', 'snap', 'tick', 'thud 2']);
    const struck = of.withNewStrike(phrase, 'thud', 2.25);
    expect(struck.hits![0]!.strikes!.map((strike) => strike.at)).toEqual([1, 2.25]);
    expect(of.withoutStrikes(struck, 'thud', [0]).hits![0]!.strikes!.length).toBe(1);
    expect(of.withoutHit(phrase, 'thud').hits).toEqual([]);
    expect(of.withNewStrike(phrase, 'gone', 1)).toBe(phrase);
  });

  it('bounds the strength of a stroke', () => {
    const strength = (to: number): number =>
      of.withStrikes(phrase, 'thud', [0], () => ({ strength: to })).hits![0]!.strikes![0]!.strength!;
    expect([strength(1.4), strength(-1), strength(0.35)]).toEqual([1, 0, 0.35]);
  });

  it('keeps played lanes in time and in range', () => {
    const one = of.withLane(
      phrase,
      'pitch_bend',
      [
        [2, 3],
        [0, -4]
      ],
      [-1, 1]
    );
    expect(one.controls).toEqual({
      pitch_bend: [
        [0, -1],
        [2, 1]
      ]
    });
    expect(of.withPoint(one, 'pitch_bend', 1, [-3, 0.5], [-1, 1]).controls!['pitch_bend']).toEqual([
      [0, -1],
      [0, 0.5]
    ]);
    expect(of.withLane(one, 'pitch_bend', [], [-1, 1]).controls).toEqual({});
    const record = { points_before: 9, points_after: 2, greatest_error: 0.1 };
    const simplified = { ...one, simplified: { pitch_bend: record } };
    expect(of.withLane(simplified, 'pitch_bend', [], [-1, 1]).simplified).toEqual({});
    expect(of.withLane(one, 'macro:far', [[1, -2]], [0, 1]).controls!['macro:far']).toEqual([[1, 0]]);
  });

  it('reads times as bars and beats, and moves them to a grid', () => {
    expect(of.barAndBeat(phrase, 0)).toBe('1.1');
    expect(of.barAndBeat(phrase, 3)).toBe('2.1');
    expect(of.barAndBeat(phrase, 4.25)).toBe('2.2.25');
    expect(of.snapped(1.13, false)).toBe(1.25);
    expect(of.snapped(1.13, true)).toBeCloseTo(27 / 24, 6);
    expect(of.snapped(-2, false)).toBe(0);
  });
});
