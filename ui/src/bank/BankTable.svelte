<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import TextField from '../common/TextField.svelte';
  import { shown } from '../common/format';
  import { writeGains } from '../state/library';
  import { then } from '../library/shelf-now';
  import { underWay } from '../state/jobs.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { bank } from './bank-now';
  import { cell, found, heading, patchOf, sorted, type Row } from './table';

  /** What came of each piece: sorted by any figure, searched, each row leading to its patch. */
  const PAGE = 200;
  let words = $state('');
  let only = $state('');
  let by = $state('patch');
  let down = $state(false);
  let most = $state(PAGE);
  const rows = $derived(sorted(found(bank.rows, words, only), by, down));
  const files = $derived(`/api/bank/runs/${bank.run}`);
  const gains = $derived(
    Object.fromEntries(
      bank.rows
        .filter((row) => typeof row['gain_db'] === 'number')
        .map((row) => [patchOf(row), row['gain_db'] as number])
    )
  );

  function sortBy(column: string): void {
    [by, down] = [column, by === column ? !down : false];
  }
  /** Opens the patch of a row, at the note that the row is of. */
  function open(row: Row): void {
    then(async () => {
      if (!(await workbench.open(patchOf(row)))) return;
      if (typeof row['key'] === 'number' || typeof row['velocity'] === 'number') {
        const at = [
          typeof row['key'] === 'number' ? shown(row['key'], 'key') : '',
          row['velocity'] == null ? '' : `velocity ${cell(row['velocity'])}`
        ];
        messages.say(`It was worked on at ${at.filter(Boolean).join(', ')}.`);
      }
    });
  }
  /** Opens the patch of a row, and shows where a rule finds something once it has been judged. */
  function showRule(row: Row, rule: string): void {
    open(row);
    bank.showing = { patch: patchOf(row), rule };
  }
  $effect(() => {
    const { showing } = bank;
    if (!showing || workbench.id !== showing.patch) return;
    const finding = workbench.judging.findings.find((one) => one.rule === showing.rule);
    if (!finding) return;
    bank.showing = null;
    workbench.showFinding(finding);
  });
  async function write(): Promise<void> {
    messages.say(`${await writeGains(gains)} patches have their gain now; each has the version before it.`);
  }
</script>

<div class="table">
  {#if !bank.job}
    <p class="none">What came of a work stands here: a row for each patch at each note.</p>
  {:else if underWay(bank.job)}
    <p class="none" role="status">{bank.job.title} is under way. You can go on editing; it goes on when you leave.</p>
  {:else if bank.job.state === 'failed'}
    <p class="none" role="alert">{bank.job.said}</p>
  {:else if !bank.taken}
    <p class="none" role="status">Reading what came of it…</p>
  {:else if !bank.rowsOf}
    <p class="none">
      {bank.job.state === 'done' ? 'Its files are gone.' : 'It was stopped before anything was done.'}
    </p>
  {:else}
    <div class="bar">
      <TextField label="Find in the table" type="search" placeholder="Find" bind:value={words} />
      <Choice
        look="quiet"
        label="Which rows"
        options={[
          ['', 'all rows'],
          ['done', 'done'],
          ['failed', 'failed'],
          ['set aside', 'set aside']
        ]}
        value={only}
        onchoose={(value) => (only = value)}
      />
      <span class="count">{rows.length}{rows.length < bank.rowsOf ? ` of ${bank.rowsOf}` : ''} rows</span>
      {#if Object.keys(gains).length}
        <Button onclick={() => void messages.attempt(write)} data-hint="Each patch made so much louder or softer"
          >Write the gains</Button
        >
      {/if}
      <a href="{files}/files/summary.html" target="_blank" rel="noopener">Summary</a>
      <a href="{files}/files/results.csv" download>CSV</a>
      <a href="{files}/files/results.parquet" download>Parquet</a>
      <a href="{files}/all.zip" download>Everything (zip)</a>
    </div>
    {#if bank.moved.length}
      <details>
        <summary>{bank.moved.length} figures moved</summary>
        <ul>
          {#each bank.moved as one, i (i)}<li>{one}</li>{/each}
        </ul>
      </details>
    {/if}
    <div class="scroll">
      <table class="figures" aria-label="What came of {bank.job.title}">
        <thead>
          <tr>
            {#each ['patch', 'state', ...bank.columns] as column (column)}
              <th aria-sort={by === column ? (down ? 'descending' : 'ascending') : 'none'}>
                <Button look="bare" onclick={() => sortBy(column)}
                  >{heading(column)}{by === column ? (down ? ' ↓' : ' ↑') : ''}</Button
                >
              </th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each rows.slice(0, most) as row, n (`${row['id'] ?? row.file} ${n}`)}
            <tr class={row.state === 'done' ? '' : 'not'}>
              <th scope="row">
                {#if row.patch}<Button look="bare" onclick={() => open(row)}>{row.patch}</Button>{:else}{row.file}{/if}
              </th>
              <td class="state" title={row.said}>{row.state}{row.said ? `: ${row.said}` : ''}</td>
              {#each bank.columns as column (column)}
                {#if column === 'rules'}
                  <td>
                    {#each row.rules as rule, i (i)}
                      <Button look="bare" onclick={() => showRule(row, rule)}>{cell([rule])}</Button>{' '}
                    {/each}
                  </td>
                {:else}<td class:figure={typeof row[column] === 'number'}>{cell(row[column])}</td>{/if}
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
      {#if rows.length > most}<Button onclick={() => (most += PAGE)}>More</Button>{/if}
    </div>
  {/if}
</div>

<style>
  .table {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
  }
  .none {
    padding: 12px 14px;
    color: var(--faint);
  }
  .bar {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 10px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  .bar :global(.field) {
    width: 9rem;
  }
  .count {
    color: var(--faint);
  }
  .scroll {
    overflow: auto;
    scrollbar-width: thin;
    flex: 1;
    min-height: 0;
    padding: 0 12px 12px;
  }
  table {
    font-size: 13px;
    white-space: nowrap;
  }
  th,
  td {
    max-width: 22rem;
    overflow: hidden;
    text-overflow: ellipsis;
    padding-right: 12px;
    text-align: left;
  }
  thead th {
    position: sticky;
    top: 0;
    background: var(--panel, var(--paper));
  }
  td.state {
    max-width: 12rem;
  }
  td.figure {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  .not {
    color: var(--fault, #a02c1c);
  }
  details {
    padding: 6px 12px;
    font-size: 13px;
  }
</style>
