/** The one drawing layer: rows over columns onto a canvas. State stands outside it. */
import type { Scale } from './scale';
import { placeOf, type Lane, type Row, type Sheet } from '../api/sheet';

export interface Surface {
  context: CanvasRenderingContext2D;
  width: number;
  height: number;
}

export interface Inks {
  ink: string;
  faint: string;
  rule: string;
  edge: string;
  tail: string;
  paper: string;
}

/** For numbers and labels within a drawing. */
export const SMALL_FONT = "11.5px 'Atkinson Hyperlegible Next Variable', sans-serif";
const TICK_FONT = '12px "Atkinson Hyperlegible Next Variable", sans-serif';
/** A column that moves further than this beyond its ends is drawn from least to greatest. */
const TALL_PX = 1.5;

/** Makes a canvas as sharp as the screen, clears it, and returns what to draw on. */
export function surface(canvas: HTMLCanvasElement, width: number, height: number): Surface | null {
  const context = canvas.getContext('2d');
  if (!context || width < 1 || height < 1) return null;
  const density = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * density) || canvas.height !== Math.round(height * density)) {
    canvas.width = Math.round(width * density);
    canvas.height = Math.round(height * density);
  }
  context.setTransform(density, 0, 0, density, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, width, height };
}

/** Reads a colour of the present theme. */
export function inkOf(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}

export function inks(): Inks {
  return {
    ink: inkOf('ink'),
    faint: inkOf('faint'),
    rule: inkOf('rule'),
    edge: inkOf('edge'),
    tail: inkOf('tail'),
    paper: inkOf('paper')
  };
}

/** Draws the ground of a row: the tail tinted, and a post at each note-on and note-off. */
export function ground(on: Surface, sheet: Sheet, ink: Inks): void {
  const { context, width, height } = on;
  const last = sheet.notes.at(-1);
  const x = (time: number): number => placeOf(sheet, time) * width;
  if (last) {
    context.fillStyle = ink.tail;
    context.fillRect(x(last.off_s), 0, width, height);
  }
  context.fillStyle = ink.ink;
  for (const note of sheet.notes) {
    context.fillRect(Math.max(0, Math.round(x(note.on_s))), 0, 1, height);
    context.fillRect(Math.round(x(note.off_s)), 0, 1, height);
  }
}

/** Draws the beat behind a curve: a line each so many seconds, stronger where a beat begins. */
export function beats(on: Surface, sheet: Sheet, everyS: number, tempo: number, ink: Inks): void {
  const first = Math.ceil(sheet.from_s / everyS);
  const last = Math.floor(sheet.to_s / everyS);
  // Closer than this they are no help.
  if ((last - first) * 5 > on.width) return;
  for (let i = first; i <= last; i++) {
    const whole = (i * everyS * tempo) / 60;
    on.context.fillStyle = Math.abs(whole - Math.round(whole)) < 1e-6 ? ink.faint : ink.rule;
    on.context.fillRect(Math.round(placeOf(sheet, i * everyS) * on.width), 0, 1, on.height);
  }
}

/** Returns the ticks that have room on a row, with their heights in pixels. */
function placed(on: Surface, scale: Scale): { y: number; label: string }[] {
  const ticks = scale.ticks.map((tick) => ({
    y: Math.round(on.height * (1 - scale.at(tick.value))),
    label: tick.label
  }));
  return ticks.filter(({ y }) => y >= 8 && y <= on.height - 6);
}

/** Draws the lines of a scale. */
export function ruled(on: Surface, scale: Scale, ink: Inks): void {
  on.context.fillStyle = ink.rule;
  for (const { y } of placed(on, scale)) on.context.fillRect(0, y, on.width, 1);
}

/** Draws the labels of a scale, over the curves and on a ground of their own. */
export function labelled(on: Surface, scale: Scale, ink: Inks): void {
  const { context, width } = on;
  context.font = TICK_FONT;
  context.textAlign = 'right';
  context.textBaseline = 'middle';
  for (const { y, label } of placed(on, scale)) {
    const size = context.measureText(label).width;
    context.globalAlpha = 0.85;
    context.fillStyle = ink.paper;
    context.fillRect(width - size - 9, y - 7, size + 7, 14);
    context.globalAlpha = 1;
    context.fillStyle = ink.faint;
    context.fillText(label, width - 5, y);
  }
}

/** Draws between which values a destination is useful: a line at either, and the word at its end. */
export function usefulEnds(on: Surface, scale: Scale, ends: { low: number; high: number }, ink: Inks): void {
  const { context, width, height } = on;
  context.font = SMALL_FONT;
  context.textAlign = 'left';
  context.strokeStyle = context.fillStyle = ink.faint;
  context.lineWidth = 1;
  context.setLineDash([1, 5]);
  for (const value of [ends.low, ends.high]) {
    const y = Math.round(height * (1 - scale.at(value))) + 0.5;
    if (y < 0 || y > height) continue;
    context.beginPath();
    context.moveTo(0, y);
    context.lineTo(width, y);
    context.stroke();
  }
  context.setLineDash([]);
}

/** Draws points as a line, broken where there is none; `place` says where one stands, or that it stands nowhere. */
export function brokenLine(
  on: Surface,
  values: readonly (number | null)[],
  place: (value: number, i: number) => readonly [number, number] | null,
  colour: string,
  weight: number,
  dash: readonly number[] = []
): void {
  const { context } = on;
  context.beginPath();
  let begun = false;
  values.forEach((value, i) => {
    const at = value === null ? null : place(value, i);
    if (at && begun) context.lineTo(...at);
    else if (at) context.moveTo(...at);
    begun = at !== null;
  });
  context.setLineDash([...dash]);
  context.strokeStyle = colour;
  context.lineWidth = weight;
  context.stroke();
  context.setLineDash([]);
}

/** Draws a row as a line; a column in which it moves far is drawn from its least to its greatest. */
export function line(
  on: Surface,
  row: Row,
  scale: Scale,
  colour: string,
  weight: number,
  dash: readonly number[] = []
): void {
  const { context, width, height } = on;
  const count = row.first.length;
  const step = width / count;
  const y = (value: number): number => height * (1 - scale.at(value));
  const moves = row.least !== row.first;
  context.beginPath();
  let here = y(row.first[0]!);
  let before = here;
  context.moveTo(0, here);
  for (let i = 0; i < count; i++) {
    const next = i + 1 < count ? y(row.first[i + 1]!) : here;
    // What stands level is drawn from where it begins to where it ends.
    if (here !== before || here !== next) context.lineTo(i * step, here);
    if (moves) {
      // A steep line leads from one column's first sample to the next one's; what goes beyond both is movement within.
      const least = y(row.least[i]!);
      const greatest = y(row.greatest[i]!);
      if (least > Math.max(here, next) + TALL_PX || greatest < Math.min(here, next) - TALL_PX) {
        context.lineTo(i * step, here);
        context.lineTo(i * step, greatest);
        context.lineTo(i * step, least);
      }
    }
    before = here;
    here = next;
  }
  context.lineTo((count - 1) * step, here);
  context.strokeStyle = colour;
  context.lineWidth = weight;
  context.lineJoin = 'round';
  context.setLineDash([...dash]);
  context.stroke();
  context.setLineDash([]);
}

/** Draws a line through the places of some values. */
export function stroked<T>(
  on: Surface,
  values: { forEach(each: (value: T, i: number) => void): void },
  placed: (value: T, i: number) => [number, number],
  colour: string,
  weight: number,
  dash: readonly number[] = []
): void {
  const { context } = on;
  context.beginPath();
  values.forEach((value, i) => context.lineTo(...placed(value, i)));
  context.strokeStyle = colour;
  context.lineWidth = weight;
  context.setLineDash([...dash]);
  context.stroke();
  context.setLineDash([]);
}

/** Fills, over the base, what each adding route gives in turn. */
export function contributions(
  on: Surface,
  lane: Lane,
  scale: Scale,
  routes: readonly { id: string; colour: string; hertz: boolean }[]
): void {
  const { context, width, height } = on;
  const count = lane.base.first.length;
  const perOctave = lane.law === 'semitones' ? 12 : lane.law === 'octaves' ? 1 : 0;
  const sum = new Float64Array(count);
  const hertz = new Float64Array(count);
  const y = (i: number): number => {
    const base = lane.base.first[i]!;
    const value = (perOctave ? base * 2 ** (sum[i]! / perOctave) : base + sum[i]!) + hertz[i]!;
    return height * (1 - scale.at(Math.max(lane.low, Math.min(lane.high, value))));
  };
  const edge = new Float64Array(count);
  for (let i = 0; i < count; i++) edge[i] = y(i);
  for (const route of routes) {
    const row = lane.contributions[route.id];
    if (!row) continue;
    context.beginPath();
    for (let i = 0; i < count; i++) context.lineTo((i * width) / count, edge[i]!);
    for (let i = count - 1; i >= 0; i--) {
      (route.hertz ? hertz : sum)[i]! += row.first[i]!;
      edge[i] = y(i);
      context.lineTo((i * width) / count, edge[i]!);
    }
    context.fillStyle = route.colour;
    context.globalAlpha = 0.16;
    context.fill();
    context.globalAlpha = 1;
  }
}

/** Hatches the columns in which the lane is held at an end of its range. */
export function clampHatch(on: Surface, lane: Lane, scale: Scale, ink: Inks): void {
  const { context, width, height } = on;
  const count = lane.raw.first.length;
  const step = width / count;
  context.fillStyle = hatchOf(context, ink.faint);
  for (let i = 0; i < count; i++) {
    if (lane.raw.greatest[i]! > lane.high * (1 + 1e-6) + 1e-9) {
      const y = Math.max(0, height * (1 - scale.at(lane.high)));
      context.fillRect(i * step, Math.max(0, y - 9), step + 0.5, 9);
    }
    if (lane.raw.least[i]! < lane.low - 1e-9) {
      const y = Math.min(height, height * (1 - scale.at(lane.low)));
      context.fillRect(i * step, Math.min(y, height - 9), step + 0.5, 9);
    }
  }
}

const hatches = new Map<string, CanvasPattern>();

function hatchOf(context: CanvasRenderingContext2D, colour: string): CanvasPattern | string {
  const known = hatches.get(colour);
  if (known) return known;
  const tile = document.createElement('canvas');
  tile.width = tile.height = 6;
  const brush = tile.getContext('2d');
  if (!brush) return colour;
  brush.strokeStyle = colour;
  brush.lineWidth = 1.2;
  brush.beginPath();
  brush.moveTo(-1, 7);
  brush.lineTo(7, -1);
  brush.stroke();
  const pattern = context.createPattern(tile, 'repeat');
  if (pattern) hatches.set(colour, pattern);
  return pattern ?? colour;
}
