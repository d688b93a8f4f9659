<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice, { type Group } from '../common/Choice.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { shown } from '../common/format';
  import { routes } from '../state/document';
  import { messages } from '../state/messages.svelte';
  import { rangeRoute, setEnds } from './uses';
  import { workbench } from '../state/workbench.svelte';
  import type { Range } from './range';
  import { ranging } from './ranging-now';

  /** What is done with a useful range: kept, moved by hand, given to routes and macros, aimed at; or mapped with another. */
  interface Props {
    range: Range;
    ends: readonly [number, number] | null;
    unit: string;
    options: readonly Group[];
  }
  let { range, ends, unit, options }: Props = $props();

  const isPlayed = $derived(range.of.startsWith('macro:'));
  const onto = $derived(
    workbench.patch
      ? routes(workbench.patch).filter((route) => route.destination === range.of && route.mode === 'range')
      : []
  );
  const macros = $derived(workbench.playedModules.flatMap(([lane, module]) => (lane === range.of ? [] : [module])));
  /** Others than the one that is swept. */
  const others = $derived(
    options.map(({ title, options: some }) => ({ title, options: some.filter(([name]) => name !== range.of) }))
  );
  const said = (pair: readonly [number, number]): string =>
    pair.map((value) => shown(Number(value.toPrecision(3)), unit)).join(' to ');

  function aim(): void {
    if (!ends) return;
    workbench.aimed = { lane: range.of, least: ends[0], greatest: ends[1] };
    workbench.chosen = { what: 'stave', id: range.of };
    workbench.view = 'note';
  }
</script>

<div class="uses">
  {#if ends}
    <div class="ends">
      <span>useful from</span>
      <ValueField
        value={ends[0]}
        {unit}
        label="Useful from"
        width="5.2rem"
        oncommit={(value, merge) => ranging.keep(Number(value), ends[1], merge)}
      />
      <span>to</span>
      <ValueField
        value={ends[1]}
        {unit}
        label="Useful to"
        width="5.2rem"
        oncommit={(value, merge) => ranging.keep(ends[0], Number(value), merge)}
      />
    </div>
    <div class="acts">
      {#if ranging.kept}
        <Button onclick={() => ranging.forget()}>Forget it</Button>
        {#if range.useful && !ranging.unfinished}
          <Button
            data-hint="Take the ends that were found: {said(range.useful)}"
            onclick={() => ranging.keep(...range.useful!)}>As found</Button
          >
        {/if}
      {:else}
        <Button onclick={() => ranging.keep(...ends)}>Keep it with the patch</Button>
      {/if}
      {#each onto as route (route.id)}
        <Button onclick={() => setEnds(route, ends, said(ends))}>Ends of {route.source}</Button>
      {/each}
      {#if !isPlayed && onto.length === 0}
        <Choice
          look="quiet"
          label="Let a macro go over the useful range"
          prompt="Ends of a macro…"
          options={[...macros.map((module) => [module.id, module.id] as const), ['', 'a new macro'] as const].map(
            ([id, text]) => [id || '+', text] as const
          )}
          onchoose={(id) => rangeRoute(id === '+' ? null : id, range.of, ends)}
        />
      {/if}
      {#if !isPlayed && !range.of.includes('.')}<Button onclick={aim}>Aim at it</Button>{/if}
    </div>
  {/if}
  <div class="acts">
    {#if ranging.map}
      <Button onclick={() => (ranging.map = null)}>Back to the curves</Button>
    {:else}
      <Choice
        look="quiet"
        label="Map it with another"
        prompt="Map it with…"
        options={others}
        onchoose={(name) => {
          ranging.up = name;
          void messages.attempt(() => ranging.mapIt());
        }}
      />
    {/if}
  </div>
</div>

<style>
  .uses {
    padding: 7px 14px;
    font-size: 13px;
  }
  .ends {
    display: flex;
    align-items: center;
    gap: 6px;
    color: var(--faint);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 8px;
  }
</style>
