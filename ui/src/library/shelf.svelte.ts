/** What the library shows: what is looked for, the page of it that was found, and what is done with many at once. */
import { SvelteMap, SvelteSet } from 'svelte/reactivity';
import { api, Refused, unwrap } from '../api/api';
import { cut } from '../common/text';
import type { components } from '../api/schema.gen';
import { made, saveFile, stemOf } from '../state/files';
import { Latest } from '../state/latest';
import { newPatch, remove as removePatch } from '../state/library';
import { messages } from '../state/messages.svelte';
import { workbench } from '../state/workbench.svelte';

export type LibraryHead = components['schemas']['LibraryHead'];
export type Bank = components['schemas']['Bank'];
export type ActName = components['schemas']['Act']['act'];
export type Sort = 'name' | 'changed' | 'used';
export type Brought = components['schemas']['Brought'];

const PAGE = 100;
const PICTURES = 24;

/** The tag of demos that were made to have something found in them. */
export const WRONG = 'made to be wrong';

/** What undoes each act; deleting is undone by bringing back. */
const OPPOSITE: Record<ActName, ActName> = {
  star: 'unstar',
  unstar: 'star',
  tag: 'untag',
  untag: 'tag',
  'put in bank': 'take from bank',
  'take from bank': 'put in bank',
  delete: 'bring back',
  'bring back': 'delete'
};

export interface Wanted {
  search: string;
  kind: string;
  bank: string;
  tag: string;
  starred: boolean;
  demos: 'with' | 'without' | 'only';
  deleted: boolean;
  key: number | null;
  /** Between which loudnesses, in LUFS, of what was judged. */
  least: number | null;
  most: number | null;
  sort: Sort;
}

export const EVERYTHING: Wanted = {
  search: '',
  kind: 'patch',
  bank: '',
  tag: '',
  starred: false,
  demos: 'with',
  deleted: false,
  key: null,
  least: null,
  most: null,
  sort: 'name'
};

export class Shelf {
  wanted: Wanted = $state(structuredClone(EVERYTHING));
  heads: LibraryHead[] = $state.raw([]);
  total = $state(0);
  banks: Bank[] = $state.raw([]);
  tags: Record<string, number> = $state.raw({});
  readonly chosen = new SvelteSet<string>();
  /** Pictures that were made since the page was asked for. */
  readonly pictures = new SvelteMap<string, LibraryHead['picture']>();
  /** What came in last, where not all of it was kept. */
  brought: Brought[] = $state.raw([]);
  loading = $state(true);
  private readonly asked = new Latest();
  private readonly stood = new Latest();

  private get query() {
    const { search, kind, bank, tag, key, least, most, ...rest } = this.wanted;
    return {
      ...rest,
      ...(search.trim() ? { search: search.trim() } : {}),
      ...(kind ? { kind: [kind] } : {}),
      ...(bank ? { bank } : {}),
      ...(tag ? { tag } : {}),
      ...(key === null ? {} : { key }),
      ...(least === null ? {} : { least_lufs: least }),
      ...(most === null ? {} : { most_lufs: most })
    };
  }

  /** Asks for what is wanted now; an answer that comes after a newer question is let go. */
  async look(more = false): Promise<void> {
    const isLast = this.asked.ask();
    const offset = more ? this.heads.length : 0;
    const page = await unwrap(api.GET('/api/library', { params: { query: { ...this.query, limit: PAGE, offset } } }));
    if (!isLast()) return;
    this.heads = more ? [...this.heads, ...page.heads] : page.heads;
    this.total = page.total;
    this.loading = false;
    await this.draw(isLast);
  }

  /** Has pictures made of the patches that have none of their present state, some at a time. */
  private async draw(isLast: () => boolean): Promise<void> {
    const lacking = this.heads.filter((head) => head.kind === 'patch' && !head.picture).map((head) => head.id);
    for (let at = 0; at < lacking.length && isLast(); at += PICTURES) {
      const ids = lacking.slice(at, at + PICTURES);
      const drawn = await unwrap(api.POST('/api/library/pictures', { body: { ids } }));
      for (const [id, picture] of Object.entries(drawn)) this.pictures.set(id, picture as LibraryHead['picture']);
    }
  }

  async aside(): Promise<void> {
    const both = Promise.all([
      unwrap(api.GET('/api/banks')),
      unwrap(api.GET('/api/library/tags')) as Promise<Record<string, number>>
    ]);
    await this.stood.keep(both, (found) => ([this.banks, this.tags] = found));
  }

  pictureOf(head: LibraryHead): LibraryHead['picture'] {
    return head.picture ?? this.pictures.get(head.id) ?? null;
  }

  /** Does something with what is chosen, or with some, and says how it is undone. */
  async act(
    act: ActName,
    more: { tag?: string; bank?: string } = {},
    ids = [...this.chosen],
    says = ''
  ): Promise<void> {
    if (ids.includes(workbench.id)) await workbench.rested();
    const { changed } = await unwrap(api.POST('/api/library/acts', { body: { ids, act, tag: '', ...more } }));
    // A tag stands in the document: the open one is shown as it is now.
    if (act.endsWith('tag') && changed.includes(workbench.id)) await workbench.reread();
    if (act === 'tag' || act === 'untag') for (const id of changed) this.pictures.delete(id);
    await Promise.all([this.look(), this.aside()]);
    if (act === 'delete') this.chosen.clear();
    const count = changed.length === 1 ? '1 document' : `${changed.length} documents`;
    if (says && changed.length)
      messages.say(says.replace('#', count), false, {
        label: 'Undo',
        run: () => void messages.attempt(() => this.act(OPPOSITE[act], more, changed))
      });
  }

  /** Puts documents away; where the open patch is among them, another is opened. */
  async remove(ids: string[], name: string): Promise<void> {
    const only = ids.length === 1 ? this.heads.find((head) => head.id === ids[0]) : undefined;
    if (only?.kind === 'patch') {
      await removePatch(only.id, name);
      await this.look();
      return;
    }
    const open = workbench.drafts.head?.id;
    await this.act('delete', {}, ids, ids.length > 1 ? '# deleted.' : `${name} was deleted.`);
    await workbench.refreshHeads();
    if (!open || !ids.includes(open)) return;
    const [next] = workbench.heads;
    await (next ? workbench.open(next.id) : newPatch());
  }

  /** Hands over what is chosen as one zip. */
  async writeOut(name: string): Promise<void> {
    await workbench.rested();
    const answer = await made('/api/library/export', { ids: [...this.chosen], name });
    saveFile(await answer.blob(), `${stemOf(name, 'bank')}.zip`);
  }

  choose(id: string, on: boolean): void {
    if (on) this.chosen.add(id);
    else this.chosen.delete(id);
  }

  /** Chooses everything that is found, however much of it is shown. */
  async chooseAll(): Promise<void> {
    const isSame = this.asked.since();
    const ids = await unwrap(api.GET('/api/library/ids', { params: { query: this.query } }));
    if (isSame()) for (const id of ids) this.chosen.add(id);
  }

  async makeBank(name: string): Promise<void> {
    const inside = [...this.chosen];
    const bank = await unwrap(api.POST('/api/banks', { body: { name } }));
    if (inside.length) await this.act('put in bank', { bank: bank.id }, inside, `# put in ${name}.`);
    await this.aside();
  }

  async renameBank(id: string, name: string): Promise<void> {
    await unwrap(api.PUT('/api/banks/{bank_id}', { params: { path: { bank_id: id } }, body: { name } }));
    await this.aside();
  }

  async dropBank(bank: Bank): Promise<void> {
    const inside = await unwrap(api.GET('/api/library/ids', { params: { query: { bank: bank.id } } }));
    await unwrap(api.DELETE('/api/banks/{bank_id}', { params: { path: { bank_id: bank.id } } }));
    if (this.wanted.bank === bank.id) this.wanted.bank = '';
    await Promise.all([this.look(), this.aside()]);
    const again = async (): Promise<void> => {
      const back = await unwrap(api.POST('/api/banks', { body: { name: bank.name } }));
      await this.act('put in bank', { bank: back.id }, inside);
    };
    messages.say(`The bank ${bank.name} was taken away; what stood in it stays.`, false, {
      label: 'Undo',
      run: () => void messages.attempt(again)
    });
  }

  /** Takes documents in from files: zips, documents alone, recordings, MIDI; those of a folder stand in a bank. */
  async bringIn(files: readonly File[]): Promise<void> {
    const told: Brought[] = [];
    const giveUp = new AbortController();
    const what = files.length === 1 ? (files[0]?.name ?? '') : `${files.length} files`;
    const work = async (): Promise<void> => {
      for (const file of files)
        if (!giveUp.signal.aborted) told.push(...(await this.broughtIn(file, files.length > 1)));
    };
    await messages.while(`Taking in ${what}…`, work(), () => giveUp.abort());
    const kept = told.filter((one) => one.id).length;
    const alike = told.filter((one) => one.alike).length;
    this.brought = told.filter((one) => one.trouble);
    const said = [
      `${kept} kept`,
      alike ? `${alike} there already` : '',
      this.brought.length ? `${this.brought.length} not` : ''
    ];
    messages.say(`${said.filter(Boolean).join(', ')}.`);
    await Promise.all([this.look(), this.aside()]);
  }

  /** Takes in what is in one file; of many, one that is refused is told as one that is broken. */
  private async broughtIn(file: File, ofMany: boolean): Promise<Brought[]> {
    const [folder, ...inside] = file.webkitRelativePath.split('/');
    const query = { name: inside.join('/') || file.name, bank: inside.length && folder ? cut(folder, 120) : '' };
    const sent = { params: { query }, headers: { 'Content-Type': 'application/octet-stream' } };
    // The file goes as it is: the types know bytes only as text.
    const body = { body: file as unknown as string, bodySerializer: (given: unknown) => given as File };
    try {
      return (await unwrap(api.POST('/api/library/import', { ...sent, ...body }))).documents;
    } catch (error) {
      if (!ofMany || !(error instanceof Refused)) throw error;
      return [{ file: file.name, name: '', kind: '', id: null, alike: null, trouble: error.message }];
    }
  }
}
