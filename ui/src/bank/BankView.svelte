<script lang="ts">
  import { untrack } from 'svelte';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { shelf } from '../library/shelf-now';
  import { WORKS } from '../api/facts.gen';
  import type { WorkName } from './bank.svelte';
  import { bank } from './bank-now';
  import BankRuns from './BankRuns.svelte';
  import BankSettings from './BankSettings.svelte';
  import BankTable from './BankTable.svelte';
  import { about, size } from './table';

  /** Work over many patches: chosen, planned, under way, and what came of it. */
  const shown = $derived(workbench.view === 'bank');
  const says = $derived(bank.facts.says);

  $effect(() => {
    if (shown) void messages.attempt(() => shelf.aside());
  });
  $effect(() => {
    if (shown) void messages.attempt(() => untrack(() => bank.look()));
  });

  async function choose(which: string): Promise<void> {
    const query =
      which === ''
        ? { kind: ['patch'] }
        : which === 'mine'
          ? { kind: ['patch'], demos: 'without' as const }
          : { bank: which };
    const of = shelf.banks.find((one) => one.id === which)?.name;
    await bank.chooseFound(query, of ?? (which === 'mine' ? 'my patches' : 'every patch'));
  }
</script>

<div class="panel" role="group" aria-label="Work over a bank">
  <div class="bar">
    <Choice
      look="quiet"
      label="Which patches"
      prompt={bank.ids.length ? `${bank.ids.length}: ${bank.name || 'as chosen'}` : 'Which patches…'}
      options={[
        ['every', 'every patch'],
        ['mine', 'my own, no demos'],
        ...shelf.banks.map((one) => [one.id, `the bank ${one.name}`] as const)
      ]}
      onchoose={(which) => void messages.attempt(() => choose(which === 'every' ? '' : which))}
    />
    <Choice
      look="quiet"
      label="What is done with them"
      options={WORKS.map(({ name, title }) => [name, title])}
      value={bank.settings.work}
      onchoose={(work) => bank.set({ work: work as WorkName })}
    />
    <span class="says">{says}</span>
  </div>
  <div class="body">
    <div class="work">
      <BankSettings />
      <div class="plan" aria-live="polite">
        {#if !bank.ids.length}
          <p>Choose patches here, or in the Library and then <em>Work on them</em>.</p>
        {:else if bank.trouble}
          <p class="trouble" role="alert">{bank.trouble}</p>
        {:else if bank.plan}
          {@const plan = bank.plan}
          <p>
            <b>{plan.pieces} {plan.pieces === 1 ? 'piece' : 'pieces'}</b> of {plan.patches}
            {plan.patches === 1 ? 'patch' : 'patches'}, {about(plan.sound_s).replace('about ', '')} of sound; {about(
              plan.work_s
            )} here{plan.file_bytes ? `, about ${size(plan.file_bytes)} of files` : ''}.
          </p>
          {#if plan.unfit.length}<p class="faint">
              {plan.unfit.length} left alone: {plan.unfit.slice(0, 3).join(' ')}
            </p>{/if}
        {:else}<p class="faint">Planning…</p>{/if}
        <Button class="strong" disabled={!bank.ready} onclick={() => void messages.attempt(() => bank.begin())}
          >Begin</Button
        >
      </div>
      <BankRuns />
    </div>
    <BankTable />
  </div>
</div>

<style>
  .says,
  .faint {
    color: var(--faint);
  }
  .says {
    font-size: 13px;
  }
  .body {
    display: grid;
    grid-template-columns: 250px 1fr;
    flex: 1;
    min-height: 0;
  }
  .work {
    overflow: hidden auto;
    scrollbar-width: thin;
    padding: 10px 14px;
    border-right: 1px solid var(--rule);
    font-size: 13px;
  }
  .plan {
    margin: 10px 0 14px;
    padding: 8px 0;
    border-top: 1px solid var(--rule);
    border-bottom: 1px solid var(--rule);
  }
  .plan p {
    margin: 0 0 6px;
  }
</style>
