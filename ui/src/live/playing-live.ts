/** The live voice of the open patch, what is taken of it, and the controller that plays it. */
import { player } from '../state/playing';
import { workbench } from '../state/workbench.svelte';
import { Controller } from './controller.svelte';
import { Directions } from './directions.svelte';
import { Live } from './live.svelte';
import { Taking } from './taking.svelte';

export const live = new Live(player);
export const taking = new Taking(workbench, live);
export const directions = new Directions(live, (name) => workbench.laneRange(name));
export const controller = new Controller(live, directions, (name) => workbench.laneRange(name));
