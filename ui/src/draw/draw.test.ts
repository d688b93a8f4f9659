import { beforeEach, expect, it } from 'vitest';
import type { Lane, Row, Sheet } from '../api/sheet';
import { beats, brokenLine, clampHatch, contributions, ground, line, type Inks, type Surface } from './draw';
import type { Scale } from './scale';

const ink: Inks = { ink: 'ink', faint: 'faint', rule: 'rule', edge: 'edge', tail: 'tail', paper: 'paper' };
const unit: Scale = { at: (value) => value, from: (height) => height, ticks: [] };

/** Records what is drawn: filled rectangles with their colour, and the points of each path. */
class Canvas {
  rectangles: { colour: string; at: number[] }[] = [];
  paths: { moves: number[][]; lines: number[][] }[] = [];
  fillStyle = '';
  fillRect = (...at: number[]): void => void this.rectangles.push({ colour: this.fillStyle, at });
  beginPath = (): void => void this.paths.push({ moves: [], lines: [] });
  moveTo = (...at: number[]): void => void this.paths.at(-1)!.moves.push(at);
  lineTo = (...at: number[]): void => void this.paths.at(-1)!.lines.push(at);
  stroke = (): void => {};
  fill = (): void => {};
  setLineDash = (): void => {};
}

let canvas: Canvas;
let on: Surface;
beforeEach(() => {
  canvas = new Canvas();
  on = { context: canvas as unknown as CanvasRenderingContext2D, width: 400, height: 100 };
});

const row = (...values: number[]): Row => {
  const first = Float32Array.from(values);
  return { first, least: first, greatest: first };
};
const sheet = (from: number, to: number): Sheet =>
  ({ from_s: from, to_s: to, seconds: to, notes: [{ on_s: 0.5, off_s: 1.5 }] }) as unknown as Sheet;

it('marks note-on and note-off, and tints what follows the last note-off', () => {
  ground(on, sheet(0, 2), ink);
  expect(canvas.rectangles).toEqual([
    { colour: 'tail', at: [300, 0, 400, 100] },
    { colour: 'ink', at: [100, 0, 1, 100] },
    { colour: 'ink', at: [300, 0, 1, 100] }
  ]);
});

it('draws a line for each part of a beat, stronger on the beat, and none where they would run together', () => {
  beats(on, sheet(0, 2), 0.25, 60, ink);
  expect(canvas.rectangles.map(({ at }) => at[0])).toEqual([0, 50, 100, 150, 200, 250, 300, 350, 400]);
  expect(canvas.rectangles.filter(({ colour }) => colour === 'faint').map(({ at }) => at[0])).toEqual([0, 200, 400]);
  canvas.rectangles = [];
  beats(on, sheet(0, 2), 2 / 81, 60, ink);
  expect(canvas.rectangles).toEqual([]);
});

it('breaks a line where there is no value, or no place for one', () => {
  brokenLine(on, [1, 2, null, 3, 9, 4, 5], (value, i) => (value === 9 ? null : [i, value]), 'red', 1);
  expect(canvas.paths[0]).toEqual({ moves: [[0, 1], [3, 3], [5, 4]], lines: [[1, 2], [6, 5]] }); // prettier-ignore
});

it('draws a level stretch from its beginning to its end only', () => {
  line(on, row(0.5, 0.5, 0.5, 0.5, 0.5, 0.5, 0.25, 0.25), unit, 'red', 1);
  // Eight columns of 50 px: the level ends in column 5, the lower one begins in column 6 and ends in column 7.
  expect(canvas.paths[0]!.lines).toEqual([[250, 50], [300, 75], [350, 75]]); // prettier-ignore
});

it('draws a column that moves beyond its ends from its greatest to its least value', () => {
  const first = Float32Array.from([0.5, 0.5, 0.5]);
  const least = Float32Array.from([0.5, 0.1, 0.5]);
  const greatest = Float32Array.from([0.5, 0.9, 0.5]);
  line(on, { first, least, greatest }, unit, 'red', 1);
  const heights = canvas.paths[0]!.lines.map(([, y]) => Math.round(y!));
  expect(Math.min(...heights)).toBe(10);
  expect(Math.max(...heights)).toBe(90);
});

const lane = (law: string, base: number, amounts: Record<string, number>, raw: number[] = [0]): Lane =>
  ({
    law,
    low: 0,
    high: 1,
    base: row(base, base),
    raw: row(...raw),
    contributions: Object.fromEntries(Object.entries(amounts).map(([id, amount]) => [id, row(amount, amount)]))
  }) as unknown as Lane;

it('stacks what routes add, in semitones where the destination is counted in them', () => {
  const routes = ['a', 'b'].map((id) => ({ id, colour: id, hertz: false }));
  contributions(on, lane('linear', 0.2, { a: 0.3, b: 0.1 }), unit, routes);
  const ends = canvas.paths.flatMap(({ lines }) => [lines[0]![1], lines.at(-1)![1]]);
  expect(ends).toEqual([80, 50, 50, 40].map((y) => expect.closeTo(y, 3) as number));
  canvas.paths = [];
  // An octave up doubles a base of 0.2, and a second route in hertz adds to that.
  contributions(on, lane('semitones', 0.2, { a: 12, b: 0.1 }), unit, [routes[0]!, { ...routes[1]!, hertz: true }]);
  expect(canvas.paths.map(({ lines }) => lines.at(-1)![1])).toEqual(
    [60, 50].map((y) => expect.closeTo(y, 3) as number)
  );
});

it('hatches only the columns in which a lane is held at an end', () => {
  globalThis.document = { createElement: () => ({ getContext: () => null }) } as unknown as Document;
  clampHatch(on, lane('linear', 0, {}, [0.5, 1.2, 1, -0.1]), unit, ink);
  expect(canvas.rectangles.map(({ at }) => at.slice(0, 2))).toEqual([[100, 0], [300, 91]]); // prettier-ignore
});
