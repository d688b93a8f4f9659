<script lang="ts">
  import type { Job } from '../api/api';
  import Button from './Button.svelte';
  import ProgressBar from './ProgressBar.svelte';

  /** How far a job is that this view waits for, and a way to give it up. */
  let { job, says, oncancel }: { job: Job; says: string; oncancel: () => void } = $props();
  const percent = $derived(Math.round(job.progress * 100));
</script>

<div class="progress" role="status" aria-label="{says}, {percent} %">
  <ProgressBar {percent} />
</div>
<Button look="bare" onclick={oncancel}>cancel</Button>

<style>
  .progress {
    width: 90px;
  }
</style>
