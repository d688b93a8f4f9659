<script lang="ts">
  import Button from '../common/Button.svelte';
  import type { Patch } from '../api/api';
  import { whatChanged } from '../state/library';
  import { messages } from '../state/messages.svelte';

  /** What changed from one patch to another, told when it is asked for: in words, and what that comes to. */
  interface Props {
    /** What the two are called, for who does not see where the button stands. */
    label: string;
    /** Returns the two. */
    between: () => Promise<readonly [Patch, Patch]>;
  }
  let { label, between }: Props = $props();
  let told: string[] | null = $state.raw(null);
  let open = $state(false);

  function tell(): void {
    open = !open;
    if (open) void messages.attempt(async () => void (told = await whatChanged(...(await between()))));
  }
</script>

<Button look="bare" aria-label="What changed {label}" aria-expanded={open} onclick={tell}>what changed</Button>
{#if open}
  <ul class="told" aria-label="What changed {label}">
    {#each told ?? ['Looking…'] as sentence, i (i)}<li>{sentence}</li>{:else}<li>The two say the same.</li>{/each}
  </ul>
{/if}

<style>
  .told {
    flex-basis: 100%;
    margin: 2px 0 6px;
    padding-left: 14px;
    list-style: '· ';
    font-size: 13px;
    color: var(--faint);
  }
</style>
