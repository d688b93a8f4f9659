<script lang="ts">
  import Button from '../common/Button.svelte';
  import JobProgress from '../common/JobProgress.svelte';
  import { underWay } from '../state/jobs.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { bank } from './bank-now';
  import { about } from './table';

  /** The works that there are: how far each is, and a way to stop it, to look at it, to let it go. */
  const jobs = workbench.jobs;
  const said = (job: (typeof bank.runs)[number]): string => {
    const facts = job.facts as { pieces?: number; failed?: number; faults?: number; moved?: number };
    if (job.state === 'waiting') return 'waiting';
    if (job.state === 'failed') return job.said;
    if (job.state === 'cancelled') return 'stopped; what was done is there';
    const parts = [`${facts.pieces ?? 0} pieces`];
    if (facts.failed) parts.push(`${facts.failed} failed`);
    if (facts.faults) parts.push(`${facts.faults} faults`);
    if (facts.moved) parts.push(`${facts.moved} moved`);
    return parts.join(', ');
  };
</script>

{#if bank.runs.length}
  <h4>Works</h4>
  <ul aria-label="Works over banks">
    {#each bank.runs as job (job.id)}
      <li class:on={bank.run === job.id}>
        <Button
          look="bare"
          aria-pressed={bank.run === job.id}
          onclick={() => void messages.attempt(() => bank.open(job.id))}><b>{job.title}</b></Button
        >
        {#if job.state === 'running'}
          {@const left = bank.left.get(job.id)}
          <span class="line">
            <JobProgress
              {job}
              says="How far {job.title} is"
              oncancel={() => void messages.attempt(() => jobs.cancel(job.id))}
            />
          </span>
          <span class="line">{Math.round(job.progress * 100)} %{left == null ? '' : `, ${about(left)} left`}</span>
        {:else}
          <span class="line">
            {said(job)}
            {#if !underWay(job)}
              <Button
                look="bare"
                aria-label="Let {job.title} go"
                onclick={() => void messages.attempt(() => jobs.forget(job.id))}>✕</Button
              >
            {:else}
              <Button look="bare" onclick={() => void messages.attempt(() => jobs.cancel(job.id))}>stop</Button>
            {/if}
          </span>
        {/if}
      </li>
    {/each}
  </ul>
{/if}

<style>
  h4 {
    margin: 0 0 4px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    padding: 4px 6px;
    border-left: 3px solid transparent;
  }
  li.on {
    border-left-color: var(--accent, #8a5a00);
    background: var(--chosen, transparent);
  }
  .line {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 6px;
    color: var(--faint);
  }
</style>
