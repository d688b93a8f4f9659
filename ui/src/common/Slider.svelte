<script lang="ts">
  import { Range } from 'flowbite-svelte';

  /** A slider from 0 to 1. */
  interface Props {
    value: number;
    label: string;
    /** At each step of a turn. */
    onturn: (value: number) => void;
    /** When it is let go. */
    onrest?: () => void;
    step?: number;
  }
  let { value, label, onturn, onrest, step = 0.01 }: Props = $props();
</script>

<Range
  class="slider"
  min="0"
  max="1"
  {step}
  aria-label={label}
  bind:value={() => value, (to) => onturn(Number(to))}
  onchange={onrest}
/>
