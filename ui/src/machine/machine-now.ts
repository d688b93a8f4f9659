/** The machine that the open patch is put on: kept while other views are shown. */
import { workbench } from '../state/workbench.svelte';
import { Machine } from './machine.svelte';

export const machine = new Machine(workbench);
