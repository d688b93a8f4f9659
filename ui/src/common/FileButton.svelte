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
    /** Whether several may be chosen, or all that lies in a folder. */
    many?: 'files' | 'folder';
    onfile?: (file: File) => void;
    onfiles?: (files: readonly File[]) => void;
    children: Snippet;
  }
  let { label, accept, hint, look = 'quiet', many, onfile, onfiles, children }: Props = $props();
  let input: HTMLInputElement | undefined = $state();

  function chosen(event: Event & { currentTarget: HTMLInputElement }): void {
    const files = [...(event.currentTarget.files ?? [])];
    // The same file may be chosen again.
    event.currentTarget.value = '';
    if (files[0]) onfile?.(files[0]);
    if (files.length) onfiles?.(files);
  }
</script>

<Button {look} data-hint={hint} onclick={() => input?.click()}>{@render children()}</Button>
<input
  class="sr-only"
  type="file"
  {accept}
  multiple={many !== undefined}
  webkitdirectory={many === 'folder' || undefined}
  aria-label={label}
  tabindex="-1"
  bind:this={input}
  onchange={chosen}
/>
