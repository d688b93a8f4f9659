/** What destinations and routes are called, in the words of the sheet. */
import type { FieldFacts, Route } from '../api/api';
import { workbench } from './workbench.svelte';
import { modules, routes, verbOf, type FirstRoute } from './document';
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

/** Tells whether a signal goes to both sides of 0 by its kind, whatever it does in this note. */
function swings(signal: string): boolean {
  return workbench.sheet?.signals[signal]?.swings ?? ['key', 'note_random', 'pitch_bend'].includes(signal);
}

/** Returns the verb of a route's sentence. */
export function verbFor(route: Route): string {
  const asItIs = (route.polarity ?? 'as_is') === 'as_is';
  return verbOf(route, asItIs ? swings(route.source) : route.polarity === 'bipolar');
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
  const onto = (workbench.patch ? routes(workbench.patch) : []).filter(
    (other) => other.destination === `route:${route.id}.amount` && other.enabled !== false
  );
  const sources = [...new Set(onto.map((other) => other.source))];
  return sources.map((source) => amountAtFull(route, source, onto)).join(', ');
}

/** Returns what is left of a route's amount at full `source`: all routes that move it from there count together. */
function amountAtFull(route: Route, source: string, onto: readonly Route[]): string {
  const mine = onto.filter((other) => other.source === source);
  const name = source.replace('_', ' ');
  if (!workbench.signals.includes(source) || mine.some((other) => (other.mode ?? 'add') !== 'add'))
    return `its amount moved by ${name}`;
  const moved = mine.reduce((sum, other) => sum + (other.amount ?? 0), route.amount ?? 0);
  const full = Number(moved.toPrecision(6));
  return `${Math.abs(full) < 1e-9 ? 'none of it' : shown(full, unitOf(route))} at full ${name}`;
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
