/** What a machine card says, as far as the screen shows and edits it; the server checks the whole of it. */
export interface CardControl {
  name: string;
  sets: string;
  low?: number;
  high?: number;
  law?: string;
  from_value?: number;
  to_value?: number;
  table?: [number, number][];
  steps?: number | null;
  positions?: string[];
  shown?: string;
  controller?: number | null;
}

export interface Card {
  format?: string;
  version?: number;
  name?: string;
  notes?: string;
  controls?: CardControl[];
  sources?: { name: string; kind: string }[];
  [more: string]: unknown;
}

export const EMPTY_CARD: Card = { format: 'jorvik-card', version: 1, name: 'A machine', controls: [], sources: [] };

/** Returns the measured points in lines of `figure,value`; a first line of words is passed over. Throws with the line. */
export function pointsOf(text: string, name: string): [number, number][] {
  const lines = text.split(/\r?\n/).filter((line) => line.trim() !== '');
  const points: [number, number][] = [];
  for (const [at, line] of lines.entries()) {
    const parts = line.split(/[,;\t]/).map((part) => Number(part.trim().replace('−', '-')));
    if (parts.length === 2 && parts.every(Number.isFinite)) points.push([parts[0]!, parts[1]!]);
    else if (at > 0) throw new Error(`${name}, line ${at + 1}: found "${line.slice(0, 40)}"; it must be figure,value.`);
  }
  if (points.length < 2) throw new Error(`${name}: found ${points.length} points; it must have two at least.`);
  return points;
}
