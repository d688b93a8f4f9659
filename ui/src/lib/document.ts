/** Changes to a patch, as functions from one document to the next. None of them alters what it is given. */
import type { Catalogue, FieldFacts, KindFacts, Module, Patch, Route } from './api';

export const DYES = ['madder', 'weld', 'woad', 'lichen', 'walnut'] as const;
export const DASHES: readonly (readonly number[])[] = [[], [7, 4], [2, 3], [9, 3, 2, 3], [12, 4]];

export interface Dye {
  colour: string;
  dash: readonly number[];
}

export const modules = (patch: Patch): Module[] => patch.modules ?? [];
export const routes = (patch: Patch): Route[] => patch.routes ?? [];

/** Returns the colour and the pattern that mean a source: both, so that neither is needed alone. */
export function dyeOf(patch: Patch, source: string): Dye {
  const index = modules(patch).findIndex((module) => module.id === source);
  if (index < 0) return { colour: 'faint', dash: [1, 3] };
  return { colour: DYES[index % DYES.length]!, dash: DASHES[(index + Math.floor(index / 5)) % DASHES.length]! };
}

export function replaceModule(patch: Patch, id: string, fields: Record<string, unknown>): Patch {
  const changed = modules(patch).map((module) => (module.id === id ? ({ ...module, ...fields } as Module) : module));
  return { ...patch, modules: changed };
}

export function replaceRoute(patch: Patch, id: string, fields: Partial<Route>): Patch {
  return { ...patch, routes: routes(patch).map((route) => (route.id === id ? { ...route, ...fields } : route)) };
}

/** Returns the first of `stem`, `stem 2`, `stem 3`, ... that is not taken. */
export function freeId(stem: string, takenIds: readonly string[]): string {
  for (let n = 1; ; n++) {
    const id = n === 1 ? stem : `${stem} ${n}`;
    if (!takenIds.includes(id)) return id;
  }
}

export function addModule(patch: Patch, kind: KindFacts): [Patch, string] {
  const taken = modules(patch).map((module) => module.id);
  const id = freeId(kind.title.toLowerCase(), taken);
  return [{ ...patch, modules: [...modules(patch), { id, kind: kind.kind } as Module] }, id];
}

/** Amounts that a new route starts with: enough to be seen and heard, little enough not to startle. */
const FIRST_AMOUNT: Record<string, number> = { st: 7, oct: 1, s: 0.05, dB: 6, cents: 10, rad: 1 };

export function addRoute(patch: Patch, source: string, destination: string, unit: string): [Patch, string] {
  const takenIds = routes(patch).map((route) => route.id);
  const id = freeId(`${source} to ${destination.replace('.', ' ').replace(':', ' ')}`, takenIds);
  const scales = destination === 'amplitude';
  const amount = scales ? 1 : destination === 'pitch' ? 0.5 : (FIRST_AMOUNT[unit] ?? 0.3);
  const route: Route = { id, source, destination, amount, mode: scales ? 'scale' : 'add' };
  return [{ ...patch, routes: [...routes(patch), route] }, id];
}

/** Returns the patch without some routes, nor what moved their amounts. */
export function removeRoutes(patch: Patch, ids: readonly string[]): Patch {
  const moved = ids.map((id) => `route:${id}.amount`);
  const gone = routes(patch).filter((route) => ids.includes(route.id) || moved.includes(route.destination));
  const left = routes(patch).filter((route) => !gone.includes(route));
  const next = { ...patch, routes: left };
  return gone.length > ids.length
    ? removeRoutes(
        next,
        gone.map((route) => route.id)
      )
    : next;
}

/** Returns the patch without a source: its routes go with it, and inputs that read it read 0. */
export function removeModule(patch: Patch, id: string, catalogue: Catalogue): Patch {
  const lost = routes(patch).filter((route) => route.source === id || route.destination.startsWith(`${id}.`));
  const without = removeRoutes(
    patch,
    lost.map((route) => route.id)
  );
  const controls = { ...without.performance?.controls };
  delete controls[`macro:${id}`];
  return {
    ...without,
    performance: without.performance?.controls ? { ...without.performance, controls } : without.performance,
    modules: modules(without)
      .filter((module) => module.id !== id)
      .map((module) => changeInputs(module, catalogue, (name) => (name === id ? 0 : name))),
    routes: routes(without).map((route) => (route.via === id ? { ...route, via: null } : route))
  };
}

/** Returns the patch with a source under another name, everywhere that it is spoken of. */
export function renameModule(patch: Patch, from: string, to: string, catalogue: Catalogue): Patch {
  const name = (value: string): string => (value === from ? to : value);
  const controls = patch.performance?.controls;
  const renamed = controls && Object.entries(controls).map(([k, v]) => [k === `macro:${from}` ? `macro:${to}` : k, v]);
  return {
    ...patch,
    performance: renamed ? { ...patch.performance, controls: Object.fromEntries(renamed) } : patch.performance,
    modules: modules(patch).map((module) => ({
      ...changeInputs(module, catalogue, name),
      id: name(module.id)
    })) as Module[],
    routes: routes(patch).map((route) => ({
      ...route,
      source: name(route.source),
      via: route.via ? name(route.via) : route.via,
      destination: route.destination.startsWith(`${from}.`)
        ? to + route.destination.slice(from.length)
        : route.destination
    }))
  };
}

function changeInputs(module: Module, catalogue: Catalogue, change: (name: string) => string | number): Module {
  const facts = catalogue.kinds.find((kind) => kind.kind === module.kind)?.fields ?? [];
  const next: Record<string, unknown> = { ...module };
  for (const field of facts) {
    const value = next[field.name];
    if (field.role === 'signal' && typeof value === 'string') next[field.name] = change(value);
    if (field.role === 'mix_inputs' && Array.isArray(value)) {
      next[field.name] = (value as { source?: string | number }[]).map((input) =>
        typeof input.source === 'string' ? { ...input, source: change(input.source) } : input
      );
    }
  }
  return next as Module;
}

export function fieldValue(module: Module, field: FieldFacts): unknown {
  return (module as unknown as Record<string, unknown>)[field.name] ?? field.default;
}

/** Returns a route said as a sentence, for a screen reader and a tooltip. */
export function sentence(route: Route, amount: string, destination: string, verb: string): string {
  const via = route.via ? `, scaled by ${route.via.replace('_', ' ')}` : '';
  return `${route.source} ${verb.replace('it', destination)} ${route.mode === 'range' ? 'over a range' : amount}${via}`;
}

/** Returns the verb of a route's sentence; a source that swings both ways neither raises nor lowers. */
export function verbOf(route: Route, swings: boolean): string {
  if (route.mode === 'scale') return 'scales it';
  if (route.mode === 'range') return 'sets it';
  if (swings) return 'moves it ±';
  return (route.amount ?? 0) < 0 ? 'lowers it' : 'raises it';
}
