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

export interface CardSource {
  name: string;
  kind: string;
  choices?: Record<string, string[]>;
  moves?: string[];
  farthest?: Record<string, number>;
  controller?: number | null;
}

export interface Card {
  format?: string;
  version?: number;
  name?: string;
  notes?: string;
  controls?: CardControl[];
  sources?: CardSource[];
  slots?: number | null;
  scaled_by?: string[];
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

/** Returns the names in a text with commas between them. */
export const namesIn = (text: string): string[] =>
  [...new Set(text.split(',').map((one) => one.trim()))].filter(Boolean);

/** Says what a source moves by a slot, and how far at most, as it is typed. */
export function slotWords({ moves, farthest }: CardSource): string {
  const limited = Object.keys(farthest ?? {});
  const names = moves?.length ? moves : limited;
  return names
    .map((name) => [name.replaceAll('_', ' '), farthest?.[name]].filter((one) => one != null).join(' '))
    .join(', ');
}

/** Returns what a source moves by a slot, read from `cutoff 24, fold`; or why it cannot be read, in a sentence. */
export function slotReach(
  text: string,
  destinations: readonly { name: string; title: string }[]
): Required<Pick<CardSource, 'moves' | 'farthest'>> | string {
  const moves: string[] = [];
  const farthest: Record<string, number> = {};
  for (const said of namesIn(text)) {
    const [, words, far] = /^(.*?)(?:\s+([\d.]+)(?:\s?\S{1,3})?)?$/.exec(said)!;
    const at = destinations.find((one) =>
      [one.name, one.title].some((name) => alike(name, words!) || alike(name, said))
    );
    if (!at) return `"${said}": destinations, as cutoff 24, fold`;
    moves.push(at.name);
    if (far !== undefined && !alike(at.name, said) && !alike(at.title, said)) {
      if (!(Number(far) > 0)) return `"${said}": how far at most, a number over 0`;
      farthest[at.name] = Number(far);
    }
  }
  return { moves, farthest };
}

const alike = (a: string, b: string): boolean =>
  a.replaceAll('_', ' ').toLowerCase() === b.replaceAll('_', ' ').toLowerCase();
