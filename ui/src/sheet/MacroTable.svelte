<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { untrack } from 'svelte';
  import { api, asBody, unwrap, type Module, type Patch } from '../api/api';
  import type { components } from '../api/schema.gen';
  import { titleOf, valueUnit } from '../state/wording';
  import { messages } from '../state/messages.svelte';
  import { setField } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { workFor } from '../session/window';
  import { shown } from '../common/format';
  import { term } from '../common/hint';
  import ValueField from '../common/ValueField.svelte';
  import { findRange } from '../range/ranging-now';
  import { overUseful } from '../range/uses';
  import Slider from '../common/Slider.svelte';

  /** A macro in the hand: drag it and watch the staves; and what each of its destinations is at 0, half and full. */
  let { module }: { module: Module } = $props();

  const id = untrack(() => module.id);
  const value = $derived('value' in module && typeof module.value === 'number' ? module.value : 0);
  const PLACES = [
    [0, 'at 0'],
    [0.5, 'half'],
    [1, 'full']
  ] as const;
  let rows: components['schemas']['MacroRow'][] = $state.raw([]);
  const free = $derived(
    (workbench.catalogue?.destinations ?? []).filter((at) => !rows.some((row) => row.destination === at.name))
  );

  /** What it moves of which a useful range is kept. */
  const useful = $derived(
    rows.map((row) => row.destination).filter((name) => workbench.patch?.useful_ranges?.[name] !== undefined)
  );

  $effect(() => {
    const { patch } = workbench;
    if (patch) void messages.attempt(() => look(patch));
  });

  async function look(patch: Patch): Promise<void> {
    const body = { document: asBody(patch), macro: id };
    const found = await unwrap(api.POST('/api/assist/macro', { body, headers: workFor('macro') }));
    if (patch === workbench.patch) rows = found;
  }

  function turn(next: number, draft = true): void {
    setField(module.id, 'value', next, `${module.id} ${shown(next, 'ratio')}`, `turn ${module.id}`, draft);
  }

  async function set(destination: string, place: number, to: number): Promise<void> {
    const where = PLACES.find(([at]) => at === place)![1];
    const said = `${id} ${where}: ${titleOf(destination)} ${shown(to, valueUnit(destination))}`;
    await workbench.work(said, (patch) =>
      unwrap(
        api.POST('/api/assist/macro-set', {
          body: { document: asBody(patch), macro: id, place, values: { [destination]: to } }
        })
      )
    );
  }

  function valueOf(name: string): number {
    const at = workbench.catalogue?.destinations.find((one) => one.name === name);
    return workbench.sheet?.lanes[name]?.set_value ?? workbench.patch?.voice?.base?.[name] ?? at?.base ?? 0;
  }
</script>

<h3>In the hand</h3>
<div class="turn">
  <Slider {value} label="Turn {module.id}" step={0.005} onturn={turn} onrest={() => workbench.tracing.ask()} />
  <span>{shown(Number(value.toFixed(3)), 'ratio')}</span>
</div>
<p class="help" {...term('At note-on, with nothing else moving it. What is typed here makes it a range.')}>
  What each of its destinations is:
</p>
<table aria-label="What {module.id} does at 0, half and full">
  <thead>
    <tr>
      <td></td>
      {#each PLACES as [place, name] (place)}
        <th>
          <Button look="bare" aria-pressed={value === place} onclick={() => turn(place, false)}>{name}</Button>
        </th>
      {/each}
    </tr>
  </thead>
  <tbody>
    {#each rows as row (row.destination)}
      <tr class="name"><th colspan="4" scope="rowgroup">{titleOf(row.destination)}</th></tr>
      <tr>
        <td></td>
        {#each PLACES as [place, name], i (place)}
          <td>
            <ValueField
              value={Number(row.values[i]!.toPrecision(4))}
              unit={row.unit}
              label="{titleOf(row.destination)} with {id} {name}"
              low={row.low}
              high={row.high}
              width="100%"
              oncommit={(v) => void messages.attempt(() => set(row.destination, place, Number(v)))}
            />
          </td>
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
{#if useful.length > 0}
  <div class="acts">
    <Button
      data-hint="{useful.map(titleOf).join(', ')}: each from where it starts to be useful to where it stops"
      onclick={() => overUseful(id, useful)}>Over their useful ranges</Button
    >
  </div>
{/if}
<div class="acts"><Button onclick={() => findRange(`macro:${id}`)}>Find its useful range…</Button></div>
{#if rows.length === 0}<p class="help">It moves nothing yet.</p>{/if}
<Choice
  look="link"
  label="Let {module.id} set another"
  prompt="+ another destination"
  options={free.map((at) => [at.name, at.title] as const)}
  onchoose={(name) => void messages.attempt(() => set(name, 1, valueOf(name)))}
/>

<style>
  .turn {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .turn :global(input) {
    flex: 1;
    accent-color: var(--ink);
  }
  table {
    width: 100%;
    table-layout: fixed;
    margin-top: 6px;
    font-size: 12.5px;
    border-collapse: collapse;
  }
  th {
    font-weight: 400;
    color: var(--faint);
    text-align: left;
  }
  .name th {
    color: var(--ink);
    padding-top: 4px;
  }
  td:first-child {
    width: 3%;
  }
  td {
    padding: 1px 2px 1px 0;
  }
  td :global(.field) {
    padding: 1px 5px;
    font-size: 12.5px;
  }
</style>
