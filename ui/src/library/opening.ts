/** What opening a document of each kind does, from the library. */
import { api, unwrap } from '../api/api';
import { taking } from '../live/playing-live';
import { machine } from '../machine/machine-now';
import { matching } from '../match/matching-now';
import { Latest } from '../state/latest';
import { workbench } from '../state/workbench.svelte';
import type { LibraryHead } from './shelf.svelte';

/** By kind: opens the document, and returns the view in which it stands. */
const OPENS: Record<string, (id: string) => Promise<string>> = {
  patch: async (id) => {
    await workbench.open(id);
    return 'note';
  },
  phrase: async (id) => {
    await workbench.phrasing.choose(id);
    workbench.chosen = { what: 'phrase', id };
    return 'note';
  },
  take: async (id) => {
    await taking.open(id);
    workbench.chosen = { what: 'phrase', id };
    return 'note';
  },
  card: async (id) => {
    await machine.choose(id);
    return 'machine';
  },
  practice: () => Promise.resolve('practice'),
  recording: async (id) => {
    await matching.choose(id);
    return 'match';
  }
};

const asked = new Latest();

/** Opens what was found, and goes to where it stands; where something else was asked for meanwhile, to that. */
export async function opened(head: Pick<LibraryHead, 'id' | 'kind'>): Promise<void> {
  const open = OPENS[head.kind];
  if (!open) return;
  const isLast = asked.ask();
  const view = await open(head.id);
  if (isLast()) workbench.view = view;
  await unwrap(api.POST('/api/library/used/{document_id}', { params: { path: { document_id: head.id } } }));
}
