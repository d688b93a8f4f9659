<script lang="ts">
  import { Tooltip } from 'flowbite-svelte';
  import { onMount } from 'svelte';

  /** What is wrong with the field before it: beside it, over everything, so that nothing moves because it is said. */
  let { text }: { text: string } = $props();
  let isOpen = $state(false);
  onMount(() => {
    isOpen = true;
  });
</script>

<Tooltip bind:isOpen trigger="click" arrow={false} placement="bottom-end" offset={4} class="wrong">
  <span role="alert">{text}</span>
</Tooltip>
