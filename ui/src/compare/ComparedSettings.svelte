<script lang="ts">
  import { term } from '../common/hint';
  import type { Comparing } from './comparing.svelte';

  /** Every setting in which versions or patches are unlike, moved or not. */
  let { of }: { of: Comparing } = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="settings" role="region" aria-label="Settings that differ" tabindex="0">
  <table class="figures">
    <caption>Settings that differ</caption>
    <thead>
      <tr
        ><th></th>{#each of.steps as { label, facts } (facts)}<th>{label}</th>{/each}</tr
      >
    </thead>
    <tbody>
      {#each of.differences as difference (difference.path)}
        <tr>
          <td {...term(difference.path)}>{difference.path.replaceAll('_', ' ')}</td>
          {#each of.steps as { place } (place)}<td>{difference.values[place] || '–'}</td>{/each}
        </tr>
      {:else}
        <tr><td class="none" colspan={of.steps.length + 1}>None: voice, sources and routes are set alike.</td></tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .none {
    white-space: normal;
    text-align: left;
  }
  .settings {
    overflow: auto;
    scrollbar-width: thin;
    border-left: 1px solid var(--rule);
    padding: 0 10px;
  }
</style>
