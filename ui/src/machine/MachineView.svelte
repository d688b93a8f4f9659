<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import TextField from '../common/TextField.svelte';
  import { asBody } from '../api/api';
  import { saveMidi } from '../phrase/files';
  import { saveDocument } from '../state/files';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import CardEditor from './CardEditor.svelte';
  import { machine } from './machine-now';

  /** The open patch in the figures of an instrument at hand: where each control stands, how far off, what cannot be had. */
  const SOON_MS = 200;
  const shown = $derived(workbench.view === 'machine');
  const { found, card } = $derived({ found: machine.found, card: machine.card });
  let typing = $state(false);
  let editing = $state(false);

  $effect(() => {
    if (shown) void messages.attempt(() => machine.refresh());
  });
  $effect(() => {
    void workbench.patch;
    if (!shown) return;
    const timer = setTimeout(() => void machine.look(), SOON_MS);
    return () => clearTimeout(timer);
  });

  const needed = $derived(
    (workbench.patch?.modules ?? []).filter((module) => card?.sources?.some((source) => source.kind === module.kind))
  );
  const given = $derived(new Map((found?.rows ?? []).map((row) => [row.control, row])));
  const far = (unit: string, error: number): boolean =>
    (unit === 'cents' && Math.abs(error) >= 10) ||
    (unit === 'ms' && Math.abs(error) >= 5) ||
    (unit === 'dB' && Math.abs(error) >= 1);
  const sources = (kind: string): [string, string][] => [
    ['', 'none of it'],
    ...(card?.sources ?? []).filter((one) => one.kind === kind).map((one) => [one.name, one.name] as [string, string])
  ];
  function typed(control: string, text: string): void {
    machine.figures = { ...machine.figures, [control]: text };
  }
  async function asMidi(): Promise<void> {
    const { phrase } = workbench.phrasing;
    if (phrase && workbench.patch && card) await saveMidi(phrase, { document: asBody(workbench.patch), card });
  }
</script>

<div class="panel" role="group" aria-label="On a machine">
  <div class="bar">
    {#if machine.heads.length}
      <Choice
        look="quiet"
        label="Which machine"
        options={machine.heads.map((head) => [head.id, head.name])}
        value={machine.id}
        onchoose={(id) => void messages.attempt(() => machine.choose(id))}
      />
      <Button
        onclick={() => {
          machine.ghost();
          workbench.view = 'note';
        }}
        disabled={!found}
        data-hint="What the machine would make of it, behind the sheet">Show it as a ghost</Button
      >
      <Button
        aria-pressed={typing}
        onclick={() => (typing = !typing)}
        data-hint="Type what a panel says, and see its note">From a panel</Button
      >
      {#if typing}
        <Button class="strong" onclick={() => void messages.attempt(() => machine.fromPanel())}>Make its patch</Button>
      {/if}
      <Button aria-pressed={editing} onclick={() => (editing = !editing)}>Edit the card</Button>
      <Button onclick={() => card && saveDocument(card, 'card')}>Card file</Button>
      {#if workbench.phrasing.phrase}
        <Button
          onclick={() => void messages.attempt(asMidi)}
          data-hint="The phrase, and what moves as the machine's own controllers">MIDI for it</Button
        >
      {/if}
    {/if}
    <Button
      onclick={() =>
        void messages.attempt(async () => {
          await machine.make();
          editing = true;
        })}>New card</Button
    >
  </div>
  {#if machine.trouble}<p class="trouble" role="alert">{machine.trouble}</p>{/if}
  {#if !machine.heads.length}
    <p class="none">
      No machine card is kept yet. A card says what each control of an instrument is: make one here, or open its file in
      the Library.
    </p>
  {:else if editing && card}
    {#if found?.missing.length}<p class="unsaid">{found.missing.join('; ')}.</p>{/if}
    <CardEditor {card} />
  {:else if found && card}
    <div class="body">
      <table class="figures" aria-label="Panel of {card.name}">
        <thead>
          <tr
            ><th>control</th><th>stands at</th><th>wanted</th><th>off by</th>{#if typing}<th>panel says</th>{/if}</tr
          >
        </thead>
        <tbody>
          {#each found.rows.filter((one) => one.control.startsWith('slot ')) as row (row.control)}
            <tr>
              <th scope="row">{row.control}</th>
              <td><b>{row.nearest}</b></td>
              <td>{row.wanted}</td>
              <td class:far={row.error_text !== 'exact'}>{row.error_text}</td>
              {#if typing}<td></td>{/if}
            </tr>
          {/each}
          {#each card.controls ?? [] as control, i (i)}
            {@const row = given.get(control.name)}
            <tr class:unused={!row}>
              <th scope="row">{control.name}</th>
              <td><b>{row?.nearest ?? '–'}</b></td>
              <td>{row?.wanted ?? ''}</td>
              <td class:far={row && far(row.error_unit, row.error)}>{row?.error_text ?? ''}</td>
              {#if typing}
                <td>
                  <TextField
                    label="Panel figure of {control.name}"
                    class="said"
                    maxlength={40}
                    value={machine.figures[control.name] ?? ''}
                    placeholder={control.shown === 'names' ? (control.positions?.[0] ?? '') : ''}
                    onset={(text) => typed(control.name, text)}
                  />
                </td>
              {/if}
            </tr>
          {/each}
        </tbody>
      </table>
      <div class="beside">
        {#if needed.length}
          <h4>Which source is which</h4>
          {#each needed as module (module.id)}
            <label class="given"
              >{module.id}
              <Choice
                look="quiet"
                label="Source of the machine for {module.id}"
                options={sources(module.kind)}
                value={found.assigned[module.id] ?? ''}
                onchoose={(source) => machine.give(module.id, source)}
              /></label
            >
          {/each}
        {/if}
        <h4>What cannot be had</h4>
        <ul aria-label="What cannot be had">
          {#each found.cannot as sentence, i (i)}<li>{sentence}</li>{:else}<li class="fine">All of it can.</li>{/each}
        </ul>
        {#if found.missing.length}
          <h4>What the card leaves unsaid</h4>
          <ul aria-label="What the card leaves unsaid">
            {#each found.missing as sentence, i (i)}<li>{sentence}</li>{/each}
          </ul>
        {/if}
        {#if card.notes}<p class="notes">{card.notes}</p>{/if}
      </div>
    </div>
  {:else}<p class="none">Working it out…</p>{/if}
</div>

<style>
  .body {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
    overflow: hidden;
  }
  .body > :global(*) {
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  table {
    display: block;
    padding: 6px 4px 12px 0;
  }
  tbody th {
    text-align: left;
    color: var(--ink);
    font-weight: 400;
    padding-left: 14px;
  }
  td {
    padding: 2px 8px;
    text-align: right;
    white-space: nowrap;
  }
  .far {
    color: var(--madder);
    font-weight: 600;
  }
  .unused {
    opacity: 0.6;
  }
  td :global(.said) {
    width: 6rem;
  }
  .beside {
    border-left: 1px solid var(--rule);
    padding: 4px 14px 14px;
    font-size: 13.5px;
  }
  h4 {
    margin: 10px 0 3px;
    font-size: 13px;
    font-weight: 600;
    color: var(--faint);
  }
  ul {
    margin: 0;
    padding-left: 14px;
    list-style: '· ';
  }
  .unsaid {
    margin: 0;
    padding: 6px 14px;
    color: var(--faint);
    font-size: 13px;
  }
  .fine,
  .notes {
    color: var(--faint);
  }
  .given {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    padding: 1px 0;
  }
</style>
