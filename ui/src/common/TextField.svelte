<script lang="ts">
  import { Input, Textarea, type InputProps, type InputValue, type TextareaProps } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';
  import Wrong from './Wrong.svelte';

  /**
   * A line of text, or several with `rows`. With `onset` it is set when it is left or Enter is pressed: what comes
   * back is why it was refused, which stands beside the field until it is put right. Without, its value is bound.
   */
  interface Props extends Omit<HTMLInputAttributes, 'class' | 'value' | 'size'> {
    label: string;
    value?: string;
    onset?: (text: string) => string | void;
    rows?: number;
    hint?: string | undefined;
    class?: string;
  }
  let { label, value = $bindable(''), onset, rows, hint, class: more = '', ...rest }: Props = $props();

  let typed: string | null = $state(null);
  let wrong = $state('');

  function type(text: string): void {
    wrong = '';
    if (onset) typed = text;
    else value = text;
  }

  function set(): void {
    if (typed === null || !onset) return;
    wrong = (typed === value ? undefined : onset(typed)) ?? '';
    if (!wrong) typed = null;
  }

  function back(event: KeyboardEvent): void {
    if (event.key !== 'Escape' || typed === null) return;
    event.stopPropagation();
    typed = null;
    wrong = '';
  }

  const own = $derived({
    'aria-label': label,
    'data-hint': hint,
    class: `field ${more}`,
    ...(onset ? { onchange: set, onkeydown: back, 'aria-invalid': wrong !== '' } : {}),
    ...rest
  });
</script>

{#if rows === undefined}
  <Input
    {...own as unknown as InputProps<InputValue>}
    bind:value={() => typed ?? value, (text) => type(String(text ?? ''))}
  />
{:else}
  <Textarea
    {...own as unknown as TextareaProps}
    {rows}
    classes={{ div: 'contents' }}
    bind:value={() => typed ?? value, (text) => type(text ?? '')}
  />
{/if}
{#if wrong}<Wrong text={wrong} />{/if}
