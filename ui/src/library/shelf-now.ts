/** What the library shows: kept while other views are shown. */
import { Shelf } from './shelf.svelte';

export const shelf = new Shelf();
