<script lang="ts">
  import type { Snippet } from 'svelte';
  import Button from './Button.svelte';

  /** A button that asks for a file. */
  interface Props {
    /** What is asked for, as screen readers say it. */
    label: string;
    /** Which files, as an input of the page takes it. */
    accept: string;
    hint?: string;
    look?: 'quiet' | 'bare';
    onfile: (file: File) => void;
    children: Snippet;
  }
  let { label, accept, hint, look = 'quiet', onfile, children }: Props = $props();
  let input: HTMLInputElement | undefined = $state();

  function chosen(event: Event & { currentTarget: HTMLInputElement }): void {
    const file = event.currentTarget.files?.[0];
    // The same file may be chosen again.
    event.currentTarget.value = '';
    if (file) onfile(file);
  }
</script>

<Button {look} data-hint={hint} onclick={() => input?.click()}>{@render children()}</Button>
<input class="sr-only" type="file" {accept} aria-label={label} tabindex="-1" bind:this={input} onchange={chosen} />
