/** What the library shows: kept while other views are shown. */
import { messages } from '../state/messages.svelte';
import { workbench } from '../state/workbench.svelte';
import { Shelf } from './shelf.svelte';

export const shelf = new Shelf();

/** Does something that opens a patch, and goes to its sheet. */
export function then(work: () => Promise<void>): void {
  void messages.attempt(async () => {
    await work();
    workbench.view = 'note';
  });
}
