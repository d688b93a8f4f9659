/** Draws a look inside the sound: waveform, spectrogram, bands and spectrum. */
import { inkOf, inks, labelled, ruled, SMALL_FONT, stroked, type Surface } from './draw';
import type { Look } from '../api/look';
import { decibelScale, hertzAxis } from './scale';
import type { Row, Sheet } from '../api/sheet';

export const BANDS = [
  { name: 'Low', range: '20–200 Hz', dye: 'walnut', dash: [] },
  { name: 'Middle', range: '200–2 000 Hz', dye: 'lichen', dash: [7, 4] },
  { name: 'High', range: 'over 2 kHz', dye: 'woad', dash: [2, 3] }
];
/** Partials under this are not numbered. */
export const FAINT_DB = -72;

const FLOOR_DB = -90;
/** Where the labels of levels stand, at the right. */
const LEVELS_WIDTH = 50;
const level = decibelScale(-84, 0);
const axis = hertzAxis(20, 20000);
/** What is under this, in dB, stays paper in the spectrogram. */
const GRAM_FLOOR_DB = -80;

export function drawWave(on: Surface, look: Look): void {
  const { context, width: w, height: h } = on;
  const y = (value: number): number => (h / 2) * (1 - value);
  context.fillStyle = inkOf('rule');
  context.fillRect(0, h / 2, w, 1);
  context.fillStyle = inkOf('ink');
  const count = look.least.length;
  for (let i = 0; i < count; i++) {
    const top = y(look.greatest[i]!);
    context.fillRect((i * w) / count, top, Math.max(1, w / count), Math.max(1, y(look.least[i]!) - top));
  }
}

/** Draws a spectrogram, and on it the cutoff where there is a sheet of the same patch. */
export function drawGram(on: Surface, look: Look, sheet: Sheet | null): void {
  const tile = document.createElement('canvas');
  tile.width = look.columns;
  tile.height = look.rows;
  const brush = tile.getContext('2d')!;
  const image = brush.createImageData(look.columns, look.rows);
  // The wire's 0 to 255 stand for the floor to 0 dB.
  const floor = 255 * (1 - GRAM_FLOOR_DB / look.floor_db);
  const ground = rgb(inkOf('paper'));
  const ink = rgb(inkOf('ink'));
  for (let row = 0; row < look.rows; row++)
    for (let column = 0; column < look.columns; column++) {
      const given = look.spectrogram[row * look.columns + column]!;
      const share = Math.max(0, (given - floor) / (255 - floor)) ** 1.4;
      const to = ((look.rows - 1 - row) * look.columns + column) * 4;
      for (let c = 0; c < 3; c++) image.data[to + c] = ground[c]! + (ink[c]! - ground[c]!) * share;
      image.data[to + 3] = 255;
    }
  brush.putImageData(image, 0, 0);
  on.context.imageSmoothingEnabled = true;
  on.context.drawImage(tile, 0, 0, on.width, on.height);
  const cutoff = sheet?.lanes['cutoff']?.value;
  if (sheet && cutoff?.first.length === sheet.starts.length) drawCutoff(on, look, cutoff, sheet.starts);
}

function drawCutoff(on: Surface, look: Look, cutoff: Row, starts: Float64Array): void {
  const { width: w, height: h } = on;
  const octaves = Math.log2(look.high_hz / look.low_hz);
  const y = (hz: number): number => h * (1 - Math.log2(hz / look.low_hz) / octaves);
  const x = (i: number): number => (starts[i]! / look.seconds) * w;
  stroked(on, cutoff.first, (hz, i) => [x(i), y(hz)], inkOf('madder'), 2, [6, 3]);
}

function rgb(colour: string): number[] {
  return [1, 3, 5].map((i) => parseInt(colour.slice(i, i + 2), 16));
}

/** Draws the level of each band over time, those of a ghost dotted behind. */
export function drawBands(on: Surface, look: Look, behind: Look | null): void {
  const { width: w, height: h } = on;
  const band = (row: Float32Array, colour: string, dash: number[]): void => {
    const y = (db: number): number => h * (1 - level.at(Math.max(FLOOR_DB, db)));
    stroked(on, row, (db, i) => [(i * w) / row.length, y(db)], colour, 1.8, dash);
  };
  ruled(on, level, inks());
  behind?.bands.forEach((row) => band(row, inkOf('faint'), [1, 3]));
  look.bands.forEach((row, i) => band(row, inkOf(BANDS[i]!.dye), BANDS[i]!.dash));
  labelled(on, level, inks());
}

/** Draws a spectrum with its harmonics numbered, that of a ghost dashed behind. */
export function drawSpectrum(on: Surface, look: Look, behind: Look | null): void {
  const ink = inks();
  ruled(on, level, ink);
  const { context, width: w, height: h } = on;
  context.font = SMALL_FONT;
  context.textAlign = 'center';
  for (const tick of axis.ticks) {
    const x = axis.at(tick.value) * w;
    context.fillStyle = ink.rule;
    context.fillRect(x, 0, 1, h);
  }
  const curve = (of: Look, colour: string, dash: number[], weight: number): void => {
    const y = (i: number): number => h * (1 - level.at(Math.max(FLOOR_DB, of.db[i]!)));
    stroked(on, of.hz, (hz, i) => [axis.at(hz) * w, y(i)], colour, weight, dash);
  };
  if (behind) curve(behind, ink.faint, [6, 4], 1.4);
  curve(look, ink.ink, [], 1.8);
  context.fillStyle = inkOf('madder');
  let before = -20;
  for (const partial of look.partials) {
    const x = axis.at(partial.hz) * w;
    if (partial.db < FAINT_DB || x - before < 15) continue;
    before = x;
    context.fillText(String(partial.number), x, Math.max(11, h * (1 - level.at(partial.db)) - 5));
  }
  for (const tick of axis.ticks) {
    const x = axis.at(tick.value) * w;
    const half = context.measureText(tick.label).width / 2 + 3;
    if (x + half > w - LEVELS_WIDTH) continue;
    context.fillStyle = ink.paper;
    context.fillRect(x - half, h - 16, 2 * half, 16);
    context.fillStyle = ink.faint;
    context.fillText(tick.label, x, h - 4);
  }
  labelled(on, level, ink);
}
