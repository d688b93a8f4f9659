<script lang="ts">
  import { FULL_RATE } from '../api/facts.gen';
  import Button from '../common/Button.svelte';
  import { untrack } from 'svelte';
  import { api, asBody, unwrap, type Route } from '../api/api';
  import { titleOf, unitGiven, unitOf, verbFor } from '../state/wording';
  import { messages } from '../state/messages.svelte';
  import { addRoute, invert, removeRoute, setRoute, solo } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { modules, routes, sentence } from '../state/document';
  import { copyChosen } from '../state/clipboard';
  import { figure, shown } from '../common/format';
  import { extentOf } from '../api/sheet';
  import Choice from '../common/Choice.svelte';
  import Labelled from '../common/Labelled.svelte';
  import RouteSentence from './RouteSentence.svelte';
  import PlacedFigures from './PlacedFigures.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';

  let { route: given }: { route: Route } = $props();

  /** The page is of one route for as long as it lives, so that what is typed here lands here. */
  const id = untrack(() => given.id);
  let known = untrack(() => given);
  const route = $derived.by(
    () => (known = (workbench.patch && routes(workbench.patch).find((r) => r.id === id)) ?? known)
  );

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

  const unit = $derived(unitOf(route));
  const facts = $derived(workbench.catalogue?.destinations.find((at) => at.name === route.destination));
  const title = $derived(titleOf(route.destination));
  const lane = $derived(workbench.sheet?.lanes[route.destination]);
  const contribution = $derived(lane?.contributions[route.id]);
  const extent = $derived(contribution ? extentOf(contribution) : null);
  const on = $derived(route.enabled !== false);
  const scalers = $derived([
    ['', 'nothing'] as const,
    ...[...(workbench.patch ? modules(workbench.patch).map((m) => m.id) : []), ...workbench.signals].map(
      (name) => [name, name.replace('_', ' ')] as const
    )
  ]);
  /** The figures of the route: which of its fields, how it is called, its unit and its range. */
  const figures = $derived.by(() => {
    const ends = { unit: lane?.unit ?? 'ratio', low: lane?.low, high: lane?.high };
    const share = { unit: 'ratio', low: 0, high: 1 };
    const amount = route.mode === 'scale' ? share : { unit, low: undefined, high: undefined };
    const all: Figure[] = [
      ...(route.mode === 'range'
        ? [
            { field: 'low' as const, name: 'low', label: 'Low end of the range', ...ends },
            { field: 'high' as const, name: 'high', label: 'High end of the range', ...ends }
          ]
        : [{ field: 'amount' as const, name: 'amount', label: 'Amount of the route', ...amount }]),
      { field: 'bend', name: 'bend', label: 'Bend of the route', unit: 'bend', low: -12, high: 12 },
      ...(route.via ? [{ field: 'via_depth' as const, name: 'depth', label: 'Depth of the scaling', ...share }] : [])
    ];
    return all;
  });

  const amountOf = $derived(`route:${route.id}.amount`);
  const amountRoutes = $derived((workbench.patch?.routes ?? []).filter((other) => other.destination === amountOf));
  let keep = $state(true);
  const RESOLUTIONS = [
    ['smooth', 'smoothly'],
    ['7bit', 'in 128 values (7 bit)'],
    ['14bit', 'in 16384 values (14 bit)']
  ] as const;
  const stepSays = $derived.by(() => {
    const levels = route.resolution === '7bit' ? 127 : route.resolution === '14bit' ? 16383 : 0;
    const words = levels
      ? [`steps of ${shown(Number((Math.abs(route.amount ?? 0) / levels).toPrecision(3)), unit)}`]
      : [];
    if ((route.update_every ?? 1) > 1) words.push(`${figure(FULL_RATE / (route.update_every ?? 1))} times a second`);
    return words.join(', ');
  });

  async function setPolarity(polarity: string): Promise<void> {
    await workbench.work(`${route.id} ${polarity.replace('_', ' ')}`, (patch) => {
      const body = { document: asBody(patch), route: route.id, polarity: polarity as 'as_is', keep };
      return unwrap(api.POST('/api/assist/polarity', { body }));
    });
  }
  const TURNED = { range: 'a range', amount: 'an amount', hertz: 'hertz', octaves: 'octaves' };
  async function turn(to: keyof typeof TURNED): Promise<void> {
    await workbench.work(`${route.id} as ${TURNED[to]}`, (patch) =>
      unwrap(api.POST('/api/assist/route', { body: { document: asBody(patch), route: route.id, to } }))
    );
  }

  function set(fields: Partial<Route>, label: string, merge = ''): void {
    setRoute(id, fields, `${route.source} on ${title}: ${label}`, merge);
  }

  /** A mode is set together with what it needs, so that the patch is whole at every moment. */
  function setMode(mode: string): void {
    if (mode === 'scale') {
      set(
        { mode: 'scale', amount_unit: null, amount: Math.max(0, Math.min(1, Math.abs(route.amount ?? 1) || 1)) },
        'scale'
      );
    } else if (mode === 'range') {
      const base = lane?.set_value ?? 0;
      const high = facts?.law === 'semitones' ? Math.min(base * 4, facts.high) : (lane?.high ?? 1);
      set({ mode: 'range', amount_unit: null, low: base, high }, 'over a range');
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
      part={(patch) => routes(patch).find((one) => one.id === id)?.[figure.field] ?? undefined}
      low={figure.low}
      high={figure.high}
      width="100%"
      oncommit={(v, merge) => set({ [figure.field]: Number(v) }, `${figure.name} ${shown(v, figure.unit)}`, merge)}
    />
  </Labelled>
{/snippet}

<header>{sentence(route, shown(Math.abs(route.amount ?? 0), unit), title, verbFor(route))}</header>

<Labelled name="mode">
  <Choice label="Mode of the route" value={route.mode ?? 'add'} options={MODES} onchoose={setMode} />
</Labelled>
{#each figures.filter((f) => f.field !== 'via_depth') as figure (figure.field)}{@render figureField(figure)}{/each}
{#if facts?.takes_hertz && (route.mode ?? 'add') === 'add'}
  <Labelled name="in" help="Hertz are added after what moves in octaves, so that several bands shift by one number.">
    <Choice
      label="Unit of the amount"
      value={route.amount_unit ?? ''}
      options={[
        ['', 'semitones'],
        ['Hz', 'hertz']
      ]}
      onchoose={(to) => void messages.attempt(() => turn(to === 'Hz' ? 'hertz' : 'octaves'))}
    />
  </Labelled>
{/if}
<PlacedFigures about={{ what: 'route', id: route.id }} />
<Labelled name="polarity">
  <Choice
    label="Polarity of the route"
    value={route.polarity ?? 'as_is'}
    options={POLARITIES}
    onchoose={(polarity) => void messages.attempt(() => setPolarity(polarity))}
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

<Labelled name="curve" under={keep ? 'amount and set value follow' : 'the figures stay, the curve moves'}>
  <Tick checked={keep} onset={(to) => (keep = to)}>stays where it is</Tick>
</Labelled>
<Labelled name="resolution" help="As a controller of so many values would send it">
  <Choice
    label="Resolution of the route"
    value={route.resolution ?? 'smooth'}
    options={RESOLUTIONS}
    onchoose={(resolution) => set({ resolution: resolution as Route['resolution'] }, resolution)}
  />
</Labelled>
<Labelled name="update every" under={stepSays}>
  <ValueField
    value={route.update_every ?? 1}
    unit="count"
    label="Samples between updates of the route"
    low={1}
    high={48000}
    width="100%"
    oncommit={(v, merge) => set({ update_every: Math.round(Number(v)) }, `update every ${v} samples`, merge)}
  />
</Labelled>

<h3>What moves its amount</h3>
{#each amountRoutes as other (other.id)}
  <RouteSentence route={other} from="destination" />
{/each}
<Choice
  look="link"
  label="Add what moves the amount of {route.id}"
  prompt="+ moved by…"
  options={scalers.filter(([name]) => name)}
  onchoose={(source) => addRoute(source, amountOf)}
/>
{#if amountRoutes.length === 0}
  <p class="help">Velocity here, by the same amount the other way, makes it vanish when played hard.</p>
{/if}

{#if extent}
  <h3>It gives</h3>
  <p>{shown(extent[0], unitGiven(route))} to {shown(extent[1], unitGiven(route))} over this note</p>
{/if}
<div class="acts">
  {#if route.mode !== 'scale'}
    <Button data-hint="What raised now lowers" onclick={() => invert(route.id)}>Turn over</Button>
  {/if}
  {#if route.mode === 'range'}
    <Button
      data-hint="A base and an amount, with the same result"
      onclick={() => void messages.attempt(() => turn('amount'))}>As an amount</Button
    >
  {:else if (route.mode ?? 'add') === 'add'}
    <Button
      data-hint="From the set value to the set value and the amount, with the same result"
      onclick={() => void messages.attempt(() => turn('range'))}>As a range</Button
    >
  {/if}
  <Button onclick={() => void copyChosen()}>Copy</Button>
  <Button data-hint="Mute every other route" onclick={() => solo((other) => other.id === route.id, `only ${route.id}`)}
    >Only it</Button
  >
  <Button onclick={() => set({ enabled: !on }, on ? 'muted' : 'unmuted')}>{on ? 'Mute' : 'Unmute'} it</Button>
  <Button onclick={() => removeRoute(route)}>Remove it</Button>
  <Button
    onclick={() => (workbench.chosen = { what: 'source', id: route.source })}
    disabled={workbench.signals.includes(route.source)}>Its source</Button
  >
</div>
