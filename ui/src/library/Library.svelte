<script lang="ts">
  import Button from '../common/Button.svelte';
  import { Modal } from 'flowbite-svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { downloadMade, downloadPatch } from '../state/files';
  import { duplicate, newPatch, openFile, remove, setTemplate, startFrom, TEMPLATE } from '../state/library';
  import FileButton from '../common/FileButton.svelte';
  import Choice from '../common/Choice.svelte';
  import TextField from '../common/TextField.svelte';

  let { open = $bindable(), files = $bindable() }: { open: boolean; files: boolean } = $props();
  let wanted = $state('');

  const WRONG = 'made to be wrong';
  const said = $derived(wanted.trim().toLowerCase());
  const matching = $derived(
    workbench.heads.filter((head) => [head.name, ...head.tags].some((text) => text.toLowerCase().includes(said)))
  );
  const groups = $derived([
    { title: '', heads: matching.filter((head) => ![WRONG, TEMPLATE].some((tag) => head.tags.includes(tag))) },
    { title: 'Templates', heads: matching.filter((head) => head.tags.includes(TEMPLATE)) },
    {
      title: 'Made to be wrong: open one, and let its fix be shown',
      heads: matching.filter((h) => h.tags.includes(WRONG))
    }
  ]);

  $effect(() => {
    if (open) void messages.attempt(() => workbench.refreshHeads());
  });

  function then(work: () => Promise<void>): void {
    open = false;
    void messages.attempt(work);
  }
</script>

<Modal bind:open title="Patches" size="md" class="library" outsideclose>
  <div class="acts">
    <Button onclick={() => then(newPatch)}>New patch</Button>
    <Choice
      look="quiet"
      label="Start from a template"
      prompt="Start from…"
      options={workbench.heads.filter((head) => head.tags.includes(TEMPLATE)).map((head) => [head.id, head.name])}
      onchoose={(id) => then(() => startFrom(id))}
    />
    <FileButton
      label="Choose a patch file"
      accept=".json,application/json"
      onfile={(file) => then(() => openFile(file))}>Open a file…</FileButton
    >
    <Button disabled={!workbench.patch} onclick={() => then(duplicate)}>Duplicate this one</Button>
  </div>
  {#if workbench.patch}
    {@const patch = workbench.patch}
    <div class="acts">
      <Button
        aria-pressed={patch.tags?.includes(TEMPLATE) ?? false}
        data-hint="Others begin with a copy of it, by Start from…"
        onclick={() => setTemplate(!patch.tags?.includes(TEMPLATE))}>Template</Button
      >
      <span>Download</span>
      <Button onclick={() => downloadPatch(patch)}>Patch file</Button>
      <Button
        onclick={() => {
          open = false;
          files = true;
        }}>Sound or voltage (WAV)…</Button
      >
      <Button
        onclick={() =>
          void messages.attempt(async () => void (await downloadMade(patch, 'trace.csv', { ...workbench.performed })))}
        >Trace (CSV)</Button
      >
    </div>
  {/if}
  <TextField class="find" type="search" label="Find a patch" placeholder="Find by name or tag" bind:value={wanted} />
  <ul>
    {#each groups.filter((group) => group.heads.length > 0) as group (group.title)}
      {#if group.title}<li class="title">{group.title}</li>{/if}
      {#each group.heads as head (head.id)}
        <li class:here={head.id === workbench.drafts.head?.id}>
          <Button look="bare" class="open" onclick={() => then(() => workbench.open(head.id))}>{head.name}</Button>
          <small>{head.tags.filter((tag) => tag !== WRONG).join(', ')}</small>
          <span>version {head.saved_number}{head.unsaved ? ', draft since' : ''}{head.demo ? ' · demo' : ''}</span>
          <Button look="bare" aria-label="Delete {head.name}" onclick={() => then(() => remove(head.id, head.name))}
            >delete</Button
          >
        </li>
      {/each}
    {:else}
      <li class="none">
        {workbench.heads.length
          ? 'No patch has that in its name or tags.'
          : 'There are no patches yet. Make a new one, or open a file.'}
      </li>
    {/each}
  </ul>
</Modal>

<style>
  .acts {
    display: flex;
    align-items: center;
    gap: 6px;
    flex-wrap: wrap;
    color: var(--faint);
  }
  :global(.field.find) {
    width: 100%;
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
    max-height: 45vh;
    overflow: auto;
  }
  li {
    display: flex;
    gap: 10px;
    padding: 6px 8px;
    border-bottom: 1px solid var(--rule);
    align-items: baseline;
  }
  li span {
    color: var(--faint);
    font-size: 13px;
    margin-left: auto;
  }
  li.here {
    background: var(--chosen);
  }
  li small {
    color: var(--faint);
    font-size: 12.5px;
  }
  .title {
    padding-top: 14px;
    color: var(--faint);
    font-size: 13px;
    font-weight: 600;
  }
  li :global(.open) {
    font-weight: 600;
  }
  .none {
    color: var(--faint);
  }
</style>
