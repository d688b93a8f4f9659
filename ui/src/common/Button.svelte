<script lang="ts">
  import { Button, type ButtonProps } from 'flowbite-svelte';
  import type { HTMLButtonAttributes } from 'svelte/elements';

  /** A button in the app's own look: a quiet frame, or bare, which reads as text. */
  interface Props extends Omit<HTMLButtonAttributes, 'class' | 'disabled'> {
    look?: 'quiet' | 'bare';
    class?: string;
    disabled?: boolean;
  }
  let { look = 'quiet', class: more = '', children, ...rest }: Props = $props();
  const passed = $derived(rest as unknown as ButtonProps);
</script>

<Button {...passed} class="{look} {more}">{@render children?.()}</Button>
