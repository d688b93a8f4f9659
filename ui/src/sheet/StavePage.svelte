<script lang="ts">
  import Aged from '../common/Aged.svelte';
  import Button from '../common/Button.svelte';
  import { term } from '../common/hint';
  import { findRange } from '../range/ranging-now';
  import { untrack } from 'svelte';
  import { titleOf } from '../state/wording';
  import { workbench } from '../state/workbench.svelte';
  import { figure, seconds, shown } from '../common/format';
  import Between from './Between.svelte';
  import Figures from './Figures.svelte';
  import RouteSentence from './RouteSentence.svelte';
  import Reached from './Reached.svelte';
  import PlacedFigures from './PlacedFigures.svelte';
  import Targets from './Targets.svelte';

  /** A destination: its figures, who moved it, and what moves alike. */
  let { name: given }: { name: string } = $props();
  const name = untrack(() => given);

  const lane = $derived(workbench.sheet?.lanes[name]);
  const measured = $derived(workbench.judging.judgement?.measures.lanes[name]);
  const moving = $derived((workbench.patch?.routes ?? []).filter((route) => route.destination === name));
  /** When the first note is held, where the voice plays more than one: the figures are of that. */
  const firstOfSeveral = $derived.by(() => {
    const notes = workbench.sheet?.notes ?? [];
    return notes.length > 1 ? `${seconds(notes[0]!.on_s)} to ${seconds(notes[0]!.off_s)}` : '';
  });
  const pairs = $derived(
    (workbench.judging.judgement?.measures.pairs ?? [])
      .filter((pair) => pair.a === name || pair.b === name)
      .map((pair) => ({ ...pair, other: pair.a === name ? pair.b : pair.a }))
  );
</script>

<header>{lane?.title ?? name}</header>
{#if measured && firstOfSeveral}
  <p class="help">The first note, {firstOfSeveral}:</p>
{/if}
{#if measured}
  <Aged old={workbench.judging.isOld}>
    <Figures of={measured.measures} unit={measured.unit} />
    <p class="help">
      From least to greatest: {shown(Number(measured.distance.toPrecision(4)), measured.distance_unit)}.
    </p>
  </Aged>
{:else}
  <p class="help">{moving.length === 0 ? 'No route moves it.' : 'Its routes are off, or not worked out yet.'}</p>
{/if}
<Between {name} unit={workbench.sheet?.lanes[name]?.unit ?? 'ratio'} />
<div class="acts">
  <Button onclick={() => findRange(name)}>Find its useful range…</Button>
</div>
<PlacedFigures about={{ what: 'stave', id: name }} />

<h3>Who did it</h3>
{#each moving as route (route.id)}
  <RouteSentence {route} from="destination" />
  {#if measured && route.id in measured.shares}
    <div
      class="share"
      class:is-old={workbench.judging.isOld}
      {...term('Share of the variance while the note is held: cov(route, sum) / var(sum)')}
    >
      <i style:width="{Math.min(100, Math.abs(measured.shares[route.id]! * 100))}%"></i>
      <span>{(measured.shares[route.id]! * 100).toFixed(0)} %</span>
    </div>
  {/if}
{:else}
  <p class="help">Nothing yet.</p>
{/each}

{#if measured}<Reached {name} />{/if}

{#if pairs.length > 0}
  <h3>Moves alike</h3>
  <Aged old={workbench.judging.isOld}>
    <dl>
      {#each pairs as pair (pair.other)}
        <dt>{titleOf(pair.other)}</dt>
        <dd>{pair.word}, {figure(pair.correlation, 2)}</dd>
      {/each}
    </dl>
  </Aged>
{/if}

{#if lane}<Targets {name} />{/if}

<style>
  dl {
    display: grid;
    grid-template-columns: 1fr max-content;
    gap: 2px 10px;
    margin: 0;
    font-size: 13px;
  }
  dd {
    margin: 0;
  }
  .share {
    position: relative;
    height: 15px;
    margin: 0 0 4px;
    background: var(--chosen);
    border-radius: 3px;
  }
  .share i {
    position: absolute;
    inset: 0 auto 0 0;
    background: var(--rule);
    border-radius: 3px;
  }
  .share span {
    position: absolute;
    right: 6px;
    font-size: 11.5px;
    line-height: 15px;
  }
</style>
