/** Practice: kept while other views are shown. */
import { player } from '../state/playing';
import { workbench } from '../state/workbench.svelte';
import { Practising } from './practice.svelte';

export const practice = new Practising(workbench, player);

/** Goes to a task about a rule or a figure. */
export async function practise(about: string): Promise<void> {
  await practice.next({ about });
  workbench.view = 'practice';
}
