<script lang="ts">
  import type { Route } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { modules, sentence } from '../lib/document';
  import { shown } from '../lib/format';
  import { extentOf } from '../lib/sheet';
  import ValueField from './ValueField.svelte';

  let { route }: { route: Route } = $props();

  const unit = $derived(route.mode === 'scale' ? 'ratio' : bench.amountUnit(route.destination));
  const title = $derived(bench.titleOf(route.destination));
  const signals = $derived([
    ...(bench.patch ? modules(bench.patch).map((m) => m.id) : []),
    ...Object.keys(bench.catalogue?.signals ?? {})
  ]);
  const lane = $derived(bench.sheet?.lanes[route.destination]);
  const contribution = $derived(lane?.contributions[route.id]);
  const extent = $derived(contribution ? extentOf(contribution) : null);

  function set(fields: Partial<Route>, label: string, merge = ''): void {
    bench.setRoute(route.id, fields, `${route.source} on ${title}: ${label}`, merge);
  }

  /** A mode is set together with what it needs, so that the patch is whole at every moment. */
  function setMode(mode: string): void {
    if (mode === 'scale')
      set({ mode: 'scale', amount: Math.max(0, Math.min(1, Math.abs(route.amount ?? 1) || 1)) }, 'scale');
    else if (mode === 'range') {
      const base = lane?.set_value ?? 0;
      const facts = bench.catalogue?.destinations.find((at) => at.name === route.destination);
      const high = facts?.law === 'semitones' ? Math.min(base * 4, facts.high) : (lane?.high ?? 1);
      set({ mode: 'range', low: base, high }, 'over a range');
    } else set({ mode: 'add', amount: route.mode === 'scale' ? 0.3 : (route.amount ?? 0) }, 'add');
  }
</script>

<header>{sentence(route, shown(route.amount ?? 0, unit), title, bench.verb(route))}</header>

<div class="fields">
  <label
    ><span>It</span>
    <select
      class="field"
      aria-label="Mode of the route"
      value={route.mode ?? 'add'}
      onchange={(e) => setMode(e.currentTarget.value)}
    >
      <option value="add">adds</option>
      <option value="scale">scales the result</option>
      <option value="range">sets the base over a range</option>
    </select>
  </label>
  {#if route.mode === 'range'}
    <label
      ><span>from</span><ValueField
        value={route.low ?? 0}
        unit={lane?.unit ?? 'ratio'}
        label="Low end of the range"
        low={lane?.low}
        high={lane?.high}
        width="100%"
        oncommit={(v, m) => set({ low: Number(v) }, `from ${shown(v, lane?.unit ?? '')}`, m)}
      /></label
    >
    <label
      ><span>to</span><ValueField
        value={route.high ?? 1}
        unit={lane?.unit ?? 'ratio'}
        label="High end of the range"
        low={lane?.low}
        high={lane?.high}
        width="100%"
        oncommit={(v, m) => set({ high: Number(v) }, `to ${shown(v, lane?.unit ?? '')}`, m)}
      /></label
    >
  {:else}
    <label
      ><span>by</span><ValueField
        value={route.amount ?? 0}
        {unit}
        label="Amount of the route"
        low={route.mode === 'scale' ? 0 : null}
        high={route.mode === 'scale' ? 1 : null}
        width="100%"
        oncommit={(v, m) => set({ amount: Number(v) }, shown(v, unit), m)}
      /></label
    >
  {/if}
  <label
    ><span>polarity</span>
    <select
      class="field"
      aria-label="Polarity of the route"
      value={route.polarity ?? 'as_is'}
      onchange={(e) =>
        set({ polarity: e.currentTarget.value as Route['polarity'] }, e.currentTarget.value.replace('_', ' '))}
    >
      <option value="as_is">as it is</option>
      <option value="unipolar">−1..1 moved to 0..1</option>
      <option value="bipolar">0..1 moved to −1..1</option>
    </select>
  </label>
  <label
    ><span>bend</span><ValueField
      value={route.bend ?? 0}
      unit="bend"
      label="Bend of the route"
      low={-12}
      high={12}
      width="100%"
      oncommit={(v, m) => set({ bend: Number(v) }, `bend ${shown(v, 'bend')}`, m)}
    /></label
  >
  <label
    ><span>scaled by</span>
    <select
      class="field"
      aria-label="What scales the route"
      value={route.via ?? ''}
      onchange={(e) =>
        set(
          { via: e.currentTarget.value || null },
          e.currentTarget.value ? `scaled by ${e.currentTarget.value}` : 'not scaled'
        )}
    >
      <option value="">nothing</option>
      {#each signals as name (name)}<option value={name}>{name.replace('_', ' ')}</option>{/each}
    </select>
  </label>
  {#if route.via}
    <label
      ><span>how much</span><ValueField
        value={route.via_depth ?? 1}
        unit="ratio"
        label="Depth of the scaling"
        low={0}
        high={1}
        width="100%"
        oncommit={(v, m) => set({ via_depth: Number(v) }, `scaled ${shown(v, 'ratio')}`, m)}
      /></label
    >
  {/if}
</div>

{#if extent}
  <h3>It gives</h3>
  <p>{shown(extent[0], unit)} to {shown(extent[1], unit)} over this note</p>
{/if}
<div class="acts">
  <button
    class="quiet"
    onclick={() => set({ enabled: route.enabled === false }, route.enabled === false ? 'unmuted' : 'muted')}
    >{route.enabled === false ? 'Unmute' : 'Mute'} it</button
  >
  <button class="quiet" onclick={() => bench.removeRoute(route)}>Remove it</button>
  <button
    class="quiet"
    onclick={() => (bench.chosen = { what: 'source', id: route.source })}
    disabled={route.source in (bench.catalogue?.signals ?? {})}>Its source</button
  >
</div>

<style>
  header {
    font-weight: 600;
    font-size: 14.5px;
    line-height: 19px;
    margin-bottom: 9px;
  }
  .fields {
    display: flex;
    flex-direction: column;
    gap: 5px;
  }
  label {
    display: grid;
    grid-template-columns: 5rem 1fr;
    align-items: center;
    gap: 8px;
  }
  label span {
    color: var(--faint);
    font-size: 13.5px;
  }
  h3 {
    margin: 12px 0 4px;
    padding-top: 9px;
    border-top: 1px solid var(--rule);
    font-size: 13px;
    color: var(--faint);
    font-weight: 600;
  }
  p {
    margin: 0;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 10px;
  }
</style>
