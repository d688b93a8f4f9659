<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import TextField from '../common/TextField.svelte';
  import type { Patch } from '../api/api';
  import { downloadMade, saveDocument } from '../state/files';
  import { duplicate, setTemplate, TEMPLATE } from '../state/library';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import type { ActName } from './shelf.svelte';
  import { bank as work } from '../bank/bank-now';
  import { shelf, then } from './shelf-now';

  /** What can be done: with what is chosen, with the bank that is shown, or with the open patch. */
  const wanted = shelf.wanted;
  const count = $derived(shelf.chosen.size);
  const bank = $derived(shelf.banks.find((one) => one.id === wanted.bank));

  /** Checks what is chosen, as a work like any other, and looks at the list again when it has ended. */
  async function judge(): Promise<void> {
    work.choose([...shelf.chosen], '');
    work.set({ work: 'check' });
    await work.begin(() => void messages.attempt(() => shelf.look()));
    messages.say(`Judging ${count}; it goes on in the background.`, false, {
      label: 'Look',
      run: () => (workbench.view = 'bank')
    });
  }

  /** Writes a file of the open patch, with what was typed just before. */
  function write(file: (patch: Patch) => unknown): void {
    void messages.attempt(async () => {
      await workbench.settled();
      if (workbench.patch) await file(workbench.patch);
    });
  }

  /** Does something with what is chosen; # in what it says stands for how many. */
  function act(name: ActName, says: string, more: { tag?: string; bank?: string } = {}): void {
    void messages.attempt(() => shelf.act(name, more, [...shelf.chosen], says));
  }
</script>

<div class="acts">
  {#if count}
    <b>{count} chosen</b>
    {#if wanted.deleted}
      <Button onclick={() => act('bring back', '# brought back.')}>Bring back</Button>
    {:else}
      <TextField
        class="tag"
        label="Tag what is chosen"
        placeholder="tag"
        maxlength={120}
        value=""
        onset={(tag) => {
          if (tag.trim()) act('tag', `# tagged ${tag.trim()}.`, { tag: tag.trim() });
        }}
      />
      <Choice
        look="quiet"
        label="Put into a bank"
        prompt="Into a bank…"
        options={shelf.banks.map((one) => [one.id, one.name])}
        onchoose={(id) =>
          act('put in bank', `# put in ${shelf.banks.find((one) => one.id === id)?.name}.`, { bank: id })}
      />
      {#if wanted.tag}
        <Button onclick={() => act('untag', `# no longer tagged ${wanted.tag}.`, { tag: wanted.tag })}
          >Not {wanted.tag}</Button
        >
      {/if}
      {#if bank}
        <Button onclick={() => act('take from bank', `# taken from ${bank.name}.`, { bank: bank.id })}
          >Out of {bank.name}</Button
        >
      {/if}
      <Button
        onclick={() => void messages.attempt(() => shelf.writeOut(bank?.name ?? 'Bank'))}
        data-hint="As one zip, with a list of what is in it">Write out</Button
      >
      <Button
        onclick={() => void messages.attempt(judge)}
        data-hint="How loud each is, and what the rules find in it: then it can be found by these">Judge</Button
      >
      <Button
        onclick={() => {
          work.choose([...shelf.chosen], shelf.banks.find((one) => one.id === wanted.bank)?.name ?? '');
          workbench.view = 'bank';
        }}
        data-hint="Checked, measured, rendered, sampled or printed, all of them">Work on them…</Button
      >
      <Button onclick={() => void messages.attempt(() => shelf.remove([...shelf.chosen], 'It'))}>Delete</Button>
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
      {@const { patch } = workbench}
      <span class="own">{patch.name ?? 'Untitled'}:</span>
      <Button onclick={() => then(duplicate)}>Duplicate this one</Button>
      <Button
        aria-pressed={patch.tags?.includes(TEMPLATE) ?? false}
        data-hint="Others begin with a copy of it, by Start from…"
        onclick={() => setTemplate(!patch.tags?.includes(TEMPLATE))}>Template</Button
      >
      <Button onclick={() => write((patch) => saveDocument(patch, 'patch'))}>Patch file</Button>
      <Button onclick={() => (workbench.files = true)}>Sound or voltage (WAV)…</Button>
      <Button onclick={() => write((patch) => downloadMade(patch, 'trace.csv', { ...workbench.performed }))}
        >Trace (CSV)</Button
      >
    {/if}
  {/if}
</div>

<style>
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
</style>
