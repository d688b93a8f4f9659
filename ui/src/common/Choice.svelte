<script lang="ts" module>
  /** What is chosen, and how it reads. */
  export type Option = readonly [value: string, text: string];
  /** Options under a title. */
  export interface Group {
    title: string;
    options: readonly Option[];
  }
</script>

<script lang="ts">
  import { Select } from 'flowbite-svelte';

  /** A choice among a few. With a prompt it is a menu: it stands at the prompt, and goes back to it. */
  interface Props {
    label: string;
    options: readonly (Option | Group)[];
    onchoose: (value: string) => void;
    value?: string;
    prompt?: string;
    look?: 'field' | 'quiet' | 'link';
    hint?: string | undefined;
    class?: string;
  }
  let { label, options, onchoose, value = '', prompt, look = 'field', hint, class: more = '' }: Props = $props();

  /** What the menu itself stands at; it goes back once the select has told what was chosen. */
  let picked = $state('');

  function chosen(event: Event & { currentTarget: HTMLSelectElement }): void {
    const one = event.currentTarget.value;
    if (prompt !== undefined) queueMicrotask(() => (picked = ''));
    if (one || prompt === undefined) onchoose(one);
  }
</script>

{#snippet each(some: readonly Option[])}
  {#each some as [option, text], i (i)}<option value={option}>{text}</option>{/each}
{/snippet}

<Select
  class="contents"
  classes={{ select: `choice ${look} ${more}` }}
  placeholder=""
  aria-label={label}
  data-hint={hint}
  bind:value={() => (prompt === undefined ? value : picked), (one) => (picked = String(one))}
  onchange={chosen}
>
  {#if prompt !== undefined}<option value="">{prompt}</option>{/if}
  {#each options as one, i (i)}
    {#if 'title' in one}
      {#if one.options.length > 0}<optgroup label={one.title}>{@render each(one.options)}</optgroup>{/if}
    {:else}{@render each([one])}{/if}
  {/each}
</Select>
