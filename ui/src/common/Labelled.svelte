<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A field of the page at the right: its name, its editor, and under it what else there is to say. */
  let {
    name,
    help = '',
    under = '',
    children
  }: { name: string; help?: string; under?: string; children: Snippet } = $props();
</script>

<div class="labelled" data-hint={help}>
  <span class="name">{name}</span>
  <div class="editor">{@render children()}</div>
  {#if under}<p>{under}</p>{/if}
</div>

<style>
  .labelled {
    display: grid;
    grid-template-columns: 6.4rem 1fr;
    align-items: center;
    gap: 2px 8px;
    margin-bottom: 5px;
  }
  .name {
    color: var(--faint);
    font-size: 13.5px;
  }
  .editor {
    min-width: 0;
  }
  .editor :global(select.field),
  .editor :global(textarea.field),
  .editor :global(input.field) {
    width: 100%;
  }
  p {
    grid-column: 2;
    margin: 0;
    font-size: 12px;
    color: var(--faint);
  }
</style>
