<script lang="ts">
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import Findings from '../sheet/Findings.svelte';
  import { player } from '../state/playing';
  import { lateness } from '../state/late.svelte';
  import { settings } from '../state/settings.svelte';

  const drafts = workbench.drafts;
  const SEVERITY: Record<string, string> = { fault: 'Fault', caution: 'Caution', note: 'Note' };
  let listed = $state(false);
  const failure = $derived(workbench.failure || workbench.tracing.failure);
  const asides = $derived(workbench.judging.judgement?.findings.filter((f) => f.set_aside != null).length ?? 0);
  const first = $derived(
    workbench.judging.findings.find((f) => f.key === workbench.judging.trying?.key) ?? workbench.judging.findings[0]
  );
  const late = lateness(() => workbench.judging.isOld);
  const POINTER = [
    'Point anywhere on the sheet: every stave reads out at that moment.',
    'Click a source and drag its squares, or type 180ms, 1/8d, 7st into any figure.',
    'Space plays. Loop it, and hear each change at the next pass.'
  ];
</script>

<footer>
  {#if drafts.state === 'waiting'}
    <div class="bar trouble" role="alert">
      <b>Not kept yet</b><span>{drafts.trouble}</span><Button onclick={() => void drafts.flush()}>Try now</Button>
    </div>
  {:else if drafts.state === 'refused'}
    <div class="bar trouble" role="alert"><b>Not kept</b><span>{drafts.trouble}</span></div>
  {:else if failure}
    <div class="bar trouble" role="alert">
      <b>No trace</b><span>{failure}</span><Button onclick={() => workbench.tracing.ask()}>Try again</Button>
    </div>
  {/if}
  {#if workbench.patch && !first}
    <div class="bar finding" data-severity="none">
      <span class:is-old={workbench.judging.isOld} aria-busy={late.isLate}
        ><small
          >{workbench.judging.judgement ? 'Nothing to point out.' : 'Looking…'}{asides
            ? ` ${asides} set aside.`
            : ''}</small
        ></span
      >
      {#if asides}<Button onclick={() => (listed = true)}>Look</Button>{/if}
    </div>
  {:else if first}
    <div class="bar finding" data-severity={first.severity}>
      <b>{SEVERITY[first.severity]}</b>
      <span class:is-old={workbench.judging.isOld} aria-busy={late.isLate}
        ><em>{first.sentence}</em> <small>{first.why}</small></span
      >
      {#if workbench.judging.trying?.key === first.key}
        <small>Behind, as it would be: {workbench.judging.trying.fix}</small>
        <Button class="strong" disabled={workbench.judging.stale} onclick={() => workbench.judging.take()}
          >Take it</Button
        >
        <Button onclick={() => workbench.judging.leave()}>Leave it</Button>
      {:else}
        <Button onclick={() => workbench.showFinding(first)}>Show</Button>
        {#if first.fixed}<Button class="strong" onclick={() => workbench.judging.try(first)}>Try: {first.fix}</Button
          >{/if}
        <Button onclick={() => (listed = true)}
          >{workbench.judging.findings.length > 1 ? `${workbench.judging.findings.length - 1} more` : 'All'}</Button
        >
      {/if}
    </div>
  {/if}
  {#if player.guarded}
    <div class="bar" role="alert">
      <b>Turned down</b><span>{player.guarded}</span>
      <Button onclick={() => player.allow()}>Play it as it is</Button>
    </div>
  {/if}
  {#if !settings.now.cautionSeen && player.playing}
    <div class="bar" role="status">
      <b>Ears</b>
      <span
        >Playback starts low and passes a limiter. Resonance and fast high notes can still jump by 20 dB; headphones are
        the greater risk.</span
      >
      <Button onclick={() => settings.set({ cautionSeen: true })}>Understood</Button>
    </div>
  {:else if !settings.now.pointerSeen}
    <div class="bar">
      <ol>
        {#each POINTER as step, i (i)}<li>{step}</li>{/each}
      </ol>
      <Button onclick={() => settings.set({ pointerSeen: true })}>Got it</Button>
    </div>
  {/if}
</footer>

<Findings bind:open={listed} />

<style>
  footer {
    display: flex;
    flex-direction: column;
    gap: 5px;
  }
  .bar {
    display: flex;
    align-items: center;
    gap: 10px;
    background: var(--paper);
    border: 1px solid var(--rule);
    border-left: 4px solid var(--weld);
    border-radius: 6px;
    padding: 5px 12px;
    font-size: 13.5px;
  }
  .bar.trouble {
    border-left-color: var(--madder);
  }
  .bar span {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
  }
  .finding {
    min-height: 30px;
  }
  @media (max-width: 900px) {
    .bar {
      flex-wrap: wrap;
    }
    .finding > span {
      white-space: normal;
      flex-basis: 100%;
    }
  }
  .finding[data-severity='none'] {
    border-left-color: var(--rule);
  }
  .finding > span {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .finding b {
    color: var(--weld);
  }
  .finding[data-severity='fault'] b {
    color: var(--madder);
  }
  .finding[data-severity='fault'] {
    border-left-color: var(--madder);
  }
  .finding[data-severity='note'] {
    border-left-color: var(--woad);
  }
  .finding[data-severity='note'] b {
    color: var(--woad);
  }
  em {
    font-style: normal;
  }
  small {
    font-size: 12.5px;
    color: var(--faint);
  }
  footer :global(.strong) {
    max-width: 24rem;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  ol {
    flex: 1;
    display: flex;
    flex-wrap: wrap;
    gap: 2px 22px;
    margin: 0;
    padding: 0;
    list-style: decimal inside;
  }
</style>
