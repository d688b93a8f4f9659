/** What destinations and routes are called, in the words of the sheet. */
import type { Route } from './api';
import { bench } from './bench.svelte';
import { modules, routes, verbOf } from './document';
import { extentOf } from './sheet';

/** Returns the id of the route whose amount a destination is, if it is one. */
function routeOf(destination: string): string | undefined {
  return /^route:(.*)\.amount$/.exec(destination)?.[1];
}

/** Returns what a destination is called within a sentence. */
export function titleOf(destination: string): string {
  const known = bench.catalogue?.destinations.find((at) => at.name === destination);
  if (known) return known.title.toLowerCase();
  const routeId = routeOf(destination);
  if (routeId) return `the amount of ${routeId}`;
  return destination
    .replace('.', ' ')
    .replace(/_(s|hz)$/, '')
    .replace('_', ' ');
}

/** Returns the verb of a route's sentence. */
export function verbFor(route: Route): string {
  const given = bench.sheet?.lanes[route.destination]?.contributions[route.id];
  if (!given) return verbOf(route, route.polarity === 'bipolar');
  const [low, high] = extentOf(given);
  return verbOf(route, low < 0 && high > 0);
}

/** Returns the unit of the amounts of routes to a destination. */
export function amountUnit(destination: string): string {
  const { catalogue, patch } = bench;
  const known = catalogue?.destinations.find((at) => at.name === destination);
  if (known) return known.amount_unit;
  const routeId = routeOf(destination);
  if (routeId) {
    const route = patch && routes(patch).find((r) => r.id === routeId);
    return route && route.mode !== 'scale' ? amountUnit(route.destination) : 'ratio';
  }
  const [id, field] = destination.split('.');
  const module = patch && modules(patch).find((m) => m.id === id);
  const facts = catalogue?.kinds.find((k) => k.kind === module?.kind)?.fields.find((f) => f.name === field);
  if (!facts) return 'ratio';
  return facts.law === 'octaves' ? 'oct' : facts.law === 'semitones' ? 'st' : (facts.unit ?? 'ratio');
}
