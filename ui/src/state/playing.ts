/** The player of the open patch. */
import { Player } from './player.svelte';
import { workbench } from './workbench.svelte';

export const player = new Player(workbench);
