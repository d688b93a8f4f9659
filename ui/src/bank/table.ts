/** The table of a work: which columns are shown, how cells read, and what a click on a heading sorts by. */

export interface Row {
  patch: string;
  file: string;
  state: string;
  said: string;
  rules?: string[];
  [column: string]: unknown;
}

/** What is not shown: it is in the files. */
const HIDDEN = new Set(['file', 'id', 'files', 'findings', 'said', 'seconds_taken', 'patch', 'state', 'phrase', 'map']);

/** Returns the columns that have something in them, in their order. */
export function shownColumns(rows: readonly Row[]): string[] {
  const found: string[] = [];
  for (const row of rows)
    for (const [name, value] of Object.entries(row))
      if (!HIDDEN.has(name) && value !== null && value !== '' && !found.includes(name)) found.push(name);
  return found;
}

const UNITS: Record<string, string> = { lufs: 'LUFS', db: 'dB', hz: 'Hz', s: 's', st: 'st', cents: 'cents' };

/** Says a column's name: words, and the unit that it ends in. */
export function heading(column: string): string {
  const words = column.split('_');
  const unit = UNITS[words.at(-1) ?? ''];
  return unit && words.length > 1 ? `${words.slice(0, -1).join(' ')}, ${unit}` : words.join(' ');
}

export function cell(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'number') return String(Number(value.toPrecision(5))).replace('-', '−');
  if (Array.isArray(value)) return value.map((one) => String(one).replaceAll('_', ' ')).join(', ');
  return String(value);
}

/** Returns the rows by a column, those without a value last. */
export function sorted(rows: readonly Row[], column: string, down: boolean): Row[] {
  const key = (row: Row): unknown => row[column] ?? null;
  const sign = down ? -1 : 1;
  return [...rows].sort((a, b) => {
    const [x, y] = [key(a), key(b)];
    if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
    if (typeof x === 'number' && typeof y === 'number') return sign * (x - y);
    return sign * cell(x).localeCompare(cell(y));
  });
}

/** Returns the rows in which some words stand, or that are in a state. */
export function found(rows: readonly Row[], words: string, state: string): Row[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((row) => {
    if (state && row.state !== state) return false;
    const text = Object.values(row).map(cell).join(' ').toLowerCase();
    return wanted.every((word) => text.includes(word));
  });
}

/** Returns which patch of the library a row is of, by the name that its file has there. */
export const patchOf = (row: Row): string => row.file.replace(/-\d+\.json$/, '');

/** Says how long something takes, roughly. */
export function about(seconds: number): string {
  if (seconds < 1) return 'under a second';
  if (seconds < 90) return `about ${Math.round(seconds)} s`;
  if (seconds < 5400) return `about ${Math.round(seconds / 60)} min`;
  return `about ${(seconds / 3600).toFixed(1)} h`;
}

export function size(bytes: number): string {
  return bytes < 1e6
    ? `${Math.max(1, Math.round(bytes / 1e3))} kB`
    : `${(bytes / 1e6).toFixed(bytes < 1e8 ? 1 : 0)} MB`;
}
