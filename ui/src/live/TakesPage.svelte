<script lang="ts">
  import { FULL_RATE } from '../api/facts.gen';
  import Button from '../common/Button.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { comparing } from '../compare/comparing-now';
  import { taking } from './playing-live';
  import type { Take } from './taking.svelte';
  import { CUT_OFF } from './taking.svelte';
  import { secondOf } from '../common/dates';
  import { seconds } from '../common/format';

  /** The takes of this patch: opened as phrases, named, held against each other, joined from their best bars, printed. */
  let picked: readonly string[] = $state.raw([]);
  let facts: Record<string, Take> = $state.raw({});
  /** For each bar the take that it comes from, by its place among those that are picked. */
  let bars: number[] = $state([]);
  const chosen = $derived(taking.heads.filter((head) => picked.includes(head.id)));
  const MOST_BARS = 16;
  const many = $derived(Math.min(MOST_BARS, ...chosen.map(({ id }) => barsOf(facts[id])).filter((count) => count > 0)));

  $effect(() => {
    void workbench.id;
    void messages.attempt(() => taking.refresh());
  });
  $effect(() => {
    for (const { id } of chosen) {
      if (!(id in facts)) void messages.attempt(async () => void (facts = { ...facts, [id]: await taking.take(id) }));
    }
  });

  function barsOf(take: Take | undefined): number {
    if (!take) return 0;
    const bar = (60 / (take.tempo_bpm ?? 96)) * (take.beats_per_bar ?? 4) * (take.rate ?? FULL_RATE);
    return Math.max(1, Math.ceil((take.ends - (take.begins ?? 0)) / bar - 1e-3));
  }
  function pick(id: string, is: boolean): void {
    picked = is ? [...picked, id] : picked.filter((one) => one !== id);
    bars = [];
  }
  const open = (id: string): void =>
    void messages.attempt(async () => {
      await taking.open(id);
      workbench.chosen = { what: 'phrase', id: '' };
    });
  async function compare(): Promise<void> {
    const phrases = [];
    for (const { id } of chosen) phrases.push(await taking.phraseOf(id));
    await workbench.phrasing.refresh();
    comparing.chosen = 'phrases';
    comparing.others = phrases.map((phrase) => phrase.id);
    workbench.view = 'compare';
  }
  const join = (): void =>
    void messages.attempt(async () => {
      const from = Array.from({ length: many }, (_, bar) => bars[bar] ?? 0);
      await taking.join(
        chosen.map(({ id }) => id),
        from
      );
      workbench.chosen = { what: 'phrase', id: '' };
    });
</script>

<header>Takes</header>
<p class="help">
  What was played on this patch, to the sample. Opened, a take is a phrase that is edited as any; the take stays as it
  was played.
</p>
<ul>
  {#each taking.heads as head (head.id)}
    <li>
      <div class="row">
        <Tick label="Pick {head.name}" checked={picked.includes(head.id)} onset={(is) => pick(head.id, is)} />
        <TextField
          class="take-name"
          label="Name of {head.name}"
          value={head.name}
          maxlength={120}
          onset={(name) => (name.trim() ? void messages.attempt(() => taking.rename(head.id, name.trim())) : undefined)}
        />
      </div>
      <div class="row low">
        <span>{secondOf(head.changed_at)}</span>
        {#if head.tags.includes(CUT_OFF)}<b data-hint="It ended before its pass did, or with the page that played it"
            >{CUT_OFF}</b
          >{/if}
        {#if facts[head.id]}
          {@const take = facts[head.id]!}
          <span>{seconds((take.ends - (take.begins ?? 0)) / (take.rate ?? FULL_RATE))}</span>
          {#if take.edits}<span>edited {take.edits === 1 ? 'once' : `${take.edits} times`} meanwhile</span>{/if}
        {/if}
        <Button look="bare" aria-label="Open {head.name}" onclick={() => open(head.id)}>open</Button>
        <Button
          look="bare"
          aria-label="Delete {head.name}"
          onclick={() => void messages.attempt(() => taking.remove(head))}>delete</Button
        >
      </div>
    </li>
  {:else}
    <li class="help">
      None yet. Play live, and press Record for a take at each turn of the phrase, or Keep it for the last two minutes.
    </li>
  {/each}
</ul>
{#if chosen.length > 0}
  <div class="acts">
    <Button disabled={chosen.length < 2} onclick={() => void messages.attempt(compare)}>Compare</Button>
    <Button onclick={() => (taking.printing = chosen)}>Print…</Button>
  </div>
{/if}
{#if chosen.length > 1 && Number.isFinite(many)}
  <h3>Join the best bars</h3>
  <table class="figures" aria-label="Which take each bar comes from">
    <thead>
      <tr
        ><th></th>{#each { length: many } as _, bar (bar)}<th>{bar + 1}</th>{/each}</tr
      >
    </thead>
    <tbody>
      {#each chosen as head, i (head.id)}
        <tr>
          <th scope="row">{head.name}</th>
          {#each { length: many } as _, bar (bar)}
            <td>
              <Button
                look="bare"
                aria-pressed={(bars[bar] ?? 0) === i}
                aria-label="Bar {bar + 1} of {head.name}"
                onclick={() => (bars[bar] = i)}>{(bars[bar] ?? 0) === i ? '●' : '○'}</Button
              >
            </td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
  <div class="acts"><Button onclick={join}>Join as a phrase</Button></div>
{/if}

<style>
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 8px;
    font-size: 13px;
  }
  .low {
    padding-left: 24px;
    font-size: 12px;
    color: var(--faint);
  }
  :global(.field.take-name) {
    flex: 1;
    min-width: 0;
  }
  table {
    font-size: 12px;
  }
  th[scope] {
    max-width: 7rem;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    text-align: left;
    font-weight: 400;
  }
</style>
