<script lang="ts">
  import { AccordionItem } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  /** A part of a page that folds away under its title. */
  interface Props {
    title: string;
    open?: boolean;
    hint?: string | undefined;
    children: Snippet;
  }
  let { title, open = $bindable(false), hint, children }: Props = $props();
</script>

<div class="fold" role="group" aria-label={title}>
  <AccordionItem
    bind:open
    headingTag="h3"
    transitionType="none"
    classes={{ button: 'fold-title', content: 'fold-part' }}
  >
    {#snippet header()}<span data-hint={hint}>{title}</span>{/snippet}
    {#snippet arrowup()}<span aria-hidden="true">▾</span>{/snippet}
    {#snippet arrowdown()}<span aria-hidden="true">▸</span>{/snippet}
    {#if open}{@render children()}{/if}
  </AccordionItem>
</div>

<style>
  .fold {
    border-top: 1px solid var(--rule);
    padding: 4px 0;
  }
  .fold :global(h3) {
    margin: 0;
    padding: 0;
    border: 0;
  }
  .fold :global(.fold-title) {
    display: flex;
    flex-direction: row-reverse;
    justify-content: flex-end;
    gap: 6px;
    width: 100%;
    padding: 2px 0 5px;
    border: 0;
    background: none;
    color: var(--ink);
    font-weight: 600;
    font-size: 13.5px;
    cursor: pointer;
    box-shadow: none;
  }
  .fold :global(.fold-part) {
    padding: 0;
    border: 0;
    background: none;
    color: inherit;
  }
</style>
