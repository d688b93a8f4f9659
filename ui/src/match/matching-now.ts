/** What the Match view holds against the open patch: kept while other views are shown. */
import { player } from '../state/playing';
import { workbench } from '../state/workbench.svelte';
import { Matching } from './matching.svelte';

export const matching = new Matching(workbench, player);
