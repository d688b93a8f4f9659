<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import type { Revision } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { restore, revisions } from '../lib/library';

  let { open = $bindable() }: { open: boolean } = $props();
  let list: Revision[] = $state.raw([]);

  $effect(() => {
    if (open) void bench.attempt(async () => void (list = await revisions()));
  });

  function back(number: number): void {
    open = false;
    void bench.attempt(() => restore(number));
  }
</script>

<Modal bind:open title="Versions" size="sm" outsideclose>
  <p>Every saved version stays. Going back is a change like any other: it can be undone.</p>
  <ul>
    {#each list as revision (revision.number)}
      <li>
        <b>{revision.number}</b>
        <span>{revision.reason} · {new Date(revision.created_at).toLocaleString('en-GB')}</span>
        <button class="quiet" aria-label="Go back to version {revision.number}" onclick={() => back(revision.number)}
          >Go back</button
        >
      </li>
    {/each}
  </ul>
</Modal>

<style>
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
  li {
    display: flex;
    gap: 10px;
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
