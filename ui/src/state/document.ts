/** Changes to a patch, as functions from one document to the next. None of them alters what it is given. */
import { cut } from '../common/text';
import type { Catalogue, FieldFacts, KindFacts, Module, Patch, Route } from '../api/api';

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

/** Returns the patch with a route as it was before: in place of the one of its id. */
export function replaceWhole(patch: Patch, route: Route): Patch {
  return { ...patch, routes: routes(patch).map((one) => (one.id === route.id ? route : one)) };
}

/** Returns the first of `stem`, `stem 2`, `stem 3`, ... that is not taken. */
export function freeId(stem: string, takenIds: readonly string[]): string {
  for (let n = 1; ; n++) {
    const id = n === 1 ? stem : `${stem} ${n}`;
    if (!takenIds.includes(id)) return id;
  }
}

/** Returns the name of the stream that a source of chance draws from. */
export function streamOf(module: Module): string {
  return String((module as { stream?: string | number | null }).stream ?? module.id);
}

/** Returns the names that a new source cannot have: those of sources, and of the streams that they draw from. */
function takenNames(patch: Patch): string[] {
  return modules(patch).flatMap((module) => [module.id, streamOf(module)]);
}

/** Returns the sources that a control lane plays, each with the lane's name. */
export function playedModules(patch: Patch, catalogue: Catalogue): [string, Module][] {
  const prefix = Object.fromEntries(catalogue.kinds.map((facts) => [facts.kind, facts.lane]));
  return modules(patch).flatMap((module): [string, Module][] =>
    prefix[module.kind] ? [[`${prefix[module.kind]}${module.id}`, module]] : []
  );
}

/** Returns the name that a source was given, or its id where it has none of its own. */
export const shownName = (module: Module): string => ('name' in module && module.name) || module.id;

/** Returns true where a field applies, given the values of the other fields of its part. */
export const applies = (field: FieldFacts, values: object, fields: readonly FieldFacts[]): boolean =>
  Object.entries(field.only_for ?? {}).every(([name, some]) => {
    const value = (values as Record<string, unknown>)[name] ?? fields.find((one) => one.name === name)?.default;
    return some.includes(String(value));
  });

export function addModule(patch: Patch, kind: KindFacts): [Patch, string] {
  const id = freeId(kind.title.toLowerCase(), takenNames(patch));
  return [{ ...patch, modules: [...modules(patch), { id, kind: kind.kind } as Module] }, id];
}

/** What a new route begins with; the catalogue has it of each destination. */
export interface FirstRoute {
  amount: number;
  mode: 'add' | 'scale';
}

export function addRoute(patch: Patch, source: string, destination: string, first: FirstRoute): [Patch, string] {
  const takenIds = routes(patch).map((route) => route.id);
  const id = freeId(`${source} to ${destination.replace('.', ' ').replace(':', ' ')}`, takenIds);
  // What moves how far a route goes begins by taking it all away: full velocity, and the movement is gone.
  const moved = routes(patch).find((route) => `route:${route.id}.amount` === destination);
  const amount = moved ? -(moved.amount ?? 0) : first.amount;
  const route: Route = { id, source, destination, amount, mode: first.mode };
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
    ...(without.useful_ranges
      ? { useful_ranges: ranges(without.useful_ranges, (name) => (name === id ? '' : name)) }
      : {}),
    voice: without.voice?.signal === id ? { ...without.voice, signal: null } : without.voice,
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
    ...(patch.useful_ranges ? { useful_ranges: ranges(patch.useful_ranges, name) } : {}),
    voice: patch.voice?.signal === from ? { ...patch.voice, signal: to } : patch.voice,
    performance: renamed ? { ...patch.performance, controls: Object.fromEntries(renamed) } : patch.performance,
    modules: modules(patch).map((module) => ({
      ...changeInputs(module, catalogue, name),
      ...(module.id === from ? { ...ownStream(module, catalogue), id: to } : {}),
      // A macro that is renamed is shown under its new id, not under a name that it was given before.
      ...(module.id === from && 'name' in module && module.name ? { name: '' } : {})
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

/** Returns useful ranges under what the sources that they are of are called now; those of what has no name are left out. */
function ranges(
  of: NonNullable<Patch['useful_ranges']>,
  named: (module: string) => string
): NonNullable<Patch['useful_ranges']> {
  const found = Object.entries(of).map(([name, ends]) => {
    const [, macro] = /^macro:(.*)$/.exec(name) ?? [];
    const [, module, field] = /^([^.:]+)\.(.*)$/.exec(name) ?? [];
    const now = named(macro ?? module ?? '');
    if (macro === undefined && module === undefined) return [[name, ends] as const];
    return now ? [[macro !== undefined ? `macro:${now}` : `${now}.${field}`, ends] as const] : [];
  });
  return Object.fromEntries(found.flat());
}

/** Returns the stream that a source of chance drew from by its name, written down, so that its numbers stay. */
function ownStream(module: Module, catalogue: Catalogue): { stream?: string } {
  return draws(module, catalogue) && (module as { stream?: unknown }).stream == null ? { stream: module.id } : {};
}

/** Tells whether a source draws random numbers. */
export function draws(module: Module, catalogue: Catalogue): boolean {
  const fields = catalogue.kinds.find((kind) => kind.kind === module.kind)?.fields ?? [];
  return fields.some((field) => field.role === 'stream');
}

/** Returns what makes a copy draw the numbers of the source that it is a copy of, on purpose. */
function joinedTo(module: Module, catalogue: Catalogue): { stream?: string; joined?: true } {
  return draws(module, catalogue) ? { stream: streamOf(module), joined: true } : {};
}

/** Returns the patch with a source that draws the numbers of another, or numbers of its own where none is named. */
export function joinStream(patch: Patch, id: string, other: string): Patch {
  const of = modules(patch).find((module) => module.id === other);
  if (of) return replaceModule(patch, id, { stream: streamOf(of), joined: true });
  const taken = modules(patch).flatMap((module) => (module.id === id ? [] : [streamOf(module)]));
  return replaceModule(patch, id, { stream: freeId(id, taken), joined: undefined });
}

/** Returns a copy of a source under another name, which draws numbers of its own. */
function copyOf(module: Module, id: string): Module {
  const copy: Record<string, unknown> = { ...module, id };
  delete copy['stream'];
  delete copy['joined'];
  return copy as unknown as Module;
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

export interface NoteFields {
  key?: number;
  velocity?: number;
  length_s?: number;
}

/**
 * Returns the patch at another test note. Of a row the key moves all, so that the first has it and the others stay as
 * far from it as they are; velocity and length are every note's. The core does the same wherever it is asked.
 */
export function withNote(patch: Patch, { key, ...others }: NoteFields): Patch {
  const notes = patch.performance?.notes ?? [{}];
  const apart = key === undefined ? 0 : key - (notes[0]?.key ?? 60);
  const moved = notes.map((note) => ({
    ...note,
    ...(key === undefined ? {} : { key: (note.key ?? 60) + apart }),
    ...others
  }));
  return { ...patch, performance: { ...patch.performance, notes: moved } };
}

export function fieldValue(module: Module, field: FieldFacts): unknown {
  return (module as unknown as Record<string, unknown>)[field.name] ?? field.default;
}

/** Returns a route said as a sentence, for a screen reader and a tooltip. */
export function sentence(route: Route, amount: string, destination: string, verb: string): string {
  const via = route.via ? `, scaled by ${route.via.replace('_', ' ')}` : '';
  return `${route.source} ${verb.replace('it', destination)} ${route.mode === 'range' ? 'over a range' : amount}${via}`;
}

/** Returns the sign of a route's amount, which its verb says, so that the figure beside it is positive. */
export function directionOf(route: Route): 1 | -1 {
  return (route.amount ?? 0) < 0 ? -1 : 1;
}

/** Returns the verb of a route's sentence; a source that swings both ways neither raises nor lowers. */
export function verbOf(route: Route, swings: boolean): string {
  if (route.mode === 'scale') return 'scales it';
  if (route.mode === 'range') return 'sets it';
  const down = directionOf(route) < 0;
  if (swings) return down ? 'moves it ∓' : 'moves it ±';
  return down ? 'lowers it' : 'raises it';
}

/**
 * Returns the patch with a source of its own for each destination that one source moves, all alike: what is changed of
 * one then changes one destination only. A source of chance keeps drawing the same numbers.
 */
export function splitSource(patch: Patch, id: string, catalogue: Catalogue): Patch {
  const module = modules(patch).find((one) => one.id === id);
  const mine = routes(patch).filter((route) => route.source === id);
  const [, ...others] = [...new Set(mine.map((route) => route.destination))];
  if (!module) return patch;
  const copies: Record<string, Module> = {};
  const taken = modules(patch).map((one) => one.id);
  for (const destination of others) {
    const name = freeId(cut(`${id} ${destination.replace(/[.:]/g, ' ')}`, 60), taken);
    taken.push(name);
    copies[destination] = { ...module, ...joinedTo(module, catalogue), id: name } as Module;
  }
  const given = routes(patch).map((route) => {
    const copy = route.source === id ? copies[route.destination] : undefined;
    return copy ? { ...route, source: copy.id } : route;
  });
  return withCopies({ ...patch, routes: given }, id, Object.values(copies));
}

/** Returns the patch with copies beside a source; what moves it moves them too, so that they stay alike. */
function withCopies(patch: Patch, id: string, copies: readonly Module[]): Patch {
  const given = [...routes(patch)];
  const names = given.map((route) => route.id);
  for (const route of routes(patch).filter((one) => one.destination.startsWith(`${id}.`))) {
    for (const copy of copies) {
      const name = freeId(cut(`${route.id} ${copy.id}`, 60), names);
      names.push(name);
      given.push({ ...route, id: name, destination: copy.id + route.destination.slice(id.length) });
    }
  }
  const beside = modules(patch).flatMap((one) => (one.id === id ? [one, ...copies] : [one]));
  return { ...patch, modules: beside, routes: given };
}

/**
 * Returns the patch with a copy of a source for every other choice of one of its fields (each kind of a random source,
 * each response of a filter), and their names. All draw from one stream, so that only the choice tells them apart.
 */
export function eachChoice(patch: Patch, id: string, field: FieldFacts, catalogue: Catalogue): [Patch, string[]] {
  const module = modules(patch).find((one) => one.id === id);
  if (!module) return [patch, []];
  const taken = modules(patch).map((one) => one.id);
  const drawn = ((module as { points?: unknown[] }).points ?? []).length > 1;
  const others = (field.choices ?? []).filter(
    (choice) => choice !== fieldValue(module, field) && (drawn || choice !== 'drawn')
  );
  const copies = others.map((choice) => {
    const name = freeId(cut(`${id} ${String(choice).replaceAll('_', ' ')}`, 60), taken);
    taken.push(name);
    return { ...module, ...joinedTo(module, catalogue), [field.name]: choice, id: name } as Module;
  });
  return [withCopies(patch, id, copies), copies.map((copy) => copy.id)];
}

/** Returns the patch with routes of one source given to another: those named, or all of them. */
export function handOver(patch: Patch, from: string, to: string, ids?: readonly string[]): Patch {
  return {
    ...patch,
    routes: routes(patch).map((route) =>
      route.source === from && (!ids || ids.includes(route.id)) ? { ...route, source: to } : route
    )
  };
}

/** Returns the patch with a source twice, and each of its routes; and the copy's name. */
export function duplicateModule(patch: Patch, id: string): [Patch, string] {
  const original = modules(patch).find((module) => module.id === id);
  if (!original) return [patch, id];
  const name = freeId(id.replace(/ \d+$/, ''), takenNames(patch));
  const all = routes(patch);
  const read = all.flatMap((route) => [route.source, route.via ?? '']);
  return pasted(patch, { module: copyOf(original, name), routes: all.filter((r) => r.source === id) }, read);
}

/** A source with its routes, or routes alone, as the clipboard holds them. */
export interface Clip {
  module?: Module;
  routes: Route[];
}

/** Returns the patch with a clip added under free names; what its routes cannot reach is left out. `signals` are played. */
export function pasted(patch: Patch, clip: Clip, signals: readonly string[]): [Patch, string] {
  let next = patch;
  let name = '';
  if (clip.module) {
    name = freeId(clip.module.id, takenNames(patch));
    next = { ...patch, modules: [...modules(patch), copyOf(clip.module, name)] };
  }
  const reach = (at: string): boolean =>
    at.startsWith('route:')
      ? routes(next).some((route) => `route:${route.id}.amount` === at)
      : !at.includes('.') || modules(next).some((module) => at.startsWith(`${module.id}.`));
  const known = (signal: string): boolean =>
    modules(next).some((m) => m.id === signal) || signals.includes(signal) || signal.startsWith('hit:');
  for (const route of clip.routes) {
    const source = clip.module ? name : route.source;
    if (!reach(route.destination) || !known(source)) continue;
    const id = freeId(
      cut(`${source} to ${route.destination.replace('.', ' ').replace(':', ' ')}`, 60),
      routes(next).map((r) => r.id)
    );
    const via = route.via && known(route.via) ? route.via : null;
    next = { ...next, routes: [...routes(next), { ...route, id, source, ...(route.via ? { via } : {}) }] };
  }
  return [next, name];
}

/** Returns the patch with a route turned over: what raised now lowers, a range runs the other way. */
export function inverted(patch: Patch, id: string): Patch {
  return {
    ...patch,
    routes: routes(patch).map((route) => {
      if (route.id !== id) return route;
      if (route.mode === 'range') return { ...route, low: route.high, high: route.low };
      return { ...route, amount: -(route.amount ?? 0) };
    })
  };
}

/** Returns the patch with only some routes on, or with all of them on again. */
export function soloed(patch: Patch, keep: ((route: Route) => boolean) | null): Patch {
  return { ...patch, routes: routes(patch).map((route) => ({ ...route, enabled: keep ? keep(route) : true })) };
}

/** Returns the patch with one source, and its routes, as they were in an older version; or with one route. */
/** A part of a patch that can be taken over from another: a source with its routes, a route, a stave, or the voice. */
export interface Part {
  source?: string;
  route?: string;
  stave?: string;
  voice?: true;
}

export function restoredFrom(patch: Patch, older: Patch, what: Part): Patch {
  if (what.voice) {
    // All of what makes the sound and nothing moves; where destinations stand belongs to their staves.
    const base = patch.voice?.base;
    return { ...patch, voice: { ...older.voice, ...(base ? { base } : {}) } };
  }
  if (what.stave) {
    const { [what.stave]: _, ...base } = patch.voice?.base ?? {};
    const set = older.voice?.base?.[what.stave];
    const known = new Set(modules(patch).map((module) => module.id));
    const played = (source: string): boolean => known.has(source) || !modules(older).some((m) => m.id === source);
    const left = routes(patch).filter((route) => route.destination !== what.stave);
    const back = routes(older).filter((route) => route.destination === what.stave && played(route.source));
    const kept = left.filter((route) => !back.some((one) => one.id === route.id));
    const voice = { ...patch.voice, base: set === undefined ? base : { ...base, [what.stave]: set } };
    return { ...patch, voice, routes: [...kept, ...back] };
  }
  if (what.route) {
    const old = routes(older).find((route) => route.id === what.route);
    if (!old) return patch;
    const here = routes(patch).some((route) => route.id === old.id);
    return {
      ...patch,
      routes: here ? routes(patch).map((route) => (route.id === old.id ? old : route)) : [...routes(patch), old]
    };
  }
  const old = modules(older).find((module) => module.id === what.source);
  if (!old) return patch;
  const here = modules(patch).some((module) => module.id === old.id);
  const back: Patch = {
    ...patch,
    modules: here ? modules(patch).map((m) => (m.id === old.id ? old : m)) : [...modules(patch), old]
  };
  return routes(older)
    .filter((route) => route.source === old.id)
    .reduce((next, route) => restoredFrom(next, older, { route: route.id }), back);
}
