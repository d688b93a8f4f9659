<script lang="ts">
  import type { Route } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { modules, sentence } from '../lib/document';
  import { shown } from '../lib/format';
  import { extentOf } from '../lib/sheet';
  import Choice from './Choice.svelte';
  import Labelled from './Labelled.svelte';
  import ValueField from './ValueField.svelte';

  let { route }: { route: Route } = $props();

  const MODES = [
    ['add', 'adds'],
    ['scale', 'scales the result'],
    ['range', 'sets the base over a range']
  ] as const;
  const POLARITIES = [
    ['as_is', 'as it is'],
    ['unipolar', '−1..1 moved to 0..1'],
    ['bipolar', '0..1 moved to −1..1']
  ] as const;

  interface Figure {
    field: 'amount' | 'low' | 'high' | 'bend' | 'via_depth';
    name: string;
    label: string;
    unit: string;
    low?: number;
    high?: number;
  }

  const unit = $derived(route.mode === 'scale' ? 'ratio' : bench.amountUnit(route.destination));
  const title = $derived(bench.titleOf(route.destination));
  const lane = $derived(bench.sheet?.lanes[route.destination]);
  const contribution = $derived(lane?.contributions[route.id]);
  const extent = $derived(contribution ? extentOf(contribution) : null);
  const on = $derived(route.enabled !== false);
  const scalers = $derived([
    ['', 'nothing'] as const,
    ...[
      ...(bench.patch ? modules(bench.patch).map((m) => m.id) : []),
      ...Object.keys(bench.catalogue?.signals ?? {})
    ].map((name) => [name, name.replace('_', ' ')] as const)
  ]);
  /** The figures of the route: which of its fields, how it is called, its unit and its range. */
  const figures = $derived.by(() => {
    const ends = { unit: lane?.unit ?? 'ratio', low: lane?.low, high: lane?.high };
    const share = { unit: 'ratio', low: 0, high: 1 };
    const amount = route.mode === 'scale' ? share : { unit, low: undefined, high: undefined };
    const all: Figure[] = [
      ...(route.mode === 'range'
        ? [
            { field: 'low' as const, name: 'from', label: 'Low end of the range', ...ends },
            { field: 'high' as const, name: 'to', label: 'High end of the range', ...ends }
          ]
        : [{ field: 'amount' as const, name: 'by', label: 'Amount of the route', ...amount }]),
      { field: 'bend', name: 'bend', label: 'Bend of the route', unit: 'bend', low: -12, high: 12 },
      ...(route.via ? [{ field: 'via_depth' as const, name: 'how much', label: 'Depth of the scaling', ...share }] : [])
    ];
    return all;
  });

  function set(fields: Partial<Route>, label: string, merge = ''): void {
    bench.setRoute(route.id, fields, `${route.source} on ${title}: ${label}`, merge);
  }

  /** A mode is set together with what it needs, so that the patch is whole at every moment. */
  function setMode(mode: string): void {
    if (mode === 'scale') {
      set({ mode: 'scale', amount: Math.max(0, Math.min(1, Math.abs(route.amount ?? 1) || 1)) }, 'scale');
    } else if (mode === 'range') {
      const base = lane?.set_value ?? 0;
      const facts = bench.catalogue?.destinations.find((at) => at.name === route.destination);
      const high = facts?.law === 'semitones' ? Math.min(base * 4, facts.high) : (lane?.high ?? 1);
      set({ mode: 'range', low: base, high }, 'over a range');
    } else {
      set({ mode: 'add', amount: route.mode === 'scale' ? 0.3 : (route.amount ?? 0) }, 'add');
    }
  }
</script>

{#snippet figureField(figure: Figure)}
  <Labelled name={figure.name}>
    <ValueField
      value={route[figure.field] ?? (figure.field === 'via_depth' ? 1 : 0)}
      unit={figure.unit}
      label={figure.label}
      low={figure.low}
      high={figure.high}
      width="100%"
      oncommit={(v, merge) => set({ [figure.field]: Number(v) }, `${figure.name} ${shown(v, figure.unit)}`, merge)}
    />
  </Labelled>
{/snippet}

<header>{sentence(route, shown(route.amount ?? 0, unit), title, bench.verb(route))}</header>

<Labelled name="it">
  <Choice label="Mode of the route" value={route.mode ?? 'add'} options={MODES} onchoose={setMode} />
</Labelled>
{#each figures.filter((f) => f.field !== 'via_depth') as figure (figure.field)}{@render figureField(figure)}{/each}
<Labelled name="polarity">
  <Choice
    label="Polarity of the route"
    value={route.polarity ?? 'as_is'}
    options={POLARITIES}
    onchoose={(polarity) => set({ polarity: polarity as Route['polarity'] }, polarity.replace('_', ' '))}
  />
</Labelled>
<Labelled name="scaled by">
  <Choice
    label="What scales the route"
    value={route.via ?? ''}
    options={scalers}
    onchoose={(via) => set({ via: via || null }, via ? `scaled by ${via}` : 'not scaled')}
  />
</Labelled>
{#each figures.filter((f) => f.field === 'via_depth') as figure (figure.field)}{@render figureField(figure)}{/each}

{#if extent}
  <h3>It gives</h3>
  <p>{shown(extent[0], unit)} to {shown(extent[1], unit)} over this note</p>
{/if}
<div class="acts">
  <button class="quiet" onclick={() => set({ enabled: !on }, on ? 'muted' : 'unmuted')}
    >{on ? 'Mute' : 'Unmute'} it</button
  >
  <button class="quiet" onclick={() => bench.removeRoute(route)}>Remove it</button>
  <button
    class="quiet"
    onclick={() => (bench.chosen = { what: 'source', id: route.source })}
    disabled={route.source in (bench.catalogue?.signals ?? {})}>Its source</button
  >
</div>
