/** What the logbook shows: kept while other views are shown. */
import { Book } from './book.svelte';

export const book = new Book();
