<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  /** A choice of yes or no, with what it says beside it or as a label. */
  interface Props {
    checked: boolean;
    onset: (checked: boolean) => void;
    label?: string;
    children?: Snippet;
  }
  let { checked, onset, label, children }: Props = $props();
</script>

{#snippet box()}
  <Checkbox
    class="tick"
    classes={{ div: 'contents' }}
    aria-label={label}
    {checked}
    onchange={(event: Event & { currentTarget: HTMLInputElement }) => onset(event.currentTarget.checked)}
  />
{/snippet}

{#if children}<label class="ticked">{@render box()}{@render children()}</label>{:else}{@render box()}{/if}
