/** Everything that the hand does to the open patch, each one step under its name. */
import { api, asBody, unwrap, type Changed, type FieldFacts, type Patch, type Route } from '../api/api';
import { workbench } from './workbench.svelte';
import * as of from './document';
import { cut } from '../common/text';
import { messages } from './messages.svelte';
import { firstRoute, titleOf } from './wording';

/** Makes a change where a patch is open. */
function change(label: string, made: (patch: Patch) => Patch, merge = '', draft = false): void {
  if (workbench.patch) workbench.edit(label, made(workbench.patch), merge, draft);
}

/** Lets a source draw the numbers of another, or numbers of its own where none is named. */
export function joinStream(id: string, other: string): void {
  change(other ? `join ${id} with ${other}` : `numbers of its own for ${id}`, (patch) =>
    of.joinStream(patch, id, other)
  );
}

/** Gives each destination of a source one of its own. */
export function splitSource(id: string): void {
  const { catalogue } = workbench;
  if (catalogue) change(`a source for each of ${id}`, (patch) => of.splitSource(patch, id, catalogue));
}

/** Lays a source beside copies of itself that differ in one choice, each a stave. */
export function eachChoice(id: string, field: FieldFacts): void {
  const { patch, catalogue } = workbench;
  if (!patch || !catalogue) return;
  const [next, names] = of.eachChoice(patch, id, field, catalogue);
  workbench.edit(`every ${field.name} of ${id}`, next);
  for (const name of [id, ...names]) if (!workbench.pinned.includes(name)) workbench.pin(name);
}

/** Makes a change that adds something, and chooses it. */
function add(what: 'source' | 'route', label: (id: string) => string, made: (patch: Patch) => [Patch, string]): void {
  if (!workbench.patch) return;
  const [next, id] = made(workbench.patch);
  workbench.edit(label(id), next);
  workbench.chosen = { what, id };
}

/** Sets the test note; of a row of them all, see `withNote`. */
export function setNote(label: string, fields: of.NoteFields, merge = ''): void {
  change(label, (patch) => of.withNote(patch, fields), merge);
}

export function setBase(name: string, value: number, label: string, merge = ''): void {
  change(
    label,
    (patch) => ({ ...patch, voice: { ...patch.voice, base: { ...patch.voice?.base, [name]: value } } }),
    merge
  );
}

export function setField(id: string, field: string, value: unknown, label: string, merge = '', draft = false): void {
  change(label, (patch) => of.replaceModule(patch, id, { [field]: value }), merge, draft);
}

export function setRoute(id: string, fields: Partial<Route>, label: string, merge = ''): void {
  change(label, (patch) => of.replaceRoute(patch, id, fields), merge);
}

export function addSource(kind: string): void {
  const facts = workbench.catalogue?.kinds.find((k) => k.kind === kind);
  if (facts)
    add(
      'source',
      (id) => `add ${id}`,
      (patch) => of.addModule(patch, facts)
    );
}

export function duplicateSource(id: string): void {
  add(
    'source',
    () => `duplicate ${id}`,
    (patch) => of.duplicateModule(patch, id)
  );
}

export function addRoute(source: string, destination: string): void {
  add(
    'route',
    () => `${source} moves ${titleOf(destination)}`,
    (patch) => of.addRoute(patch, source, destination, firstRoute(destination))
  );
}

export function removeSource(id: string): void {
  const { catalogue } = workbench;
  if (catalogue) change(`remove ${id}`, (patch) => of.removeModule(patch, id, catalogue));
}

export function removeRoute(route: Route): void {
  const label = `remove ${route.source} from ${titleOf(route.destination)}`;
  change(label, (patch) => of.removeRoutes(patch, [route.id]));
}

/** Mutes every route of a source, or lets them all sound again. */
export function muteSource(id: string, enabled: boolean): void {
  change(`${enabled ? 'unmute' : 'mute'} ${id}`, (patch) => ({
    ...patch,
    routes: of.routes(patch).map((route) => (route.source === id ? { ...route, enabled } : route))
  }));
}

/** Gives a source's routes to another, all or those named, in one action. */
export function handOver(from: string, to: string, ids?: readonly string[]): void {
  change(`hand ${ids ? ids.length : 'all'} of ${from} over to ${to}`, (patch) => of.handOver(patch, from, to, ids));
}

export function invert(id: string): void {
  change(`turn ${id} over`, (patch) => of.inverted(patch, id));
}

/** Lets only some routes sound; or all of them again. */
export function solo(keep: ((route: Route) => boolean) | null, label: string): void {
  change(label, (patch) => of.soloed(patch, keep));
}

/** Gives the patch a wavetable of its own under a free name, used by oscillator 1, and returns the name. */
export function addTable(stem: string, frames: { cycles: string } | { frames: number[][][] }, replace = ''): string {
  const known = workbench.patch?.voice?.oscillators?.tables ?? [];
  const taken = [...Object.keys(workbench.catalogue?.tables ?? {}), ...known.map((own) => own.name)];
  const name = replace || of.freeId(stem.trim() || 'own', taken);
  const kept = replace ? known.filter((own) => own.name !== replace) : known.slice(1 - MAX_TABLES);
  change(`table ${name}`, (patch) => {
    const before = patch.voice?.oscillators;
    const oscillators = { ...before, osc1: { ...before?.osc1, table: name }, tables: [...kept, { name, ...frames }] };
    return { ...patch, voice: { ...patch.voice, oscillators } };
  });
  return name;
}

/** The model's limit: so many tables of its own a patch may have. */
const MAX_TABLES = 4;

/**
 * Adds the route that a sentence says, or changes the one that is there between the two and says so; throws with what
 * was not understood.
 */
export async function sayRoute(text: string): Promise<void> {
  const { id, patch: before } = workbench;
  const changed = await understood(text, (patch) => patch, false);
  if (!before || !changed?.before) return;
  const old = of.routes(before).find((route) => route.id === changed.route);
  const now = of.routes(changed.document as Patch).find((route) => route.id === changed.route);
  const plain = (route: Route | undefined): string => JSON.stringify(Object.entries(route ?? {}).sort());
  const same = plain(old) === plain(now);
  messages.say(same ? `It stands there already: ${changed.before}.` : `Changed. Before: ${changed.before}.`, false, {
    label: 'Add as a second route',
    run: () => void messages.attempt(() => addSecond(text, old, id))
  });
}

/** Adds the route that a sentence says beside another one, which is put back as it was, while its patch is open. */
async function addSecond(text: string, old: Route | undefined, id: string): Promise<void> {
  if (workbench.id !== id) return;
  await understood(text, (patch) => (old ? of.replaceWhole(patch, old) : patch), true);
}

/** Lets the server make a route of a sentence in the open patch, changed first by `from`; chooses the route. */
async function understood(text: string, from: (patch: Patch) => Patch, second: boolean): Promise<Changed | undefined> {
  let said: Changed | undefined;
  await workbench.work(cut(text, 60), async (patch) => {
    const body = { document: asBody(from(patch)), text, as_second: second };
    said = await unwrap(api.POST('/api/assist/sentence', { body }));
    return said;
  });
  if (said?.route) workbench.chosen = { what: 'route', id: said.route };
  return said;
}
