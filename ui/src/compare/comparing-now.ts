/** What Compare compares of the open patch: kept while other views are shown. */
import { workbench } from '../state/workbench.svelte';
import { Comparing } from './comparing.svelte';

export const comparing = new Comparing(workbench);
