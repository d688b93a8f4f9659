<script lang="ts">
  import Button from '../common/Button.svelte';
  import { figure, seconds } from '../common/format';
  import { term } from '../common/hint';
  import { workbench } from '../state/workbench.svelte';

  /** When each source peaks, how it gets there and where it dips: all in one table. */
  const signals = $derived(Object.entries(workbench.judging.judgement?.measures.signals ?? {}));
  /** The dips between the rises of a source, as its own page says them. */
  function dips(id: string): string {
    const all = workbench.judging.judgement?.figures ?? [];
    const mine = all.filter((one) => one.about.what === 'source' && one.about.id === id && one.name.startsWith('dip'));
    return mine.map((one) => one.said).join('; ');
  }
  const time = (t: number | null | undefined): string => (t == null ? '–' : seconds(t));
</script>

<table class="figures" aria-label="Peaks, rises and dips of every source" class:is-old={workbench.judging.isOld}>
  <thead>
    <tr>
      <th></th>
      <th {...term('Greatest value, and when, from note-on')}>peak</th>
      <th {...term('When it has come 90 % of the way from start to peak')}>rise</th>
      <th {...term('When half of the fall after the peak is left')}>half</th>
    </tr>
  </thead>
  <tbody>
    {#each signals as [id, of] (id)}
      <tr>
        <td><Button look="bare" onclick={() => (workbench.chosen = { what: 'source', id })}>{id}</Button></td>
        <td>{figure(of.peak, 3)}<br />{time(of.peak_s)}</td>
        <td>{time(of.rise_s?.[2])}</td>
        <td>{time(of.fall_s?.[0])}</td>
      </tr>
      {#if dips(id)}
        <tr><td></td><td colspan="3" class="dips">dips to {dips(id)}</td></tr>
      {/if}
    {:else}
      <tr><td colspan="4">{workbench.judging.judgement ? 'No source yet.' : 'Looking…'}</td></tr>
    {/each}
  </tbody>
</table>

<style>
  td:first-child,
  .dips {
    text-align: left;
    white-space: normal;
  }
  td,
  th {
    padding: 0 3px;
    vertical-align: top;
  }
</style>
