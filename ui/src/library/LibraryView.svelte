<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import FileButton from '../common/FileButton.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { base64Of, downloadMade, downloadPatch, saveFile } from '../state/files';
  import {
    duplicate,
    newPatch,
    openFile,
    remove as removePatch,
    setTemplate,
    startFrom,
    TEMPLATE
  } from '../state/library';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { opened } from './opening';
  import { EVERYTHING, type LibraryHead, type Sort } from './shelf.svelte';
  import { shelf } from './shelf-now';
  import Thumbnail from './Thumbnail.svelte';

  /** Everything that is kept: found as one types, by bank, tag and key, and acted on many at once. */
  const WRONG = 'made to be wrong';
  const SOON_MS = 120;
  const KINDS = [
    ['patch', 'Every patch'],
    ['phrase', 'Every phrase'],
    ['take', 'Every take'],
    ['recording', 'Every recording'],
    ['card', 'Every machine card'],
    ['', 'All of it']
  ] as const;
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
  const count = $derived(shelf.chosen.size);
  const bank = $derived(shelf.banks.find((one) => one.id === wanted.bank));
  const templates = $derived(workbench.heads.filter((head) => head.tags.includes(TEMPLATE)));

  // What is typed is looked for when the fingers rest; what is clicked at once.
  let typed = wanted.search;
  $effect(() => {
    void [
      wanted.kind,
      wanted.bank,
      wanted.tag,
      wanted.starred,
      wanted.demos,
      wanted.deleted,
      wanted.key,
      wanted.sort,
      wanted.least,
      wanted.most
    ];
    void [wanted.search, workbench.drafts.head?.sequence];
    if (!shown) return;
    clearTimeout(timer);
    timer = setTimeout(() => void messages.attempt(() => shelf.look()), wanted.search === typed ? 0 : SOON_MS);
    typed = wanted.search;
    return () => clearTimeout(timer);
  });
  $effect(() => {
    if (shown) void messages.attempt(() => shelf.aside());
  });

  function group(head: LibraryHead): string {
    if (wanted.sort !== 'name') return '';
    if (head.tags.includes(WRONG)) return 'Made to be wrong: open one, and let its fix be shown';
    return head.tags.includes(TEMPLATE) ? 'Templates' : '';
  }
  function then(work: () => Promise<void>): void {
    void messages.attempt(async () => {
      await work();
      workbench.view = 'note';
    });
  }
  function open(head: LibraryHead): void {
    void messages.attempt(() => opened(head));
  }
  function choose(id: string, on: boolean): void {
    if (on) shelf.chosen.add(id);
    else shelf.chosen.delete(id);
  }
  function star(head: LibraryHead): void {
    void messages.attempt(() => shelf.act(head.starred ? 'unstar' : 'star', {}, [head.id]));
  }
  function remove(ids: string[], name: string): void {
    const open = workbench.drafts.head?.id;
    const only = ids.length === 1 ? shelf.heads.find((head) => head.id === ids[0]) : undefined;
    void messages.attempt(async () => {
      if (only?.kind === 'patch') {
        await removePatch(only.id, name);
        await shelf.look();
        return;
      }
      await shelf.act('delete', {}, ids, ids.length > 1 ? '# deleted.' : `${name} was deleted.`);
      await workbench.refreshHeads();
      if (open && ids.includes(open)) await (workbench.heads[0] ? workbench.open(workbench.heads[0].id) : newPatch());
    });
  }
  async function take(files: readonly File[]): Promise<void> {
    const [only] = files;
    if (files.length === 1 && only && !(await isOther(only))) {
      await openFile(only);
      workbench.view = 'note';
      return;
    }
    await shelf.bringIn(
      await Promise.all(files.map(async (file) => ({ name: file.name, data: await base64Of(file) })))
    );
    await workbench.refreshHeads();
  }
  /** Tells a zip, and a document of another kind than a patch, which are kept without being opened. */
  async function isOther(file: File): Promise<boolean> {
    if (file.name.toLowerCase().endsWith('.zip')) return true;
    return /"format"\s*:\s*"jorvik-(?!patch")/.test(await file.slice(0, 400).text());
  }
  async function writeOut(): Promise<void> {
    const name = bank?.name ?? 'Bank';
    const answer = await fetch('/api/library/export', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ ids: [...shelf.chosen], name })
    });
    if (!answer.ok) throw new Error(((await answer.json()) as { sentence: string }).sentence);
    saveFile(await answer.blob(), `${name.toLowerCase().replace(/[^a-z0-9]+/g, '-') || 'bank'}.zip`);
  }
  function onkeydown(event: KeyboardEvent): void {
    if (!(event.target instanceof HTMLElement) || !list) return;
    const rows = [...list.querySelectorAll<HTMLElement>('.open')];
    const at = rows.indexOf(event.target);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: rows.length - 1 }[event.key];
    const head = shelf.heads[at];
    if (to !== undefined) rows[Math.min(Math.max(to, 0), rows.length - 1)]?.focus();
    else if (event.key === 'x' && head) choose(head.id, !shelf.chosen.has(head.id));
    else if (event.key === 'Delete' && head) remove([head.id], head.name);
    else return;
    event.preventDefault();
  }
  const when = (at: string | null): string => (at ? new Date(at).toLocaleDateString('en-GB') : 'never');
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
      accept=".json,.zip,application/json,application/zip"
      hint="A patch, or a zip of patches, phrases, takes and recordings"
      onfile={(file) => void messages.attempt(() => take([file]))}>Open a file…</FileButton
    >
  </div>
  <div class="body">
    <nav aria-label="What is shown">
      {#each KINDS as [kind, title] (kind)}
        <Button look="bare" aria-pressed={wanted.kind === kind} onclick={() => (wanted.kind = kind)}>{title}</Button>
      {/each}
      <h4>Banks</h4>
      {#each shelf.banks as one (one.id)}
        <Button
          look="bare"
          aria-pressed={wanted.bank === one.id}
          onclick={() => (wanted.bank = wanted.bank === one.id ? '' : one.id)}
          >{one.name} <small>{one.count}</small></Button
        >
      {/each}
      <TextField
        label="Name of a new bank"
        placeholder={count ? `New bank of ${count}` : 'New bank'}
        value=""
        onset={(name) => {
          if (name.trim()) void messages.attempt(() => shelf.makeBank(name.trim()));
        }}
      />
      <h4>Only</h4>
      <Tick checked={wanted.starred} onset={(on) => (wanted.starred = on)}>starred</Tick>
      <Tick checked={wanted.demos === 'without'} onset={(on) => (wanted.demos = on ? 'without' : 'with')}
        >my own, no demos</Tick
      >
      <Tick checked={wanted.deleted} onset={(on) => (wanted.deleted = on)}>deleted</Tick>
      <span class="key"
        >tested at
        <ValueField
          value={wanted.key ?? ''}
          unit="key"
          label="Tested at key"
          low={0}
          high={127}
          width="3.2rem"
          oncommit={(key) => (wanted.key = Number(key))}
        />
        {#if wanted.key !== null}
          <Button look="bare" aria-label="At any key" onclick={() => (wanted.key = null)}>✕</Button>
        {/if}
      </span>
      <span class="key" data-hint="In LUFS, of what was judged">
        loud
        {#each ['least', 'most'] as const as end (end)}
          <TextField
            label={end === 'least' ? 'At least so loud' : 'At most so loud'}
            placeholder={end === 'least' ? 'from' : 'to'}
            value={wanted[end] === null ? '' : String(wanted[end])}
            onset={(text) => {
              const lufs = text.trim() === '' ? null : Number(text.replace('−', '-').replace(/ ?LUFS$/i, ''));
              if (lufs !== null && !(lufs >= -200 && lufs <= 20)) return `"${text}": LUFS, as −18`;
              wanted[end] = lufs;
            }}
          />
        {/each}
      </span>
      <h4>Tags</h4>
      <div class="tags">
        {#each Object.entries(shelf.tags).slice(0, 40) as [tag, times] (tag)}
          <Button
            look="bare"
            aria-pressed={wanted.tag === tag}
            onclick={() => (wanted.tag = wanted.tag === tag ? '' : tag)}>{tag} <small>{times}</small></Button
          >
        {/each}
      </div>
    </nav>
    <div class="found">
      <div class="acts">
        {#if count}
          <b>{count} chosen</b>
          {#if wanted.deleted}
            <Button
              onclick={() =>
                void messages.attempt(() => shelf.act('bring back', {}, [...shelf.chosen], '# brought back.'))}
              >Bring back</Button
            >
          {:else}
            <TextField
              class="tag"
              label="Tag what is chosen"
              placeholder="tag"
              maxlength={120}
              value=""
              onset={(tag) => {
                if (tag.trim())
                  void messages.attempt(() =>
                    shelf.act('tag', { tag: tag.trim() }, [...shelf.chosen], `# tagged ${tag.trim()}.`)
                  );
              }}
            />
            <Choice
              look="quiet"
              label="Put into a bank"
              prompt="Into a bank…"
              options={shelf.banks.map((one) => [one.id, one.name])}
              onchoose={(id) =>
                void messages.attempt(() =>
                  shelf.act(
                    'put in bank',
                    { bank: id },
                    [...shelf.chosen],
                    `# put in ${shelf.banks.find((one) => one.id === id)?.name}.`
                  )
                )}
            />
            {#if wanted.tag}
              <Button
                onclick={() =>
                  void messages.attempt(() =>
                    shelf.act('untag', { tag: wanted.tag }, [...shelf.chosen], `# no longer tagged ${wanted.tag}.`)
                  )}>Not {wanted.tag}</Button
              >
            {/if}
            {#if bank}
              <Button
                onclick={() =>
                  void messages.attempt(() =>
                    shelf.act('take from bank', { bank: bank.id }, [...shelf.chosen], `# taken from ${bank.name}.`)
                  )}>Out of {bank.name}</Button
              >
            {/if}
            <Button onclick={() => void messages.attempt(writeOut)} data-hint="As one zip, with a list of what is in it"
              >Write out</Button
            >
            <Button
              disabled={shelf.judging !== null}
              onclick={() => void messages.attempt(() => shelf.judge())}
              data-hint="How loud each is, and what the rules find in it: then it can be found by these">Judge</Button
            >
            <Button onclick={() => remove([...shelf.chosen], 'It')}>Delete</Button>
          {/if}
          <Button look="bare" onclick={() => shelf.chosen.clear()}>Choose none</Button>
        {:else}
          <span>{shelf.total} found</span>
          {#if shelf.total}<Button look="bare" onclick={() => void messages.attempt(() => shelf.chooseAll())}
              >Choose all</Button
            >{/if}
          {#if bank}
            <TextField
              class="tag"
              label="Name of the bank"
              maxlength={120}
              value={bank.name}
              onset={(name) => void messages.attempt(() => shelf.renameBank(bank.id, name))}
            />
            <Button onclick={() => void messages.attempt(() => shelf.dropBank(bank))}>Take this bank away</Button>
          {/if}
          {#if workbench.patch}
            {@const patch = workbench.patch}
            <span class="own">{patch.name ?? 'Untitled'}:</span>
            <Button onclick={() => then(duplicate)}>Duplicate this one</Button>
            <Button
              aria-pressed={patch.tags?.includes(TEMPLATE) ?? false}
              data-hint="Others begin with a copy of it, by Start from…"
              onclick={() => setTemplate(!patch.tags?.includes(TEMPLATE))}>Template</Button
            >
            <Button onclick={() => downloadPatch(patch)}>Patch file</Button>
            <Button onclick={() => (workbench.files = true)}>Sound or voltage (WAV)…</Button>
            <Button
              onclick={() =>
                void messages.attempt(
                  async () => void (await downloadMade(patch, 'trace.csv', { ...workbench.performed }))
                )}>Trace (CSV)</Button
            >
          {/if}
        {/if}
        {#if shelf.judging}
          <span role="status"
            >judging {shelf.judging.done + 1} of {shelf.judging.of}
            <Button look="bare" onclick={() => (shelf.judging = null)}>cancel</Button></span
          >
        {/if}
      </div>
      {#if shelf.brought.length}
        <div class="trouble" role="alert">
          <b>Not taken in</b>
          <ul>
            {#each shelf.brought as one (one.file)}<li>{one.file}: {one.trouble}</li>{/each}
          </ul>
          <Button look="bare" onclick={() => (shelf.brought = [])}>✕</Button>
        </div>
      {/if}
      <!-- svelte-ignore a11y_no_noninteractive_element_interactions (its buttons have the focus; keys move along them) -->
      <ul bind:this={list} {onkeydown} role="list" aria-label="Found">
        {#each shelf.heads as head, place (head.id)}
          {@const title = group(head)}
          {#if title && title !== (place ? group(shelf.heads[place - 1]!) : '')}<li class="title">{title}</li>{/if}
          <li class:here={head.id === workbench.drafts.head?.id}>
            <Tick checked={shelf.chosen.has(head.id)} label="Choose {head.name}" onset={(on) => choose(head.id, on)} />
            {#if head.kind === 'patch'}<Thumbnail picture={shelf.pictureOf(head) as never} name={head.name} />{/if}
            <Button
              look="bare"
              class="star"
              aria-pressed={head.starred}
              aria-label="Star {head.name}"
              onclick={() => star(head)}>{head.starred ? '★' : '☆'}</Button
            >
            <div class="what">
              <span
                ><Button look="bare" class="open" onclick={() => open(head)}>{head.name}</Button>
                {#if !wanted.kind}<small>{head.kind}</small>{/if}
                {#if head.branch_reason}<small>· {head.branch_reason}</small>{/if}</span
              >
              <small
                >{head.tags.filter((tag) => tag !== WRONG).join(', ')}
                {#if head.loudness !== null}<span class="lufs">{head.loudness.toFixed(1)} LUFS</span>{/if}
                {#if head.found.length}<span class="rules">{head.found.join(', ').replaceAll('_', ' ')}</span
                  >{/if}</small
              >
            </div>
            <span class="state"
              >version {head.saved_number}{head.unsaved ? ', draft since' : ''}{head.demo ? ' · demo' : ''}<br />
              <small>{wanted.sort === 'used' ? `used ${when(head.used_at)}` : `changed ${when(head.changed_at)}`}</small
              ></span
            >
            <Button look="bare" aria-label="Delete {head.name}" onclick={() => remove([head.id], head.name)}
              >delete</Button
            >
          </li>
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
  nav {
    display: flex;
    flex-direction: column;
    align-items: flex-start;
    gap: 1px;
    padding: 8px 10px 12px 14px;
    border-right: 1px solid var(--rule);
    overflow: hidden auto;
    scrollbar-width: thin;
    font-size: 13px;
  }
  nav h4 {
    margin: 9px 0 2px;
    font-size: 12.5px;
    font-weight: 600;
    color: var(--faint);
  }
  nav :global([aria-pressed='true']) {
    font-weight: 700;
    color: var(--ink);
  }
  nav :global(.field) {
    width: 100%;
    margin-top: 3px;
  }
  nav small,
  li small {
    color: var(--faint);
    font-size: 12.5px;
  }
  .key {
    display: flex;
    align-items: center;
    gap: 4px;
    white-space: nowrap;
  }
  .tags {
    display: flex;
    flex-wrap: wrap;
    gap: 0 8px;
  }
  .found {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 6px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
    color: var(--faint);
  }
  .acts b {
    color: var(--ink);
  }
  .acts :global(.tag) {
    width: 7.5rem;
  }
  .own {
    margin-left: auto;
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
  .found ul {
    margin: 0;
    padding: 0;
    list-style: none;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  .found > ul {
    flex: 1;
  }
  li {
    display: flex;
    gap: 9px;
    padding: 4px 12px;
    border-bottom: 1px solid var(--rule);
    align-items: center;
  }
  .trouble li {
    border: 0;
    padding: 0;
  }
  li.here {
    background: var(--chosen);
  }
  .what {
    flex: 1;
    min-width: 0;
    display: flex;
    flex-direction: column;
  }
  li :global(.open) {
    margin-left: -2px;
    font-weight: 600;
    text-align: left;
  }
  li :global(.star) {
    color: var(--weld);
    font-size: 15px;
  }
  .lufs,
  .rules {
    margin-left: 8px;
  }
  .rules {
    color: var(--madder);
  }
  .state {
    color: var(--faint);
    font-size: 12.5px;
    line-height: 16px;
    text-align: right;
    white-space: nowrap;
  }
  .title {
    padding-top: 12px;
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
