<script lang="ts">
  import { DOCUMENTS } from '../api/facts.gen';
  import Button from '../common/Button.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { messages } from '../state/messages.svelte';
  import { shelf } from './shelf-now';

  /** What of the library is shown: which kinds, which bank, which tags, and what else is asked of it. */
  const KINDS = [...DOCUMENTS.map(({ name, title }) => [name, `Every ${title}`] as const), ['', 'All of it'] as const];
  const wanted = shelf.wanted;
  const count = $derived(shelf.chosen.size);

  function loud(end: 'least' | 'most', text: string): string | void {
    const lufs = text.trim() === '' ? null : Number(text.replace('−', '-').replace(/ ?LUFS$/i, ''));
    if (lufs !== null && !(lufs >= -200 && lufs <= 20)) return `"${text}": LUFS, as −18`;
    wanted[end] = lufs;
  }
</script>

<nav class="side" aria-label="What is shown">
  {#each KINDS as [kind, title] (kind)}
    <Button look="bare" aria-pressed={wanted.kind === kind} onclick={() => (wanted.kind = kind)}>{title}</Button>
  {/each}
  <h4>Banks</h4>
  {#each shelf.banks as one (one.id)}
    <Button
      look="bare"
      aria-pressed={wanted.bank === one.id}
      onclick={() => (wanted.bank = wanted.bank === one.id ? '' : one.id)}>{one.name} <small>{one.count}</small></Button
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
        onset={(text) => loud(end, text)}
      />
    {/each}
  </span>
  <h4>Tags</h4>
  <div class="tags">
    {#each Object.entries(shelf.tags).slice(0, 40) as [tag, times] (tag)}
      <Button look="bare" aria-pressed={wanted.tag === tag} onclick={() => (wanted.tag = wanted.tag === tag ? '' : tag)}
        >{tag} <small>{times}</small></Button
      >
    {/each}
  </div>
</nav>

<style>
  nav :global(.field) {
    width: 100%;
    margin-top: 3px;
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
</style>
