<script lang="ts">
  import Guarded from './Guarded.svelte';

  /** A part that fails while `breaks` returns true, beside one that does not. */
  let { breaks }: { breaks: () => boolean } = $props();

  function shown(): string {
    if (breaks()) throw new Error('two rows have one key');
    return 'the rows';
  }
</script>

<Guarded what="The logbook"><p>{shown()}</p></Guarded>
<p>the rest</p>
