/** Work over many patches: kept while other views are shown. */
import { machine } from '../machine/machine-now';
import { workbench } from '../state/workbench.svelte';
import { BankWork } from './bank.svelte';

export const bank = new BankWork(workbench, machine);
