/** What is done with whole patches: new, open, save, duplicate, delete, and back to a revision. */
import { api, asBody, unwrap, type Head, type Kept, type Patch, type Revision } from '../api/api';
import type { components } from '../api/schema.gen';
import { enter } from './logging';
import { messages } from './messages.svelte';
import { keptOf, workbench } from './workbench.svelte';
import { restoredFrom, type Part } from './document';
import { titleOf } from './wording';
import { readPatch } from './files';
import { cut } from '../common/text';
import { freshId } from '../session/window';

const EMPTY: Patch = {
  format: 'jorvik-patch',
  version: 1,
  name: 'Untitled',
  performance: { tempo_bpm: 96, notes: [{ key: 48, velocity: 80, start_s: 0, length_s: 1 }], tail_s: 0.5, seed: 1 },
  // Enough in the tone to be filtered: what moves the cutoff or the position is heard at once.
  voice: { base: { cutoff: 1000, wavetable_position: 0.7 } }
};

/** The tag of a patch that others begin with; whoever gives it to one of their own adds to them. */
export const TEMPLATE = 'template';

export async function keepNew(patch: Patch, parent?: string, reason = ''): Promise<Kept> {
  const of = parent ? { parent, reason: cut(reason, 400) } : { reason: '' };
  const kept = await unwrap(api.POST('/api/patches', { body: { document: asBody(patch), write: freshId(), ...of } }));
  await workbench.refreshHeads();
  return kept;
}

export async function newPatch(): Promise<void> {
  await workbench.bring(() => keepNew(EMPTY));
}

/** Begins a patch whose tone is a recorded sound: as it was, to be filtered and moved again. */
export async function newFromRecording(recording: Record<string, unknown>, seconds: number): Promise<void> {
  const key = Number(recording['key'] ?? 60);
  const length_s = Number(Math.max(0.1, seconds).toFixed(3));
  const patch: Patch = {
    ...EMPTY,
    name: cut(`${String(recording['name'] ?? 'Printed')}, again`, 120),
    performance: { ...EMPTY.performance, notes: [{ key, velocity: 96, start_s: 0, length_s }], tail_s: 0.2 },
    voice: {
      base: { osc1_level: 0, recording_level: 1, cutoff: 20_000 },
      oscillators: { recording: recording as NonNullable<NonNullable<Patch['voice']>['oscillators']>['recording'] }
    }
  };
  await workbench.bring(() => keepNew(patch));
}

/** Begins a patch with what a template is. */
export async function startFrom(id: string): Promise<void> {
  await workbench.bring(async () => {
    const patch = await patchOf(id);
    const tags = (patch.tags ?? []).filter((tag) => tag !== TEMPLATE);
    return keepNew({ ...patch, name: 'Untitled', notes: '', tags });
  });
}

/** Lets others begin with the open patch, or no more. */
export function setTemplate(is: boolean): void {
  const { patch } = workbench;
  if (!patch) return;
  const tags = (patch.tags ?? []).filter((tag) => tag !== TEMPLATE);
  workbench.edit(is ? 'a template' : 'no template', { ...patch, tags: is ? [...tags, TEMPLATE] : tags });
}

export async function openFile(file: File): Promise<void> {
  await workbench.bring(async () => keepNew(await readPatch(file)));
  messages.say(`${file.name} was read and kept as a new patch.`);
}

export async function duplicate(): Promise<void> {
  await workbench.bring(() => {
    const patch = workbench.patch ?? EMPTY;
    return keepNew({ ...patch, name: cut(`${patch.name ?? 'Untitled'} copy`, 120) });
  });
}

export async function save(name = ''): Promise<void> {
  await workbench.rested();
  const { head, state } = workbench.drafts;
  if (!name.trim() && state === 'kept' && head && !head.unsaved) {
    messages.say(`Nothing has changed since version ${head.saved_number}.`);
    return;
  }
  const kept = await workbench.drafts.save(cut(name.trim(), 200) || 'saved');
  messages.say(`Saved as version ${kept.saved_number}${name.trim() ? `, ${name.trim()}` : ''}.`);
  await workbench.refreshHeads();
}

export async function remove(id: string, name: string): Promise<void> {
  await unwrap(api.DELETE('/api/patches/{document_id}', { params: { path: { document_id: id } } }));
  await workbench.refreshHeads();
  messages.say(`${name} was deleted.`, false, { label: 'Undo', run: () => void messages.attempt(() => bringBack(id)) });
  if (workbench.drafts.head?.id === id) {
    const next = workbench.heads[0];
    if (next) await workbench.open(next.id);
    else await newPatch();
  }
}

async function bringBack(id: string): Promise<void> {
  await workbench.bring(async () => {
    const path = { document_id: id };
    const kept = await unwrap(api.POST('/api/patches/{document_id}/undelete', { params: { path } }));
    await workbench.refreshHeads();
    return kept;
  });
}

/** Returns a patch as it stands, by its id. */
export async function patchOf(id: string): Promise<Patch> {
  return (await keptOf(id)).document as unknown as Patch;
}

/** Keeps a patch as a variant of the present one, which stays on the sheet. */
export async function keepVariant(patch: Patch, label: string, reason = ''): Promise<void> {
  await workbench.rested();
  const name = cut(`${workbench.patch?.name ?? 'Untitled'}, ${label}`, 120);
  const { head } = workbench.drafts;
  const kept = await keepNew({ ...patch, name }, head?.id, reason);
  // What is other in it than when the patch was saved last.
  const saved = head ? await revisionPatch(head.saved_number, head.id) : patch;
  const title = cut(`kept as ${kept.name}${reason ? `: ${reason}` : ''}`, 400);
  enter('variant', title, kept.id, asBody(saved), asBody(patch));
  messages.say(`Kept as ${kept.name}.`, false, {
    label: 'Open it',
    run: () => void messages.attempt(async () => void (await workbench.open(kept.id)))
  });
}

/** Returns what the open patch is a variant of, and all its variants, each after what it is of. */
export async function family(): Promise<Head[]> {
  const id = workbench.drafts.head?.id;
  return id ? unwrap(api.GET('/api/patches/{document_id}/family', { params: { path: { document_id: id } } })) : [];
}

/** Lets a variant be a patch of its own. */
export async function promote(id: string): Promise<void> {
  await unwrap(api.POST('/api/patches/{document_id}/promote', { params: { path: { document_id: id } } }));
}

export type PatchLevel = components['schemas']['PatchLevel'];

/** Returns how loud some patches are, and the gains that make them as loud as the quietest. */
export async function levelsOf(ids: string[]): Promise<PatchLevel[]> {
  await workbench.rested();
  const { phrase } = workbench.performed;
  return unwrap(api.POST('/api/library/levels', { body: { ids, ...(phrase ? { phrase } : {}) } }));
}

/** Writes gains in dB into patches, by their ids, and returns how many were changed. */
export async function writeGains(gains: Record<string, number>): Promise<number> {
  await workbench.rested();
  const { changed } = await unwrap(api.POST('/api/library/levels/write', { body: { gains } }));
  if (changed.includes(workbench.id)) await workbench.reread();
  return changed.length;
}

/** Returns what changed from one patch to another, in words and in figures. */
export async function whatChanged(before: Patch, after: Patch): Promise<string[]> {
  const body = { before: asBody(before), after: asBody(after), figures: true };
  const { changes, figures } = await unwrap(api.POST('/api/changes', { body }));
  return [...changes, ...figures].map((one) => one.sentence);
}

export async function revisions(): Promise<Revision[]> {
  const id = workbench.drafts.head?.id;
  return id ? unwrap(api.GET('/api/patches/{document_id}/revisions', { params: { path: { document_id: id } } })) : [];
}

export async function revisionPatch(number: number, id = workbench.id): Promise<Patch> {
  const path = { document_id: id, number };
  const found = await unwrap(api.GET('/api/patches/{document_id}/revisions/{number}', { params: { path } }));
  return found as unknown as Patch;
}

/** Puts a revision on the sheet as one more change, which can be undone; nothing that was kept is lost. */
export async function restore(number: number): Promise<void> {
  await workbench.work(`back to version ${number}`, async () => ({ document: await revisionPatch(number) }));
}

/** Brings one source with its routes, or one route, back as it was in an older version. */
export async function restorePart(number: number, what: Part): Promise<void> {
  await takeOver(() => revisionPatch(number), what, `version ${number}`);
}

/** Takes one part over from another patch, or as the same one was. */
export function takeOver(from: () => Promise<Patch>, what: Part, called: string): Promise<void> {
  return workbench.work(`${partName(what)} as in ${called}`, async (patch) => ({
    document: restoredFrom(patch, await from(), what)
  }));
}

/** What is chosen on the sheet, where it is a part that can be taken over. */
export function chosenPart(): Part | null {
  const { what, id } = workbench.chosen;
  if (what === 'source') return { source: id };
  if (what === 'route') return { route: id };
  if (what === 'stave' && !/[.:]/.test(id)) return { stave: id };
  return what === 'patch' ? { voice: true } : null;
}

/** Returns what a part is called. */
export function partName(part: Part): string {
  return part.source ?? part.route ?? (part.stave ? titleOf(part.stave) : 'the voice');
}
