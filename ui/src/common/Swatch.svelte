<script lang="ts">
  /** A short piece of a curve as it is drawn: its colour, and its pattern, which says the same without colour. */
  let { dye, dash }: { dye: string; dash: readonly number[] } = $props();
</script>

<svg width="24" height="8" aria-hidden="true"
  ><line x1="0" x2="24" y1="4" y2="4" stroke="var(--{dye})" stroke-width="2" stroke-dasharray={dash.join(' ')} /></svg
>

<style>
  svg {
    display: inline;
    flex: none;
  }
</style>
