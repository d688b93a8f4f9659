<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import FileButton from '../common/FileButton.svelte';
  import TextField from '../common/TextField.svelte';
  import { newPatch, openFile, startFrom, TEMPLATE } from '../state/library';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import LibraryActs from './LibraryActs.svelte';
  import LibraryRow from './LibraryRow.svelte';
  import LibrarySide from './LibrarySide.svelte';
  import { EVERYTHING, WRONG, type LibraryHead, type Sort } from './shelf.svelte';
  import { shelf, then } from './shelf-now';

  /** Everything that is kept: found as one types, by bank, tag and key, and acted on many at once. */
  const SOON_MS = 120;
  const SORTS: readonly (readonly [Sort, string])[] = [
    ['name', 'by name'],
    ['changed', 'changed last'],
    ['used', 'used last']
  ];

  const wanted = shelf.wanted;
  let list: HTMLElement | undefined = $state();
  let over = $state(false);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const shown = $derived(workbench.view === 'library');
  const templates = $derived(workbench.heads.filter((head) => head.tags.includes(TEMPLATE)));

  // What is typed is looked for when the fingers rest; what is clicked at once.
  let typed = wanted.search;
  $effect(() => {
    void [JSON.stringify(wanted), workbench.drafts.head?.sequence];
    if (!shown) return;
    clearTimeout(timer);
    timer = setTimeout(() => void messages.attempt(() => shelf.look()), wanted.search === typed ? 0 : SOON_MS);
    typed = wanted.search;
    return () => clearTimeout(timer);
  });
  $effect(() => {
    if (shown) void messages.attempt(() => shelf.aside());
  });

  const KNOWN = /\.(json|zip|wav|flac|ogg|aiff?|midi?)$/i;

  function group(head: LibraryHead): string {
    if (wanted.sort !== 'name') return '';
    if (head.tags.includes(WRONG)) return 'Made to be wrong: open one, and let its fix be shown';
    return head.tags.includes(TEMPLATE) ? 'Templates' : '';
  }
  async function take(files: readonly File[]): Promise<void> {
    const [only] = files;
    if (files.length === 1 && only && !(await isOther(only))) {
      await openFile(only);
      workbench.view = 'note';
      return;
    }
    await shelf.bringIn(files);
    await workbench.refreshHeads();
  }
  /** Takes what is in a folder; what other programs leave there is passed over. */
  async function takeFolder(files: readonly File[]): Promise<void> {
    const known = files.filter(
      (file) => KNOWN.test(file.name) && !/(^|\/)(\.|__|manifest\.json$)/.test(file.webkitRelativePath)
    );
    if (!known.length) throw new Error('There is no document, recording or MIDI file in that folder.');
    await shelf.bringIn(known);
    await workbench.refreshHeads();
  }
  /** Tells what is kept without being opened: a zip, a sound, MIDI, a document of another kind than a patch. */
  async function isOther(file: File): Promise<boolean> {
    if (!file.name.toLowerCase().endsWith('.json')) return true;
    return /"format"\s*:\s*"jorvik-(?!patch")/.test(await file.slice(0, 400).text());
  }
  function onkeydown(event: KeyboardEvent): void {
    if (!(event.target instanceof HTMLElement) || !list) return;
    const rows = [...list.querySelectorAll<HTMLElement>('.open')];
    const at = rows.indexOf(event.target);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: rows.length - 1 }[event.key];
    const head = shelf.heads[at];
    if (to !== undefined) rows[Math.min(Math.max(to, 0), rows.length - 1)]?.focus();
    else if (event.key === 'x' && head) shelf.choose(head.id, !shelf.chosen.has(head.id));
    else if (event.key === 'Delete' && head) void messages.attempt(() => shelf.remove([head.id], head.name));
    else return;
    event.preventDefault();
  }
</script>

<div
  class="panel library"
  class:over
  role="group"
  aria-label="Library"
  ondragover={(event) => {
    event.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={(event) => {
    event.preventDefault();
    over = false;
    const files = [...(event.dataTransfer?.files ?? [])];
    if (files.length) void messages.attempt(() => take(files));
  }}
>
  <div class="bar">
    <TextField
      class="find"
      type="search"
      label="Find a patch"
      placeholder="Find: words, tags, source:lfo, moves:cutoff, finding:click"
      bind:value={wanted.search}
    />
    <Choice
      look="quiet"
      label="In which order"
      options={SORTS}
      value={wanted.sort}
      onchoose={(sort) => (wanted.sort = sort as Sort)}
    />
    <Button onclick={() => then(newPatch)}>New patch</Button>
    <Choice
      look="quiet"
      label="Start from a template"
      prompt="Start from…"
      options={templates.map((head) => [head.id, head.name])}
      onchoose={(id) => then(() => startFrom(id))}
    />
    <FileButton
      label="Choose a patch file"
      accept=".json,.zip,.wav,.flac,.ogg,.aiff,.mid,.midi,application/json,application/zip"
      hint="Patches, phrases, takes, cards; a zip of them; a recording; MIDI"
      many="files"
      onfiles={(files) => void messages.attempt(() => take(files))}>Open files…</FileButton
    >
    <FileButton
      label="Choose a folder of documents"
      accept=""
      hint="Everything in it is kept, in a bank of its name"
      many="folder"
      onfiles={(files) => void messages.attempt(() => takeFolder(files))}>A folder…</FileButton
    >
  </div>
  <div class="body">
    <LibrarySide />
    <div class="found">
      <LibraryActs />
      {#if shelf.brought.length}
        <div class="trouble" role="alert">
          <b>Not taken in</b>
          <ul>
            {#each shelf.brought as one, i (i)}<li>{one.file}: {one.trouble}</li>{/each}
          </ul>
          <Button look="bare" onclick={() => (shelf.brought = [])}>✕</Button>
        </div>
      {/if}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions (its buttons have the focus; keys move along them) -->
      <ul bind:this={list} {onkeydown} role="list" aria-label="Found">
        {#each shelf.heads as head, place (head.id)}
          {@const title = group(head)}
          {#if title && title !== (place ? group(shelf.heads[place - 1]!) : '')}<li class="title">{title}</li>{/if}
          <LibraryRow {head} />
        {:else}
          <li class="none">
            {#if shelf.loading}Looking…
            {:else if JSON.stringify(wanted) === JSON.stringify(EVERYTHING)}There are no patches yet. Make a new one, or
              open a file.
            {:else}Nothing that is kept has all of that.
              <Button look="bare" onclick={() => Object.assign(wanted, structuredClone(EVERYTHING))}
                >Look for everything</Button
              >
            {/if}
          </li>
        {/each}
        {#if shelf.heads.length < shelf.total}
          <li class="more">
            <Button onclick={() => void messages.attempt(() => shelf.look(true))}
              >Show more of the {shelf.total - shelf.heads.length} others</Button
            >
          </li>
        {/if}
      </ul>
    </div>
  </div>
</div>

<style>
  .library.over {
    outline: 2px solid var(--woad);
    outline-offset: -2px;
  }
  .bar :global(.find) {
    flex: 1;
    min-width: 14rem;
  }
  .body {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: 168px minmax(0, 1fr);
  }
  .found {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
  }
  .trouble {
    display: flex;
    gap: 8px;
    padding: 6px 12px;
    color: var(--madder);
    max-height: 30%;
    overflow: auto;
    font-size: 13px;
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  .found > ul {
    flex: 1;
  }
  .title {
    padding: 12px 12px 4px;
    border-bottom: 1px solid var(--rule);
    color: var(--faint);
    font-size: 13px;
    font-weight: 600;
  }
  .none,
  .more {
    color: var(--faint);
    padding: 14px;
  }
</style>
