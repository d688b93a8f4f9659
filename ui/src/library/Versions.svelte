<script lang="ts">
  import { momentOf } from '../common/dates';
  import Button from '../common/Button.svelte';
  import { Modal } from 'flowbite-svelte';
  import type { Revision } from '../api/api';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { chosenPart, partName, restore, restorePart, revisionPatch, revisions, save } from '../state/library';
  import TextField from '../common/TextField.svelte';
  import Difference from './Difference.svelte';
  import Variants from './Variants.svelte';

  let { open = $bindable() }: { open: boolean } = $props();
  let name = $state('');
  let list: Revision[] = $state.raw([]);

  $effect(() => {
    if (open) void messages.attempt(async () => void (list = await revisions()));
  });

  /** What is chosen on the sheet can be brought back alone. */
  const part = $derived(chosenPart());
  async function partBack(number: number): Promise<void> {
    open = false;
    if (part) await restorePart(number, part);
  }
  async function ghost(number: number): Promise<void> {
    open = false;
    const held = revisionPatch(number).then((patch) => workbench.tracing.hold(`version ${number}`, patch));
    await workbench.settling(held);
  }

  function back(number: number): void {
    open = false;
    void messages.attempt(() => restore(number));
  }
</script>

<Modal bind:open title="Variants and versions" size="md" outsideclose>
  <Variants onopened={() => (open = false)} />
  <h4>Versions</h4>
  <form
    onsubmit={(event) => {
      event.preventDefault();
      open = false;
      void messages.attempt(() => save(name));
      name = '';
    }}
  >
    <TextField label="Name of the version" placeholder="Name of this version" maxlength={120} bind:value={name} />
    <Button type="submit">Save as a version</Button>
  </form>
  <p>Every saved version stays. Going back is a change like any other: it can be undone.</p>
  <ul>
    {#each list as revision (revision.number)}
      <li>
        <b>{revision.number}</b>
        <span>{revision.reason} · {momentOf(revision.created_at)}</span>
        <Button aria-label="Go back to version {revision.number}" onclick={() => back(revision.number)}>Go back</Button>
        <Button
          aria-label="Hold version {revision.number} as ghost"
          onclick={() => void messages.attempt(() => ghost(revision.number))}>Ghost</Button
        >
        <Difference
          label="since version {revision.number}"
          between={async () => [await revisionPatch(revision.number), workbench.patch!] as const}
        />
        {#if part}
          <Button
            data-hint="Only {partName(part)}, as it was then"
            onclick={() => void messages.attempt(() => partBack(revision.number))}>Only {partName(part)}</Button
          >
        {/if}
      </li>
    {/each}
  </ul>
</Modal>

<style>
  form {
    display: flex;
    gap: 6px;
  }
  form :global(input) {
    flex: 1;
  }
  p {
    margin: 0;
    color: var(--faint);
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
    max-height: 50vh;
    overflow: auto;
  }
  h4 {
    margin: 8px 0 0;
    font-weight: 600;
    font-size: 14px;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 10px;
    align-items: center;
    padding: 5px 0;
    border-bottom: 1px solid var(--rule);
  }
  li span {
    flex: 1;
    color: var(--faint);
    font-size: 13px;
  }
</style>
