<script lang="ts">
  import Fold from '../common/Fold.svelte';
  import { term } from '../common/hint';
  import Aged from '../common/Aged.svelte';
  import { workbench, type Present } from '../state/workbench.svelte';
  import { noteName, seconds, shown } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import { reached, type Reached } from './reached';
  import { VELOCITIES } from '../api/facts.gen';
  import Choice from '../common/Choice.svelte';

  /** What a lane comes to at soft, medium and hard, low and high: worked out when it is asked for. */
  let { name }: { name: string } = $props();

  const TWO_OCTAVES = 24;
  const FIGURES = [
    ['settle', 'settles at'],
    ['peak', 'peak'],
    ['rise_s', 'attack: 90 % of the way up'],
    ['at_off', 'at note-off']
  ] as const;

  let opened = $state(false as boolean);
  type Figure = (typeof FIGURES)[number][0];
  let wanted: Figure | null = $state(null);
  let found: Reached[] | null = $state.raw(null);
  let of: Present | null = $state.raw(null);
  let abort: AbortController | null = null;

  const unit = $derived(workbench.sheet?.lanes[name]?.unit ?? 'ratio');
  /** Until one is chosen: where it settles, or its peak where it does not settle in this note. */
  const settles = $derived(workbench.judging.judgement?.measures.lanes[name]?.measures.settle != null);
  const chosen: Figure = $derived(wanted ?? (settles ? 'settle' : 'peak'));
  const keys = $derived(
    [workbench.key - TWO_OCTAVES, workbench.key, workbench.key + TWO_OCTAVES].filter((k) => k >= 0 && k <= 127)
  );

  $effect(() => {
    void name;
    if (opened && workbench.judging.judgement) void messages.attempt(ask);
    return () => abort?.abort();
  });

  async function ask(): Promise<void> {
    abort?.abort();
    const mine = (abort = new AbortController());
    const asked = workbench.present;
    try {
      const velocities = VELOCITIES.map((v) => v.velocity);
      const answer = await reached(workbench.patch!, name, keys, velocities, mine.signal, workbench.performed);
      if (abort === mine) [found, of] = [answer, asked];
    } catch (error) {
      if (!(error instanceof DOMException)) throw error;
    }
  }

  function said(reached: Reached | undefined): string {
    if (!reached) return '';
    const { measures } = reached;
    if (chosen === 'rise_s') return measures.rise_s == null ? '–' : seconds(measures.rise_s[2]);
    const value = measures[chosen];
    return value == null ? 'moving' : shown(Number(value.toPrecision(4)), unit);
  }
</script>

<Fold title="At other velocities and keys" bind:open={opened}>
  <Choice
    label="Figure at other velocities and keys"
    value={chosen}
    options={FIGURES}
    onchoose={(c) => (wanted = c as Figure)}
  />
  <Aged old={!found || workbench.isOld(of)}>
    <table class="figures">
      <thead
        ><tr
          ><th></th>{#each VELOCITIES as { name, velocity } (velocity)}<th {...term(`velocity ${velocity}`)}>{name}</th
            >{/each}</tr
        ></thead
      >
      <tbody>
        {#each keys as key (key)}
          <tr>
            <td>{noteName(key)}</td>
            {#each VELOCITIES as { velocity } (velocity)}
              <td>{said(found?.find((r) => r.key === key && r.velocity === velocity))}</td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </Aged>
</Fold>

<style>
  table {
    width: 100%;
    font-size: 13px;
    margin-top: 4px;
  }
</style>
