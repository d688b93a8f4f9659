/** What destinations and routes are called, in the words of the sheet. */
import type { FieldFacts, Route } from '../api/api';
import { workbench } from './workbench.svelte';
import { modules, routes, verbOf, type FirstRoute } from './document';
import { extentOf } from '../api/sheet';
import { shown } from '../common/format';

/** Returns the id of the route whose amount a destination is, if it is one. */
function routeOf(destination: string): string | undefined {
  return /^route:(.*)\.amount$/.exec(destination)?.[1];
}

/** Returns what a destination is called within a sentence. */
export function titleOf(destination: string): string {
  const known = workbench.catalogue?.destinations.find((at) => at.name === destination);
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
  const given = workbench.sheet?.lanes[route.destination]?.contributions[route.id];
  if (!given) return verbOf(route, route.polarity === 'bipolar');
  const [low, high] = extentOf(given);
  return verbOf(route, low < 0 && high > 0);
}

/** Returns the unit of the amounts of routes to a destination. */
export function amountUnit(destination: string): string {
  const { catalogue, patch } = workbench;
  const known = catalogue?.destinations.find((at) => at.name === destination);
  if (known) return known.amount_unit;
  const routeId = routeOf(destination);
  if (routeId) {
    const route = patch && routes(patch).find((r) => r.id === routeId);
    return route ? unitOf(route) : 'ratio';
  }
  const facts = parameterOf(destination);
  if (!facts) return 'ratio';
  return facts.law === 'octaves' ? 'oct' : facts.law === 'semitones' ? 'st' : (facts.unit ?? 'ratio');
}

/** Returns the unit of a route's own amount. */
export function unitOf(route: Route): string {
  return route.mode === 'scale' ? 'ratio' : (route.amount_unit ?? amountUnit(route.destination));
}

/** Returns the unit of what a route gives: a range gives the value itself. */
export function unitGiven(route: Route): string {
  return route.mode === 'range' ? valueUnit(route.destination) : unitOf(route);
}

/** Returns the unit of a destination's value. */
export function valueUnit(destination: string): string {
  const known = workbench.catalogue?.destinations.find((at) => at.name === destination);
  return known?.unit ?? parameterOf(destination)?.unit ?? amountUnit(destination);
}

/** Returns what moves the amount of a route, as the end of its sentence: "none of it at full velocity". */
export function amountSays(route: Route): string {
  const moving = workbench.patch ? routes(workbench.patch) : [];
  const said = moving
    .filter((other) => other.destination === `route:${route.id}.amount` && other.enabled !== false)
    .map((other) => {
      const source = other.source.replace('_', ' ');
      const played = workbench.signals.includes(other.source);
      if (!played || (other.mode ?? 'add') !== 'add') return `its amount moved by ${source}`;
      const full = Number(((route.amount ?? 0) + (other.amount ?? 0)).toPrecision(6));
      return `${Math.abs(full) < 1e-9 ? 'none of it' : shown(full, unitOf(route))} at full ${source}`;
    });
  return said.join(', ');
}

/** Returns what a new route on a destination begins with. */
export function firstRoute(destination: string): FirstRoute {
  const known = workbench.catalogue?.destinations.find((at) => at.name === destination);
  if (known) return { amount: known.first_amount, mode: known.first_mode };
  return { amount: parameterOf(destination)?.first_amount ?? 0.3, mode: 'add' };
}

/** Returns what the catalogue says of a module's parameter. */
function parameterOf(destination: string): FieldFacts | undefined {
  const [id, field] = destination.split('.');
  const module = workbench.patch && modules(workbench.patch).find((m) => m.id === id);
  return workbench.catalogue?.kinds.find((k) => k.kind === module?.kind)?.fields.find((f) => f.name === field);
}
