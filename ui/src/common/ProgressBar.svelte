<script lang="ts">
  import { Progressbar } from 'flowbite-svelte';

  /** How much of something is done, in percent. */
  let { percent }: { percent: number } = $props();
</script>

<div class="bar">
  <Progressbar progress={percent} animate={false} size="h-1.5" class="track" />
</div>

<style>
  .bar :global(.track) {
    background: var(--edge);
  }
  .bar :global(.track > div) {
    background: var(--ink);
  }
</style>
