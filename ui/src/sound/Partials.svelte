<script lang="ts">
  import { term } from '../common/hint';
  import { decibelsOf, figure, hertz, noteName, seconds } from '../common/format';
  import { FAINT_DB } from '../draw/draw-sound';
  import type { Look } from '../api/look';

  /** The harmonics at a moment by number, with their frequency, note and level, beside a ghost's. */
  let { look, behind, at, ghost }: { look: Look | null; behind: Look | null; at: number; ghost: string } = $props();
  const UNHEARD_DB = -100;
  const before = $derived(new Map(behind?.partials.map((partial) => [partial.number, partial.db])));
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="partials" role="region" aria-label="Table of harmonics" tabindex="0">
  <table class="figures">
    <caption>Harmonics at {seconds(at)}</caption>
    <thead
      ><tr
        ><th>No.</th><th>Hz</th><th>note</th><th>dB</th>{#if behind}<th {...term(ghost)}>ghost</th>{/if}</tr
      ></thead
    >
    <tbody>
      {#each (look?.partials ?? []).filter((p) => p.db > UNHEARD_DB) as partial (partial.number)}
        <tr class:faint={partial.db < FAINT_DB}>
          <td>{partial.number}</td>
          <td>{hertz(partial.hz)}</td>
          <td>{noteName(partial.key)}</td>
          <td>{figure(partial.db)}</td>
          {#if behind}<td>{decibelsOf(before.get(partial.number))}</td>{/if}
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .partials {
    padding-right: 12px;
    overflow: auto;
    scrollbar-width: thin;
    border-right: 1px solid var(--rule);
  }
  .faint {
    color: var(--faint);
  }
</style>
