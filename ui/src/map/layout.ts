/** Where each part of the map lies: what reads what from left to right, laid out by dagre. */
import { Graph, layout as lay } from '@dagrejs/dagre';

export interface Box {
  id: string;
  kind: 'signal' | 'source' | 'stave';
}

export interface Join {
  id: string;
  from: string;
  to: string;
}

export interface Spot {
  x: number;
  y: number;
}

export interface Layout {
  width: number;
  height: number;
  /** The left upper corner of each box. */
  boxes: Record<string, Spot>;
  /** The path of each join, and where the label of one that goes back stands. */
  joins: Record<string, { path: string; label: Spot; back: boolean }>;
}

export const BOX = { width: 132, height: 34 };
const MARGIN = 12;
const BEND = 22;
/** What is said of a join that goes back. */
const LABEL = { width: 96, height: 16, labelpos: 'c' } as const;
/** How strongly what is played is drawn to the left, and staves to the right. */
const PULL = 20;
const ENDS = ['\u0000first', '\u0000last'] as const;

/** Returns a layout of boxes and joins, as wide as it should be at least. A join that goes back round a loop is told. */
export function layout(boxes: readonly Box[], joins: readonly Join[], width = 0): Layout {
  const first = placed(boxes, joins, new Set());
  const back = joins.filter(({ from, to }) => first.node(to).x <= first.node(from).x).map(({ id }) => id);
  // What is said of a join that goes back needs its place too.
  const graph = back.length > 0 ? placed(boxes, joins, new Set(back)) : first;
  const size = graph.graph();
  const stretch = Math.max(1, (width - BOX.width - 2 * MARGIN) / Math.max(1, size.width! - BOX.width - 2 * MARGIN));
  const x = (at: number): number => MARGIN + BOX.width / 2 + (at - MARGIN - BOX.width / 2) * stretch;
  const centre = (id: string): Spot => ({ x: x(graph.node(id).x), y: graph.node(id).y });
  const path = ({ id, from, to }: Join): Layout['joins'][string] => {
    const found = graph.edge(from, to, id);
    const points = ((found.points ?? []) as Spot[]).map((point) => ({ x: x(point.x), y: point.y }));
    const label = { x: x(found.x ?? 0), y: found.y ?? 0 };
    const [start, end] = [centre(from), centre(to)];
    if (end.x <= start.x) return { path: smooth(points), label, back: true };
    // Out at the right and in at the left, whatever side the straight line would meet.
    const out = [start.x + BOX.width / 2, start.x + BOX.width / 2 + BEND].map((at) => ({ x: at, y: start.y }));
    const into = [end.x - BOX.width / 2 - BEND, end.x - BOX.width / 2].map((at) => ({ x: at, y: end.y }));
    // By way of dagre's points only where the straight way would lead through a box.
    const blocked = boxes.some(
      ({ id: other }) => other !== from && other !== to && meets(out[1]!, into[0]!, centre(other))
    );
    return { path: smooth([...out, ...(blocked ? points.slice(1, -1) : []), ...into]), label, back: false };
  };
  return {
    width: x(size.width! - MARGIN - BOX.width / 2) + BOX.width / 2 + MARGIN,
    height: size.height!,
    boxes: Object.fromEntries(
      boxes.map(({ id }) => [id, { x: centre(id).x - BOX.width / 2, y: centre(id).y - BOX.height / 2 }])
    ),
    joins: Object.fromEntries(joins.map((join) => [join.id, path(join)]))
  };
}

/** Whether a straight line comes upon a box, which is told by its middle. */
function meets(a: Spot, b: Spot, box: Spot): boolean {
  const left = Math.max(Math.min(a.x, b.x), box.x - BOX.width / 2);
  const right = Math.min(Math.max(a.x, b.x), box.x + BOX.width / 2);
  if (left >= right) return false;
  const y = (x: number): number => a.y + ((b.y - a.y) * (x - a.x)) / (b.x - a.x || 1);
  const [low, high] = [Math.min(y(left), y(right)), Math.max(y(left), y(right))];
  return high > box.y - BOX.height / 2 && low < box.y + BOX.height / 2;
}

/** Returns dagre's graph with its layout; the joins that are said to go back have a label. */
function placed(boxes: readonly Box[], joins: readonly Join[], back: ReadonlySet<string>): Graph {
  const graph = new Graph({ multigraph: true });
  graph.setGraph({ rankdir: 'LR', nodesep: 14, edgesep: 8, ranksep: 46, marginx: MARGIN, marginy: MARGIN });
  for (const end of ENDS) graph.setNode(end, { width: 0, height: 0 });
  for (const { id, kind } of boxes) {
    graph.setNode(id, { ...BOX });
    // What is played stands before every source, and staves behind all.
    if (kind === 'stave') graph.setEdge(id, ENDS[1], { weight: PULL }, 'pull');
    else if (kind === 'signal') graph.setEdge(ENDS[0], id, { weight: PULL }, 'pull');
    else graph.setEdge(ENDS[0], id, { weight: 0, minlen: 2 }, 'pull');
  }
  for (const { id, from, to } of joins) graph.setEdge(from, to, back.has(id) ? { ...LABEL } : {}, id);
  lay(graph);
  return graph;
}

/** Returns an SVG path through points, round at each but the ends. */
export function smooth(points: readonly Spot[]): string {
  const [first, ...rest] = points;
  if (!first || rest.length === 0) return '';
  const half = (a: Spot, b: Spot): string => `${(a.x + b.x) / 2} ${(a.y + b.y) / 2}`;
  const turns = rest.slice(0, -1).map((point, i) => `Q ${point.x} ${point.y} ${half(point, rest[i + 1]!)}`);
  const last = rest.at(-1)!;
  return [`M ${first.x} ${first.y} L ${half(first, rest[0]!)}`, ...turns, `L ${last.x} ${last.y}`].join(' ');
}
