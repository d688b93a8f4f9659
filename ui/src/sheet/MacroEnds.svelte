<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { untrack } from 'svelte';
  import { api, asBody, unwrap, type Module } from '../api/api';
  import { titleOf } from '../state/wording';
  import { messages } from '../state/messages.svelte';
  import { setField } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { routes } from '../state/document';
  import { shown } from '../common/format';
  import Labelled from '../common/Labelled.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** A macro in the hand: drag it and watch the staves; put it at an end and set what its destinations are there. */
  let { module }: { module: Module & { kind: 'macro' } } = $props();

  const id = untrack(() => module.id);
  const mine = $derived(workbench.patch ? routes(workbench.patch).filter((route) => route.source === module.id) : []);
  const value = $derived(typeof module.value === 'number' ? module.value : 0);
  const end = $derived(value >= 0.999 ? 'full' : value <= 0.001 ? 'zero' : '');
  const free = $derived(
    (workbench.catalogue?.destinations ?? []).filter((at) => !mine.some((route) => route.destination === at.name))
  );

  function turn(next: number, draft = true): void {
    setField(module.id, 'value', next, `${module.id} ${shown(next, 'ratio')}`, `turn ${module.id}`, draft);
  }

  async function setEnd(destination: string, to: number): Promise<void> {
    const full = end === 'full';
    const said = `${module.id} ${full ? 'full' : 'at 0'}: ${titleOf(destination)} ${shown(to, unitOf(destination))}`;
    await workbench.work(said, (patch) => {
      const body = { document: asBody(patch), macro: id, full, values: { [destination]: to } };
      return unwrap(api.POST('/api/assist/macro-end', { body }));
    });
  }
  const laneOf = (name: string) => workbench.sheet?.lanes[name];
  const unitOf = (name: string): string =>
    laneOf(name)?.unit ?? workbench.catalogue?.destinations.find((at) => at.name === name)?.unit ?? 'ratio';
  const valueOf = (name: string): number => {
    const route = mine.find((r) => r.destination === name);
    if (route?.mode === 'range') return (end === 'full' ? route.high : route.low) ?? 0;
    return laneOf(name)?.value.first[0] ?? workbench.catalogue?.destinations.find((at) => at.name === name)?.base ?? 0;
  };
</script>

<h3>In the hand</h3>
<div class="turn">
  <input
    type="range"
    min="0"
    max="1"
    step="0.005"
    {value}
    aria-label="Turn {module.id}"
    oninput={(event) => turn(Number(event.currentTarget.value))}
    onchange={() => workbench.tracing.ask()}
  />
  <span>{shown(Number(value.toFixed(3)), 'ratio')}</span>
</div>
<div class="acts">
  <Button aria-pressed={end === 'zero'} onclick={() => turn(0, false)}>Put it at 0</Button>
  <Button aria-pressed={value === 0.5} onclick={() => turn(0.5, false)}>Half</Button>
  <Button aria-pressed={end === 'full'} onclick={() => turn(1, false)}>Put it full</Button>
</div>
{#if end}
  <p class="help">With it {end === 'full' ? 'full' : 'at 0'}, set what each is:</p>
  {#each mine as route (route.id)}
    <Labelled name={titleOf(route.destination)}>
      <ValueField
        value={Number(valueOf(route.destination).toPrecision(5))}
        unit={unitOf(route.destination)}
        label="{titleOf(route.destination)} with {module.id} {end === 'full' ? 'full' : 'at 0'}"
        low={laneOf(route.destination)?.low}
        high={laneOf(route.destination)?.high}
        width="100%"
        oncommit={(v) => void messages.attempt(() => setEnd(route.destination, Number(v)))}
      />
    </Labelled>
  {/each}
  <Choice
    look="link"
    label="Let {module.id} set another, from this end"
    prompt="+ another destination"
    options={free.map((at) => [at.name, at.title] as const)}
    onchoose={(name) => void messages.attempt(() => setEnd(name, valueOf(name)))}
  />
{:else}
  <p class="help">Put it at an end to set what its destinations are there.</p>
{/if}

<style>
  .turn {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  .turn input {
    flex: 1;
    accent-color: var(--ink);
  }
</style>
