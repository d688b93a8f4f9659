/** What a useful range is put to: ends of a route, or of what a macro moves. */
import type { Patch, Route } from '../api/api';
import { addModule, freeId, replaceRoute, routes } from '../state/document';
import { titleOf } from '../state/wording';
import { workbench } from '../state/workbench.svelte';

type Ends = readonly [number, number];

const rounded = (ends: Ends): { low: number; high: number } => {
  const [low, high] = ends.map((value) => Number(value.toPrecision(4))) as [number, number];
  return { low, high };
};

/** Returns the ends of a route, the way round that it goes already. */
function turned(route: Route, ends: Ends): { low: number; high: number } {
  const { low, high } = rounded(ends);
  const isDown = route.mode === 'range' ? (route.low ?? 0) > (route.high ?? 1) : (route.amount ?? 0) < 0;
  return isDown ? { low: high, high: low } : { low, high };
}

/** Gives a route that sets a range the useful one, the way round that it went before. */
export function setEnds(route: Route, ends: Ends, said: string): void {
  const { patch } = workbench;
  if (!patch) return;
  workbench.act('range', `${route.source} over ${said}`, replaceRoute(patch, route.id, turned(route, ends)));
}

/** Returns a patch in which a source sets a destination over its useful range: by the route that it has on it, or a new one. */
function over(patch: Patch, source: string, destination: string, ends: Ends): Patch {
  const known = routes(patch).find((route) => route.source === source && route.destination === destination);
  if (known) return replaceRoute(patch, known.id, { mode: 'range', ...turned(known, ends) });
  const taken = routes(patch).map((route) => route.id);
  const id = freeId(`${source} to ${destination.replace('.', ' ')}`, taken);
  return { ...patch, routes: [...routes(patch), { id, source, destination, mode: 'range', ...rounded(ends) }] };
}

/** Lets a macro, or a new one, set a destination over its useful range. */
export function rangeRoute(macro: string | null, destination: string, ends: Ends): void {
  const { patch, catalogue } = workbench;
  const kind = catalogue?.kinds.find((one) => one.lane);
  if (!patch || !kind) return;
  const [known, source] = macro === null ? addModule(patch, kind) : [patch, macro];
  const label = `${source} over the useful range of ${titleOf(destination)}`;
  workbench.act('range', label, over(known, source, destination, ends));
}

/** Lets a macro go over the useful range of each of several destinations, as they are kept. */
export function overUseful(macro: string, destinations: readonly string[]): void {
  const { patch } = workbench;
  if (!patch) return;
  const after = destinations.reduce((now, destination) => {
    const kept = patch.useful_ranges?.[destination];
    return kept ? over(now, macro, destination, [kept.low, kept.high]) : now;
  }, patch);
  workbench.act('range', `${macro} over the useful ranges`, after);
}
