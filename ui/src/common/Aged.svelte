<script lang="ts">
  import type { Snippet } from 'svelte';
  import { lateness } from '../state/late.svelte';

  /** Figures that may be of an earlier edit: greyed at once while they are, and marked as busy when it takes long. */
  let { old, children }: { old: boolean; children: Snippet } = $props();
  const late = lateness(() => old);
</script>

<div class="aged" aria-busy={late.isLate}>
  <div class:is-old={old}>{@render children()}</div>
  {#if late.isLate}<small role="status">Working out…</small>{/if}
</div>

<style>
  .aged {
    position: relative;
  }
  small {
    position: absolute;
    top: 0;
    right: 0;
    padding: 0 4px;
    background: var(--paper);
    color: var(--faint);
    font-size: 11px;
  }
</style>
