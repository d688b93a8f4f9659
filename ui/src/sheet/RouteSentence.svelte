<script lang="ts">
  import { term } from '../common/hint';
  import Button from '../common/Button.svelte';
  import { takesSource } from './drag';
  import type { Route } from '../api/api';
  import { amountSays, titleOf, unitOf, valueUnit, verbFor } from '../state/wording';
  import { addRoute, removeRoute, setRoute } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { directionOf, dyeOf, sentence } from '../state/document';
  import { shown } from '../common/format';
  import ValueField from '../common/ValueField.svelte';

  /** One sentence: what moves what and how far. `from` leaves out the end that the reader knows already. */
  let { route, from }: { route: Route; from: 'source' | 'destination' } = $props();

  const unit = $derived(unitOf(route));
  const dye = $derived(workbench.patch ? dyeOf(workbench.patch, route.source) : { colour: 'faint', dash: [] });
  const on = $derived(route.enabled !== false);
  const title = $derived(titleOf(route.destination));
  const verb = $derived(verbFor(route));
  const direction = $derived(directionOf(route));
  const size = $derived(direction * (route.amount ?? 0));
  const said = $derived(sentence(route, shown(size, unit), title, verb));
  const moved = $derived(amountSays(route));
  const chosen = $derived(workbench.chosen.what === 'route' && workbench.chosen.id === route.id);
  const name = $derived(from === 'destination' ? route.source.replace('_', ' ') : title);

  function setAmount(value: number | string, merge: string): void {
    const amount = direction * Number(value);
    setRoute(route.id, { amount }, `${route.source} on ${title} ${shown(amount, unit)}`, merge);
  }
</script>

<div
  class="sentence"
  class:off={!on}
  class:chosen
  {@attach takesSource((source) => addRoute(source, `route:${route.id}.amount`))}
  role="group"
  aria-label={said + (on ? '' : ', muted')}
>
  <Button
    look="bare"
    class="name"
    style={from === 'destination' ? `color: var(--${dye.colour})` : undefined}
    onclick={() => (workbench.chosen = { what: 'route', id: route.id })}
    data-hint={said}>{name}</Button
  >
  {#if route.mode === 'range'}
    <span class="words">sets it</span>
    {#each ['low', 'high'] as const as end (end)}
      {#if end === 'high'}<span class="words">to</span>{/if}
      <ValueField
        value={route[end] ?? 0}
        unit={valueUnit(route.destination)}
        label="{end === 'low' ? 'Low' : 'High'} end of {route.source} on {title}"
        width="auto"
        oncommit={(value, merge) =>
          setRoute(
            route.id,
            { [end]: Number(value) },
            `${route.source} sets ${title} ${end === 'low' ? 'from' : 'to'} ${shown(value, valueUnit(route.destination))}`,
            merge
          )}
      />
    {/each}
  {:else}
    <span class="words">{verb}</span>
    <ValueField
      value={size}
      {unit}
      label="Amount of {route.source} on {title}"
      part={(patch) => {
        const amount = patch.routes?.find((one) => one.id === route.id)?.amount;
        return amount === undefined ? undefined : direction * amount;
      }}
      low={route.mode === 'scale' ? 0 : null}
      high={route.mode === 'scale' ? 1 : null}
      width="auto"
      oncommit={setAmount}
    />
  {/if}
  {#if route.via}<span class="via" {...term(`scaled by ${route.via}`)}>× {route.via.replace('_', ' ')}</span>{/if}
  {#if moved}<span class="moved" {...term(`${said}, ${moved}`)}>{moved}</span>{/if}
  <span class="acts">
    <Button
      look="bare"
      aria-label="{on ? 'Mute' : 'Unmute'} {route.source} on {title}"
      data-hint={on ? 'Mute' : 'Unmute'}
      onclick={() => setRoute(route.id, { enabled: !on }, `${on ? 'mute' : 'unmute'} ${route.source} on ${title}`)}
      >{on ? 'mute' : 'muted'}</Button
    >
    <Button
      look="bare"
      aria-label="Remove {route.source} from {title}"
      data-hint="Remove"
      onclick={() => removeRoute(route)}>✕</Button
    >
  </span>
</div>

<style>
  .sentence {
    display: flex;
    align-items: center;
    gap: 5px;
    font-size: 13px;
    line-height: 20px;
    min-width: 0;
    white-space: nowrap;
    position: relative;
    flex-wrap: wrap;
  }
  .sentence :global(.name) {
    font-weight: 600;
    overflow: hidden;
    text-overflow: ellipsis;
    flex: 0 0 auto;
    max-width: 7em;
  }
  .words,
  .via {
    color: var(--faint);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .words {
    flex: none;
  }
  .moved {
    flex: 1 0 100%;
    padding-left: 8px;
    margin-top: -3px;
    font-size: 12px;
    line-height: 15px;
    color: var(--faint);
    white-space: normal;
  }
  .sentence :global(.field) {
    flex: none;
    padding: 0 5px;
    line-height: 17px;
    font-size: 13px;
    border-color: transparent;
    background: none;
    font-weight: 600;
  }
  .sentence:hover :global(.field),
  .sentence :global(.field:focus) {
    border-color: var(--edge);
    background: var(--raised);
  }
  .off .words,
  .off :global(.name),
  .off :global(.field) {
    text-decoration: line-through;
    opacity: 0.75;
  }
  /* Its place is kept free, so that it never comes to lie over a figure that is about to be clicked. */
  .acts {
    flex: none;
    margin-left: auto;
    display: flex;
    gap: 4px;
    font-size: 12px;
    color: var(--faint);
    opacity: 0;
  }
  .sentence:hover .acts,
  .sentence:focus-within .acts,
  .off .acts,
  .chosen .acts {
    opacity: 1;
  }
</style>
