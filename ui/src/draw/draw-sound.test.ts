import { beforeEach, expect, it, vi } from 'vitest';
import type { Look } from '../api/look';
import type { Sheet } from '../api/sheet';
import type { Surface } from './draw';
import { drawBands, drawGram, drawSpectrum, drawWave, FAINT_DB } from './draw-sound';

const COLOURS: Record<string, string> = { '--paper': '#ffffff', '--ink': '#000000', '--madder': '#aa3322' };

/** Records what is drawn: rectangles, texts, and the points of each line with its colour. */
class Canvas {
  rectangles: number[][] = [];
  texts: { text: string; at: number[] }[] = [];
  lines: { colour: string; points: number[][] }[] = [];
  image: Uint8ClampedArray | null = null;
  strokeStyle = '';
  fillRect = (...at: number[]): void => void this.rectangles.push(at);
  fillText = (text: string, ...at: number[]): void => void this.texts.push({ text, at });
  measureText = (text: string): { width: number } => ({ width: 6 * text.length });
  beginPath = (): void => void this.lines.push({ colour: '', points: [] });
  lineTo = (...at: number[]): void => void this.lines.at(-1)!.points.push(at);
  stroke = (): void => void (this.lines.at(-1)!.colour = this.strokeStyle);
  setLineDash = (): void => {};
  drawImage = (): void => {};
  createImageData = (width: number, height: number): { data: Uint8ClampedArray } => ({
    data: new Uint8ClampedArray(4 * width * height)
  });
  putImageData = ({ data }: { data: Uint8ClampedArray }): void => void (this.image = data);
}

let canvas: Canvas;
let tile: Canvas;
let on: Surface;
beforeEach(() => {
  canvas = new Canvas();
  tile = new Canvas();
  on = { context: canvas as unknown as CanvasRenderingContext2D, width: 300, height: 100 };
  vi.stubGlobal('document', { documentElement: {}, createElement: () => ({ getContext: () => tile }) });
  vi.stubGlobal('getComputedStyle', () => ({ getPropertyValue: (name: string) => COLOURS[name] ?? name.slice(2) }));
  return () => vi.unstubAllGlobals();
});

const look = (fields: Partial<Look>): Look => ({ partials: [], bands: [], ...fields }) as Look;
const floats = (...values: number[]): Float32Array => Float32Array.from(values);

it('draws a waveform from its least to its greatest sample, with the middle at 0', () => {
  drawWave(on, look({ least: floats(-1, 0), greatest: floats(0.5, 1) }));
  expect(canvas.rectangles.slice(1)).toEqual([[0, 25, 150, 75], [150, 0, 150, 50]]); // prettier-ignore
});

it('draws a band in its level, the ghost of it behind, and nothing under the foot', () => {
  drawBands(on, look({ bands: [floats(0, -42)] }), look({ bands: [floats(-84, -200)] }));
  const [behind, now] = canvas.lines;
  expect(behind!.colour).toBe('faint');
  expect(now!.points.map(([x]) => x)).toEqual([0, 150]);
  expect(now!.points.map(([, y]) => y)).toEqual([0, 50]);
  expect(behind!.points[0]![1]).toBeCloseTo(100, 9);
  // Under −84 dB the foot ends; a line goes out of it a little, and no further for silence.
  expect(behind!.points[1]![1]).toBeLessThan(110);
});

it('numbers partials where they lie in octaves, but none that is faint or would cover the one before', () => {
  const partials = [
    { number: 1, hz: 200, db: -10 },
    { number: 2, hz: 2000, db: -20 },
    { number: 3, hz: 2020, db: -5 },
    { number: 4, hz: 8000, db: FAINT_DB - 1 }
  ];
  drawSpectrum(on, look({ hz: floats(20, 20_000), db: floats(-84, 0), partials } as Partial<Look>), null);
  const numbers = canvas.texts.filter(({ text }) => /^\d$/.test(text));
  expect(numbers.map(({ text }) => text)).toEqual(['1', '2']);
  // A decade is a third of three decades.
  expect(numbers[0]!.at[0]).toBeCloseTo(100, 9);
  expect(numbers[1]!.at[0]).toBeCloseTo(200, 9);
  expect(canvas.lines[0]!.points[1]![0]).toBeCloseTo(300, 4);
});

it('paints a spectrogram upwards from the lowest row, and the cutoff on it', () => {
  const loud = look({
    columns: 1,
    rows: 2,
    floor_db: -100,
    spectrogram: Uint8Array.from([0, 255]),
    low_hz: 20,
    high_hz: 20_480,
    seconds: 2
  });
  const sheet = { lanes: { cutoff: { value: { first: floats(640, 20_480) } } }, starts: Float64Array.of(0, 1) };
  drawGram(on, loud, sheet as unknown as Sheet);
  expect([...tile.image!.slice(0, 3)]).toEqual([0, 0, 0]);
  expect([...tile.image!.slice(4, 7)]).toEqual([255, 255, 255]);
  // 640 Hz are five of ten octaves up; one of two seconds is half the width.
  expect(canvas.lines[0]!.points).toEqual([[0, 50], [150, 0]]); // prettier-ignore
  canvas.lines = [];
  drawGram(on, loud, null);
  expect(canvas.lines).toEqual([]);
});
