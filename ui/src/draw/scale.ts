/** Scales that people read: note names, hertz on a log scale, decibels, per cent. */
import { scaleLinear } from 'd3-scale';
import { figure, hertz, noteName, shown, signalShown, signed } from '../common/format';
import type { Lane } from '../api/sheet';

export interface Tick {
  value: number;
  label: string;
}

export interface Scale {
  /** Returns the height of a value, 0 at the foot and 1 at the top. */
  at(value: number): number;
  /** Returns the value at a height. */
  from(height: number): number;
  ticks: Tick[];
}

function linear(low: number, high: number, ticks: Tick[]): Scale {
  // Plain arithmetic: every column of every stave comes through here.
  const share = 1 / (high - low);
  return { at: (value) => (value - low) * share, from: (height) => low + height * (high - low), ticks };
}

/** Even in pitch. */
function logarithmic(low: number, high: number, least: number, ticks: Tick[]): Scale {
  const share = 1 / Math.log(high / low);
  return {
    at: (value) => Math.log(Math.max(value, least) / low) * share,
    from: (height) => low * (high / low) ** height,
    ticks
  };
}

/** Returns a scale for a source's own trace. */
export function signalScale(low: number, high: number): Scale {
  const pad = (high - low) * 0.06 || 0.5;
  return linear(low - pad, high + pad, []);
}

/** Returns a scale for signals raised to a stave, with ticks. */
export function signalStaveScale(low: number, high: number, as: 'plain' | 'percent' | 'volts'): Scale {
  const pad = (high - low) * 0.08 || 0.5;
  const values = scaleLinear([low, high], [0, 1]).ticks(4);
  return linear(
    low - pad,
    high + pad,
    values.map((value) => ({ value, label: signalShown(value, as) }))
  );
}

/** Heights of the pitch are named by the key that they are counted from; where there is none, by their distance. */
function pitchScale(lane: Lane, key: number | null): Scale {
  const least = Math.min(lane.least, lane.set_value);
  const greatest = Math.max(lane.greatest, lane.set_value);
  const reach = Math.max(greatest - least, 0.9);
  const low = least - reach * 0.14;
  const high = greatest + reach * 0.14;
  const values = scaleLinear([low, high], [0, 1]).ticks(3);
  const small = reach < 3;
  return linear(
    low,
    high,
    values.map((value) => ({
      value,
      label: small ? centsLabel(value) : key === null ? signed(value, 'st') : noteName(Math.round(key + value))
    }))
  );
}

function centsLabel(semitones: number): string {
  const cents = Math.round(semitones * 100);
  return cents === 0 ? '0 cents' : `${cents > 0 ? '+' : '−'}${Math.abs(cents)}`;
}

function hertzScale(lane: Lane): Scale {
  const low = Math.max(lane.low, Math.min(lane.least, lane.set_value) / 1.35);
  const high = Math.min(lane.high * 1.02, Math.max(lane.greatest, lane.set_value) * 1.5);
  const ends = [low, Math.max(high, low * 4)] as const;
  const { at } = logarithmic(...ends, 1e-3, []);
  const values = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000].filter((v) => at(v) > 0.02 && at(v) < 0.98);
  return logarithmic(
    ...ends,
    1e-3,
    values.map((value) => ({ value, label: hertz(value, 2) }))
  );
}

function amplitudeScale(): Scale {
  return linear(-0.04, 1.08, [
    { value: 1, label: '0 dB' },
    { value: 0.501187, label: '−6' },
    { value: 0.251189, label: '−12' },
    { value: 0.063096, label: '−24' }
  ]);
}

function plainScale(lane: Lane): Scale {
  const least = Math.min(lane.least, lane.set_value);
  const greatest = Math.max(lane.greatest, lane.set_value);
  const reach = Math.max(greatest - least, Math.min(0.25, (lane.high - lane.low) / 4));
  const low = least - reach * 0.12;
  const high = Math.max(greatest, least + reach) + reach * 0.12;
  const values = scaleLinear([low, high], [0, 1]).ticks(3);
  const label = (value: number): string =>
    lane.unit === 'ratio' ? `${figure(value * 100)} %` : shown(value, lane.unit);
  return linear(
    low,
    high,
    values.map((value) => ({ value, label: label(value) }))
  );
}

/** Returns the scale on which a destination is read. */
export function laneScale(lane: Lane, key: number | null): Scale {
  if (lane.reads_as === 'note') return pitchScale(lane, key);
  if (lane.unit === 'Hz') return hertzScale(lane);
  if (lane.reads_as === 'level') return amplitudeScale();
  return plainScale(lane);
}

/** Returns round times for the axis from one time to another, about one every 90 pixels. */
export function timeTicks(from: number, to: number, width: number): number[] {
  return scaleLinear([from, to], [0, width])
    .ticks(Math.max(2, Math.floor(width / 90)))
    .filter((t) => t < from + (to - from) * 0.97);
}

/** Returns a scale of levels in dB. */
export function decibelScale(low: number, high: number): Scale {
  const ticks = [-12, -24, -36, -48, -60, -72].filter((value) => value > low && value < high);
  return linear(
    low,
    high,
    ticks.map((value) => ({ value, label: `${value} dB`.replace('-', '−') }))
  );
}

/** Returns an axis of frequencies, even in pitch. */
export function hertzAxis(low: number, high: number): Scale {
  const ticks = [50, 100, 200, 500, 1000, 2000, 5000, 10000].map((value) => ({ value, label: hertz(value, 2) }));
  return logarithmic(low, high, 1, ticks);
}
