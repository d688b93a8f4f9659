<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import ProgressBar from '../common/ProgressBar.svelte';
  import Button from '../common/Button.svelte';
  import type { Job } from '../api/api';
  import { saveResult } from '../state/files';
  import { underWay } from '../state/jobs.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';

  /** What is made in the background: how far it is, and the files that came of it. */
  let { open = $bindable() }: { open: boolean } = $props();
  const { jobs } = workbench;
  const STATES: Record<Job['state'], string> = {
    waiting: 'waits',
    running: 'is made',
    done: 'done',
    failed: 'failed',
    cancelled: 'cancelled'
  };

  $effect(() => {
    if (open) void messages.attempt(() => jobs.refresh());
  });

  const percent = (job: Job): number => Math.round(job.progress * 100);
</script>

<Modal bind:open title="Files in the making" size="md" outsideclose>
  <ul>
    {#each jobs.all as job (job.id)}
      <li>
        <span class="title">{job.title}</span>
        <small>{STATES[job.state]}{job.state === 'running' ? `, ${percent(job)} %` : ''}</small>
        {#if underWay(job)}
          <Button
            look="bare"
            aria-label="Cancel {job.title}"
            onclick={() => void messages.attempt(() => jobs.cancel(job.id))}>cancel</Button
          >
        {:else}
          {#if job.state === 'done'}
            <Button look="bare" aria-label="Save {job.file_name}" onclick={() => saveResult(job)}
              >save, {(job.result_bytes / 1e6).toFixed(1)} MB</Button
            >
          {/if}
          <Button
            look="bare"
            aria-label="Forget {job.title}"
            onclick={() => void messages.attempt(() => jobs.forget(job.id))}>forget</Button
          >
        {/if}
        {#if job.state === 'running'}
          <div class="bar">
            <ProgressBar percent={percent(job)} />
          </div>
        {/if}
        {#if job.said}<p>{job.said}</p>{/if}
      </li>
    {:else}
      <li class="none">Nothing is being made. Sounds and voltages that are written to files stand here, and stay.</li>
    {/each}
  </ul>
</Modal>

<style>
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    align-items: baseline;
    padding: 5px 0;
    border-bottom: 1px solid var(--rule);
  }
  .title {
    flex: 1;
    font-weight: 600;
  }
  small {
    color: var(--faint);
  }
  .bar,
  p {
    flex: 1 0 100%;
    margin: 0;
  }
  p {
    color: var(--madder);
    font-size: 13px;
  }
  .none {
    color: var(--faint);
  }
</style>
