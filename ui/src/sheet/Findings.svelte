<script lang="ts">
  import Button from '../common/Button.svelte';
  import { Modal } from 'flowbite-svelte';
  import { workbench } from '../state/workbench.svelte';
  import { seconds } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import { practice, practise } from '../practice/practice-now';
  import TextField from '../common/TextField.svelte';

  /** Everything that was found: each can be shown, fixed, or set aside with a reason that stays with the patch. */
  let { open = $bindable() }: { open: boolean } = $props();
  let aside: string | null = $state(null);
  let reason = $state('');
  $effect(() => {
    if (open) void messages.attempt(() => practice.learnAbouts());
  });
  const all = $derived(workbench.judging.judgement?.findings ?? []);
  const WORD: Record<string, string> = { fault: 'Fault', caution: 'Caution', note: 'Note' };
</script>

<Modal bind:open title="Findings" size="lg" outsideclose>
  <ul class:is-old={workbench.judging.isOld} aria-busy={workbench.judging.isOld}>
    {#each all as finding, i (`${finding.key} ${finding.from_s} ${i}`)}
      <li class:aside={finding.set_aside != null} data-severity={finding.severity}>
        <p><b>{WORD[finding.severity]}</b> {finding.sentence}</p>
        <p class="why">{finding.why} At {seconds(finding.from_s)}.</p>
        {#if finding.set_aside != null}
          <p class="why">Set aside: {finding.set_aside || 'no reason given'}</p>
          <Button onclick={() => workbench.judging.bringBack(finding.key)}>Look at it again</Button>
        {:else if aside === finding.key}
          <form
            onsubmit={(event) => {
              event.preventDefault();
              workbench.judging.setAside(finding, reason);
              aside = null;
              reason = '';
            }}
          >
            <TextField label="Why it is meant" placeholder="Why it is meant" bind:value={reason} />
            <Button type="submit">Set it aside</Button>
          </form>
        {:else}
          <div class="acts">
            <Button
              onclick={() => {
                open = false;
                workbench.showFinding(finding);
              }}>Show</Button
            >
            {#if finding.fixed}
              <Button
                onclick={() => {
                  open = false;
                  workbench.judging.try(finding);
                }}>Try: {finding.fix}</Button
              >
            {/if}
            <Button onclick={() => (aside = finding.key)}>Set aside…</Button>
            {#if practice.abouts.has(finding.rule)}
              <Button
                look="bare"
                onclick={() => {
                  open = false;
                  void messages.attempt(() => practise(finding.rule));
                }}>Practise this</Button
              >
            {/if}
          </div>
        {/if}
      </li>
    {:else}
      <li>Nothing was found.</li>
    {/each}
  </ul>
</Modal>

<style>
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
    max-height: 60vh;
    overflow: auto;
  }
  li {
    border-left: 4px solid var(--weld);
    padding: 6px 12px;
    margin-bottom: 8px;
  }
  li[data-severity='fault'] {
    border-color: var(--madder);
  }
  li[data-severity='note'] {
    border-color: var(--woad);
  }
  .aside {
    opacity: 0.75;
  }
  p {
    margin: 0 0 3px;
  }
  .why {
    font-size: 13px;
    color: var(--faint);
  }
  .acts,
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  form :global(input) {
    flex: 1;
  }
</style>
