/** What the Range view sweeps of the open patch: kept while other views are shown. */
import { messages } from '../state/messages.svelte';
import { player } from '../state/playing';
import { workbench } from '../state/workbench.svelte';
import { Ranging } from './ranging.svelte';

export const ranging = new Ranging(workbench, player);

/** Opens the Range view on something, and sweeps it where that was not done yet. */
export function findRange(name: string): void {
  workbench.view = 'range';
  ranging.choose(name);
  void messages.attempt(async () => {
    await ranging.show();
    if (!ranging.found && !ranging.running) await ranging.sweep();
  });
}
