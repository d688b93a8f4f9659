/** Figures as people read them. Reading them back is the server's work (POST /api/value). */

const NAMES = ['C', 'C#', 'D', 'D#', 'E', 'F', 'F#', 'G', 'G#', 'A', 'A#', 'B'];

/** Returns a number with so many significant digits and no trailing noughts. */
export function figure(value: number, digits = 3): string {
  if (value === 0 || Object.is(value, -0)) return '0';
  const text = Number(value.toPrecision(digits));
  return String(Math.abs(text) >= 1e6 || Math.abs(text) < 1e-6 ? text.toExponential() : text).replace('-', '−');
}

/** Returns a value with so many digits after the point; what rounds to nothing has no sign. */
export function fixed(value: number, digits: number): string {
  const text = value.toFixed(digits);
  return Number(text) === 0 ? text.replace('-', '') : text.replace('-', '−');
}

/** Returns a key as a note name, with the cents that it lies off the key: `G2`, `G2 +32 cents`. */
export function noteName(key: number): string {
  const nearest = Math.round(key);
  const cents = Math.round((key - nearest) * 100);
  const name = `${NAMES[((nearest % 12) + 12) % 12]}${Math.floor(nearest / 12) - 1}`;
  return cents === 0 ? name : `${name} ${cents > 0 ? '+' : '−'}${Math.abs(cents)} cents`;
}

export function seconds(value: number): string {
  const size = Math.abs(value);
  if (size < 0.001 && size > 0) return `${figure(value * 1e6)} us`;
  return size < 1 ? `${figure(value * 1000, 4)} ms` : `${figure(value, 4)} s`;
}

export function hertz(value: number, digits = 4): string {
  return value < 1000 ? `${figure(value, digits)} Hz` : `${figure(value / 1000, digits)} kHz`;
}

export function decibels(value: number): string {
  return value <= 1e-6 ? '−∞ dB' : `${figure(20 * Math.log10(value), 3)} dB`;
}

/** Returns a value in its unit, as it stands in a field or on a stave. */
export function shown(value: number | string, unit: string): string {
  if (typeof value === 'string') return value;
  // Where a voice is not there yet, or no more.
  if (!Number.isFinite(value)) return '–';
  switch (unit) {
    case 's':
      return seconds(value);
    case 'beats':
      return `${figure(value, 6)} beat${value === 1 ? '' : 's'}`;
    case 'ms':
      return `${figure(value, 4)} ms`;
    case 'Hz':
      return hertz(value);
    case 'ratio':
      return `${figure(value * 100, 4)} %`;
    case 'key':
      return noteName(value);
    case 'velocity':
    case 'signal':
    case 'x':
    case 'bend':
    case 'Q':
    case 'cycle':
    case 'count':
      return figure(value, 4);
    default:
      return `${figure(value, 4)} ${unit}`;
  }
}

/** Returns the unit that a number typed without one is in, whatever the present value is; '' where it has none. */
export function bareUnit(unit: string): string {
  const fixed: Record<string, string> = { s: 'ms', Hz: 'Hz' };
  return fixed[unit] ?? shown(0, unit).replace(/^[^a-z%]*/i, '');
}

/** Returns a value as it stands in a field that is being typed into: in the unit of a number alone. */
export function typedAs(value: number | string, unit: string, bare: string): string {
  if (typeof value === 'string' || !['s', 'Hz'].includes(unit)) return shown(value, unit);
  return `${figure(bare === 'ms' ? value * 1000 : value, 6)} ${bare}`;
}

/** Returns a signed amount of movement: `+22 st`, `−1.6 st`. */
export function signed(value: number, unit: string): string {
  const text = shown(Number(value.toPrecision(3)), unit);
  return value > 0 ? `+${text}` : text;
}

/** Returns how a destination's value reads on its stave, at the key that is played. */
export function laneText(of: { reads_as: string; unit: string }, value: number, key: number): string {
  if (!Number.isFinite(value)) return '–';
  if (of.reads_as === 'note') return noteName(key + value);
  if (of.reads_as === 'level') return `${shown(value, 'ratio')} · ${decibels(value)}`;
  return shown(value, of.unit);
}

/** Volts that a signal of 1 stands for. */
export const FULL_V = 5;

/** Returns a signal as the user targets to read it: as it is, in per cent, or in volts. */
export function signalShown(value: number, as: 'plain' | 'percent' | 'volts'): string {
  if (!Number.isFinite(value)) return '–';
  if (as === 'percent') return `${figure(value * 100, 3)} %`;
  if (as === 'volts') return `${figure(value * FULL_V, 3)} V`;
  return figure(value, 3);
}

/** Returns a level in dB, or a dash where there is none. */
export function decibelsOf(value: number | undefined): string {
  return value === undefined || value <= -119 ? '–' : figure(value, 3);
}
