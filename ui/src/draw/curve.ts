/** Changes to drawn points, each [x, y] or [x, y, bend to the next], as functions from one list to the next. */

export type Points = number[][];

const tidy = (value: number): number => Number(value.toFixed(5));

/** Returns how far a bend has come at x in 0..1, for drawing: (1 − e^(−kx)) / (1 − e^(−k)). */
export function bent(x: number, k: number): number {
  return Math.abs(k) < 1e-3 ? x : (1 - Math.exp(-k * x)) / (1 - Math.exp(-k));
}

/** Returns the height of a curve at x, for placing a new point on it. */
export function heightAt(points: Points, x: number): number {
  const next = points.findIndex((point) => point[0]! > x);
  if (next === 0) return points[0]![1]!;
  if (next < 0) return points.at(-1)?.[1] ?? 0;
  const [a, b] = [points[next - 1]!, points[next]!];
  return a[1]! + (b[1]! - a[1]!) * bent((x - a[0]!) / (b[0]! - a[0]!), a[2] ?? 0);
}

export function withPoint(points: Points, x: number, y: number): [Points, number] {
  const at = points.findIndex((point) => point[0]! > x);
  const index = at < 0 ? points.length : at;
  return [[...points.slice(0, index), [tidy(x), tidy(y)], ...points.slice(index)], index];
}

export function withoutPoint(points: Points, index: number): Points {
  return points.filter((_, i) => i !== index);
}

/** Moves a point, kept between its neighbours and within the limits. */
export function moved(
  points: Points,
  index: number,
  x: number,
  y: number,
  ends: [number, number],
  heights: [number, number]
): Points {
  const low = points[index - 1]?.[0] ?? ends[0];
  const high = points[index + 1]?.[0] ?? ends[1];
  const place = [
    tidy(Math.max(low, Math.min(high, x))),
    tidy(Math.max(heights[0], Math.min(heights[1], y))),
    ...(points[index]!.length > 2 ? [points[index]![2]!] : [])
  ];
  return points.map((point, i) => (i === index ? place : point));
}

export function withBend(points: Points, index: number, bend: number): Points {
  const k = Number(Math.max(-12, Math.min(12, bend)).toFixed(2));
  return points.map((point, i) => (i === index ? [point[0]!, point[1]!, k] : point));
}

/** Turns a curve round in time: what came last comes first, bends with it. */
export function flippedInTime(points: Points): Points {
  const [first, last] = [points[0]?.[0] ?? 0, points.at(-1)?.[0] ?? 1];
  return points
    .map((point, i) => [tidy(first + last - point[0]!), point[1]!, -(points[i - 1]?.[2] ?? 0)])
    .reverse()
    .map((point) => (point[2] ? point : point.slice(0, 2)));
}

/** Turns a curve over within its heights. */
export function flippedInHeight(points: Points, heights: [number, number]): Points {
  return points.map((point) => [point[0]!, tidy(heights[0] + heights[1] - point[1]!), ...point.slice(2)]);
}

/** The points, by their place in the list, between which a drawn curve repeats and at which it waits. */
export interface Marks {
  loop?: number[] | null;
  hold_at?: number | null;
}

/** Keeps marks at their points where one is put in at a place (1) or taken away (-1); what marked that one goes. */
export function marksAfter({ loop, hold_at }: Marks, index: number, by: 1 | -1): Marks {
  const moved = (mark: number): number | null => {
    if (by === 1) return mark >= index ? mark + 1 : mark;
    return mark === index ? null : mark > index ? mark - 1 : mark;
  };
  const ends = loop?.map(moved);
  return {
    loop: ends?.every((end) => end !== null) ? (ends as number[]) : null,
    hold_at: hold_at == null ? null : moved(hold_at)
  };
}

export function stretched(points: Points, factor: number, end = Infinity): Points {
  return points.map((point) => [tidy(Math.min(end, point[0]! * factor)), ...point.slice(1)]);
}

/** Shapes to begin with, over 0..1. */
export const STARTS: Record<string, Points> = {
  rise: [
    [0, 0],
    [1, 1]
  ],
  fall: [
    [0, 1, 3],
    [1, 0]
  ],
  hump: [
    [0, 0, 2],
    [0.5, 1, -2],
    [1, 0]
  ],
  dip: [
    [0, 1, -3],
    [0.25, 0, 3],
    [1, 1]
  ],
  stairs: [
    [0, 0.25],
    [0.25, 0.25],
    [0.25, 0.5],
    [0.5, 0.5],
    [0.5, 0.75],
    [0.75, 0.75],
    [0.75, 1],
    [1, 1]
  ],
  double: [
    [0, 0, 2],
    [0.15, 1, 2],
    [0.5, 0.2, -1],
    [0.65, 0.8, 2],
    [1, 0]
  ]
};
