<script lang="ts">
  import { api, plain, taken, type Patch } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { figure, shown } from '../lib/format';
  import type { components } from '../lib/schema.gen';
  import Figures from './Figures.svelte';
  import Labelled from './Labelled.svelte';
  import RouteSentence from './RouteSentence.svelte';
  import ValueField from './ValueField.svelte';

  /** A destination: its figures, who moved it, what moves alike, and wishes that Jorvik works out. */
  let { name }: { name: string } = $props();

  type Answer = components['schemas']['Answer'];
  type What = components['schemas']['Wish']['what'];
  const WISHES: [What, string][] = [
    ['start', 'starts at'],
    ['peak', 'peak'],
    ['peak_s', 'peak after'],
    ['settle', 'settles at'],
    ['least', 'least'],
    ['at_off', 'at note-off']
  ];

  const lane = $derived(bench.sheet?.lanes[name]);
  const measured = $derived(bench.judgement?.measures.lanes[name]);
  const pulls = $derived((bench.patch?.routes ?? []).filter((route) => route.destination === name));
  const pairs = $derived(
    (bench.judgement?.measures.pairs ?? [])
      .filter((pair) => pair.a === name || pair.b === name)
      .map((pair) => ({ ...pair, other: pair.a === name ? pair.b : pair.a }))
  );
  const solvable = $derived((bench.catalogue?.destinations ?? []).some((at) => at.name === name));
  let wishes: Partial<Record<What, number>> = $state({});
  let answer: Answer | null = $state.raw(null);
  let abort: AbortController | null = $state.raw(null);

  $effect(() => {
    void name;
    wishes = {};
    answer = null;
  });

  async function solve(): Promise<void> {
    if (!bench.patch) return;
    const body = {
      document: plain(bench.patch),
      lane: name,
      wishes: Object.entries(wishes).map(([what, value]) => ({ what: what as What, value }))
    };
    abort = new AbortController();
    try {
      answer = await taken(api.POST('/api/assist/solve', { body, signal: abort.signal }));
      bench.tryMend({ key: 'wish', mend: answer.changes.join('; ') || 'nothing to change', mended: answer.document });
    } catch (error) {
      if (!(error instanceof DOMException)) throw error;
    } finally {
      abort = null;
    }
  }

  function take(): void {
    const document = answer?.document as unknown as Patch | undefined;
    if (!document) return;
    bench.leaveMend();
    bench.edit(`wish for ${lane?.title.toLowerCase()}`, document);
    answer = null;
  }
  function leave(): void {
    answer = null;
    bench.leaveMend();
  }
  const unitOf = (what: What): string => (what === 'peak_s' ? 's' : name === 'pitch' ? 'st' : (lane?.unit ?? 'ratio'));
  const present = (what: What): number => {
    if (!measured) return lane?.set_value ?? 0;
    const of = measured.measures;
    return what === 'settle' ? (of.settle ?? of.at_off) : what === 'greatest' ? of.peak : of[what];
  };
</script>

<header>{lane?.title ?? name}</header>
{#if measured}
  <Figures of={measured.measures} unit={name === 'pitch' ? 'st' : measured.unit} />
  <p class="help">From least to greatest: {figure(measured.distance, 4)} {measured.distance_unit}.</p>
{:else}
  <p class="help">Nothing moves it.</p>
{/if}

<h3>Who did it</h3>
{#each pulls as route (route.id)}
  <RouteSentence {route} from="destination" />
  {#if measured && route.id in measured.shares}
    <div class="share" title="Share of the variance while the note is held: cov(route, sum) / var(sum)">
      <i style:width="{Math.min(100, Math.abs(measured.shares[route.id]! * 100))}%"></i>
      <span>{(measured.shares[route.id]! * 100).toFixed(0)} %</span>
    </div>
  {/if}
{:else}
  <p class="help">Nothing yet.</p>
{/each}

{#if pairs.length > 0}
  <h3>Moves alike</h3>
  <dl>
    {#each pairs as pair (pair.other)}
      <dt>{bench.titleOf(pair.other)}</dt>
      <dd>{pair.word}, {figure(pair.correlation, 2)}</dd>
    {/each}
  </dl>
{/if}

{#if solvable}
  <h3>Work it out for me</h3>
  {#each WISHES as [what, label] (what)}
    <Labelled name={label}>
      <div class="wish">
        <input
          type="checkbox"
          aria-label="Wish for {label}"
          checked={what in wishes}
          onchange={(event) => {
            if (event.currentTarget.checked) wishes[what] = present(what);
            else delete wishes[what];
          }}
        />
        {#if wishes[what] !== undefined}
          <ValueField
            value={wishes[what]}
            unit={unitOf(what)}
            label="Wished {label}"
            width="100%"
            oncommit={(v) => (wishes[what] = Number(v))}
          />
        {:else}
          <span>{shown(Number(present(what).toPrecision(4)), unitOf(what))}</span>
        {/if}
      </div>
    </Labelled>
  {/each}
  <div class="acts">
    {#if abort}
      <button class="quiet" onclick={() => abort?.abort()}>Stop</button><span class="help">Working it out…</span>
    {:else if answer}
      <button class="quiet" onclick={take}>Take it</button>
      <button class="quiet" onclick={leave}>Leave it</button>
    {:else}
      <button class="quiet" disabled={Object.keys(wishes).length === 0} onclick={() => void bench.attempt(solve)}
        >Work it out</button
      >
    {/if}
  </div>
  {#if answer}
    <p class="help">{answer.changes.join('; ') || 'Nothing needs to change.'}</p>
    {#each answer.met.filter((met) => !met.met) as met (met.wish.what)}
      <p class="missed">
        {WISHES.find(([what]) => what === met.wish.what)?.[1]}: {shown(met.wish.value, unitOf(met.wish.what))} cannot be met
        with the rest; the nearest is {shown(Number(met.got.toPrecision(4)), unitOf(met.wish.what))}.
      </p>
    {/each}
  {/if}
{/if}

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
  .wish {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 13px;
    color: var(--faint);
  }
  .missed {
    font-size: 12.5px;
    color: var(--madder);
  }
</style>
