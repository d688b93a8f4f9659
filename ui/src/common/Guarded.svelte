<script lang="ts">
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';

  /** A part of the screen that may fail by itself: an error in it is said in its place, and all else goes on. */
  let { what, children }: { what: string; children: Snippet } = $props();

  const said = (error: unknown): string => (error instanceof Error ? error.message : String(error));
</script>

<svelte:boundary onerror={(error) => console.error(error)}>
  {@render children()}
  {#snippet failed(error, reset)}
    <div class="failed" role="alert">
      <p>{what} cannot be shown. Your work is safe. The error is: {said(error)}</p>
      <Button onclick={reset}>Reload view</Button>
    </div>
  {/snippet}
</svelte:boundary>

<style>
  .failed {
    display: grid;
    justify-items: start;
    gap: 10px;
    padding: 16px;
    overflow-wrap: anywhere;
  }
</style>
