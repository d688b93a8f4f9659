/** What is done with whole patches: new, open, save, duplicate, delete, and back to a revision. */
import { api, plain, taken, type Kept, type Patch, type Revision } from './api';
import { messages } from './messages.svelte';
import { bench } from './bench.svelte';
import { restoredFrom } from './document';
import { readPatch } from './files';
import { cut } from './text';
import { freshId } from './window';

const EMPTY: Patch = {
  format: 'jorvik-patch',
  version: 1,
  name: 'Untitled',
  performance: { tempo_bpm: 96, notes: [{ key: 48, velocity: 80, start_s: 0, length_s: 1 }], tail_s: 0.5, seed: 1 },
  voice: { base: { cutoff: 1000 } }
};

async function keepNew(patch: Patch): Promise<Kept> {
  const kept = await taken(api.POST('/api/patches', { body: { document: plain(patch), write: freshId() } }));
  await bench.refreshHeads();
  return kept;
}

export async function newPatch(): Promise<void> {
  await bench.settled();
  await bench.keeper.flush();
  await bench.show(await keepNew(EMPTY));
}

export async function openFile(file: File): Promise<void> {
  const patch = await readPatch(file);
  await bench.settled();
  await bench.keeper.flush();
  await bench.show(await keepNew(patch));
  messages.say(`${file.name} was read and kept as a new patch.`);
}

export async function duplicate(): Promise<void> {
  if (!bench.patch) return;
  await bench.settled();
  await bench.keeper.flush();
  const name = cut(`${bench.patch.name ?? 'Untitled'} copy`, 120);
  await bench.show(await keepNew({ ...bench.patch, name }));
}

export async function save(name = ''): Promise<void> {
  await bench.settled();
  const kept = await bench.keeper.save(cut(name.trim(), 200) || 'saved');
  messages.say(`Saved as version ${kept.saved_number}${name.trim() ? `, ${name.trim()}` : ''}.`);
  await bench.refreshHeads();
}

export async function remove(id: string, name: string): Promise<void> {
  await taken(api.DELETE('/api/patches/{patch_id}', { params: { path: { patch_id: id } } }));
  await bench.refreshHeads();
  messages.say(`${name} was deleted.`, false, { label: 'Undo', run: () => void messages.attempt(() => bringBack(id)) });
  if (bench.keeper.head?.id === id) {
    const next = bench.heads[0];
    if (next) await bench.open(next.id);
    else await newPatch();
  }
}

async function bringBack(id: string): Promise<void> {
  const kept = await taken(api.POST('/api/patches/{patch_id}/undelete', { params: { path: { patch_id: id } } }));
  await bench.refreshHeads();
  await bench.show(kept);
}

/** Returns a patch as it stands, by its id. */
export async function patchOf(id: string): Promise<Patch> {
  const found = await taken(api.GET('/api/patches/{patch_id}', { params: { path: { patch_id: id } } }));
  return found.document as unknown as Patch;
}

/** Keeps a patch as a variant of the present one, which stays on the sheet. */
export async function keepVariant(patch: Patch, label: string): Promise<void> {
  const kept = await keepNew({ ...patch, name: cut(`${bench.patch?.name ?? 'Untitled'}, ${label}`, 120) });
  messages.say(`Kept as ${kept.name}.`, false, {
    label: 'Open it',
    run: () => void messages.attempt(() => bench.open(kept.id))
  });
}

export async function revisions(): Promise<Revision[]> {
  const id = bench.keeper.head?.id;
  return id ? taken(api.GET('/api/patches/{patch_id}/revisions', { params: { path: { patch_id: id } } })) : [];
}

export async function revisionPatch(number: number): Promise<Patch> {
  const path = { patch_id: bench.keeper.head?.id ?? '', number };
  const found = await taken(api.GET('/api/patches/{patch_id}/revisions/{number}', { params: { path } }));
  return found as unknown as Patch;
}

/** Puts a revision on the sheet as one more change, which can be undone; nothing that was kept is lost. */
export async function restore(number: number): Promise<void> {
  bench.edit(`back to version ${number}`, await revisionPatch(number));
}

/** Brings one source with its routes, or one route, back as it was in an older version. */
export async function restorePart(number: number, what: { source?: string; route?: string }): Promise<void> {
  if (!bench.patch) return;
  const next = restoredFrom(bench.patch, await revisionPatch(number), what);
  bench.edit(`${what.source ?? what.route} as in version ${number}`, next);
}

/** Settles two windows on one patch. Whatever is chosen, both versions stay. */
export async function settle(choice: 'theirs' | 'mine' | 'both'): Promise<void> {
  const head = bench.keeper.head;
  const mine = bench.keeper.mine ?? bench.patch;
  if (!head || !mine) return;
  const path = { patch_id: head.id };
  const theirs = await taken(api.GET('/api/patches/{patch_id}', { params: { path } }));
  if (choice === 'both') {
    const copy = await keepNew({ ...mine, name: cut(`${mine.name ?? 'Untitled'} (this window)`, 120) });
    bench.keeper.dropMine();
    await bench.show(copy);
    messages.say('This window goes on with its own copy; the other window has the patch.');
  } else if (choice === 'mine') {
    await bench.keeper.flush(true);
    messages.say('This window’s work stands; the other window’s is kept among the versions.');
  } else {
    await keepNew({ ...mine, name: cut(`${mine.name ?? 'Untitled'} (set aside)`, 120) });
    bench.keeper.dropMine();
    await bench.show(theirs);
    messages.say('The other window’s work is shown; this window’s was set aside as a patch of its own.');
  }
}
