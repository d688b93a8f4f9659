/** What the logbook shows: entries of a day or of all, of one patch or of any, and what is said of them. */
import { momentOf } from '../common/dates';
import { api, unwrap, type Patch } from '../api/api';
import type { components } from '../api/schema.gen';
import { Latest } from '../state/latest';
import { keepNew } from '../state/library';
import { workbench } from '../state/workbench.svelte';

export type Entry = components['schemas']['Entry'];
export type Day = components['schemas']['Day'];

const PAGE = 50;
const SOON_MS = 1500;

export class Book {
  search = $state('');
  day = $state('');
  /** Whether only entries of the open patch are shown. */
  mine = $state(false);
  marked = $state(false);
  entries: Entry[] = $state.raw([]);
  days: Day[] = $state.raw([]);
  more = $state(false);
  loading = $state(true);
  private readonly asked = new Latest();
  /** What was said of entries: a page that was asked for before does not know of it. */
  private readonly told = new Latest();
  private again: ReturnType<typeof setTimeout> | undefined;

  get query() {
    const id = workbench.id;
    return {
      marked: this.marked,
      ...(this.search.trim() ? { search: this.search.trim() } : {}),
      ...(this.day ? { day: this.day } : {}),
      ...(this.mine && id ? { document: id } : {})
    };
  }

  async look(further = false): Promise<void> {
    const isLast = this.asked.ask();
    const knows = this.told.since();
    clearTimeout(this.again);
    const offset = further ? this.entries.length : 0;
    const { day: _, ...anyDay } = { day: '', ...this.query };
    const [page, days] = await Promise.all([
      unwrap(api.GET('/api/log', { params: { query: { ...this.query, limit: PAGE, offset } } })),
      unwrap(api.GET('/api/log/days', { params: { query: anyDay } }))
    ]);
    if (!isLast()) return;
    if (!knows()) return this.look(further);
    this.entries = further ? [...this.entries, ...page] : page;
    this.days = days;
    this.more = page.length === PAGE;
    this.loading = false;
    // Pictures and figures of what was entered just now come a little later.
    const young = this.entries.some((one) => isYoung(one) && !one.picture && one.act !== 'note');
    if (young && !further) this.again = setTimeout(() => void this.look().catch(() => {}), SOON_MS);
  }

  async say(entry: Entry, said: { why?: string; marked?: boolean }): Promise<void> {
    const path = { entry_id: entry.id };
    const kept = await unwrap(api.PUT('/api/log/{entry_id}', { params: { path }, body: said }));
    this.told.ask();
    this.entries = this.entries.map((one) => (one.id === kept.id ? kept : one));
  }

  async note(text: string): Promise<void> {
    const { id, patch } = workbench;
    const of = this.mine && id ? { document_id: id, name: patch?.name ?? '' } : { name: '' };
    await unwrap(api.POST('/api/log/notes', { body: { text, ...of } }));
    await this.look();
  }

  /** Goes back to exactly what was: a change of the patch that can be undone; of one that is gone, a new patch. */
  async back(entry: Entry): Promise<void> {
    const path = { entry_id: entry.id };
    const patch = (await unwrap(api.GET('/api/log/{entry_id}/document', { params: { path } }))) as unknown as Patch;
    const here = entry.document_id === workbench.id;
    const there = here || workbench.heads.some((head) => head.id === entry.document_id);
    if (!there) {
      if (!(await workbench.bring(() => keepNew(patch)))) return;
    } else {
      if (!here && entry.document_id && !(await workbench.open(entry.document_id))) return;
      workbench.edit(`back to ${momentOf(entry.at)}`, patch);
    }
    workbench.view = 'note';
  }
}

function isYoung(entry: Entry): boolean {
  return Date.now() - new Date(entry.at).getTime() < 60_000;
}
