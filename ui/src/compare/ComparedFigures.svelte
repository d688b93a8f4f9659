<script lang="ts">
  import { figure, shown } from '../common/format';
  import { term } from '../common/hint';
  import Button from '../common/Button.svelte';
  import { apart, inWords, measured, MEASURES, type Measure } from './compared';
  import type { Comparing } from './comparing.svelte';

  /** The figures of one stave at every step, how far each lies from the first's, and what can be done with a step. */
  interface Props {
    of: Comparing;
    stave: string;
    onplay: (i: number) => void;
    onhold: (i: number) => void;
    onkeep: (i: number) => void;
  }
  let { of, stave, onplay, onhold, onkeep }: Props = $props();
  const unit = $derived(of.units[stave] ?? '');
  /** The step that is to be swapped with the next one chosen. */
  let picked: number | null = $state(null);

  function cell(i: number, measure: Measure): string {
    const value = measured(of.steps[i]?.facts, stave, measure);
    return value === undefined ? '–' : value === null ? 'moving' : inWords(value, unit, measure);
  }
  function difference(i: number, measure: Measure): string {
    const [first, value] = [0, i].map((at) => measured(of.steps[at]?.facts, stave, measure));
    return i === 0 || first == null || value == null ? '' : apart(first, value, unit, measure);
  }
  const db = (gain: number): string => (gain > -0.05 ? '0 dB' : `−${(-gain).toFixed(1)} dB`);
  function swap(i: number): void {
    if (picked === null) picked = i;
    else {
      of.swap(picked, i);
      picked = null;
    }
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="figures-of" role="region" aria-label="Figures of every step" tabindex="0">
  <table class="figures">
    <caption>{of.titles[stave] ?? ''}, and the difference from the first</caption>
    <thead>
      <tr
        ><th></th>{#each MEASURES as [, name] (name)}<th>{name}</th>{/each}<th
          data-hint="Loudness of the whole sound, LUFS">loud</th
        ><th data-hint="The most that the limiter takes">limiter</th><th
          data-hint="The middle of its spectrum’s power, over the loudest half second">bright</th
        ><th data-hint="By how much it is turned down when it is played from here: all are as loud as the quietest"
          >plays at</th
        ><th></th></tr
      >
    </thead>
    <tbody>
      {#each of.steps as { label, level }, i (label)}
        <tr>
          <td {...term(label)}><b>{label}</b></td>
          {#each MEASURES as [key] (key)}<td>{cell(i, key)} <small>{difference(i, key)}</small></td>{/each}
          <td>{level ? `${figure(level.loudness_lufs, 3)} LUFS` : '…'}</td>
          <td>{level ? db(-level.limited_db) : '…'}</td>
          <td>{level ? shown(Number(level.brightness_hz.toPrecision(3)), 'Hz') : '…'}</td>
          <td>{level ? db(level.gain_db) : '…'}</td>
          <td class="acts">
            <Button look="bare" aria-label="Play {label}" onclick={() => onplay(i)}>play</Button>
            <Button look="bare" aria-label="Hold {label} as ghost" onclick={() => onhold(i)}>ghost</Button>
            <Button look="bare" aria-label="Keep {label} as a variant" onclick={() => onkeep(i)}>keep</Button>
            <Button
              look="bare"
              aria-pressed={picked === i}
              aria-label={picked === null || picked === i ? `Swap ${label} with…` : `Swap with ${label}`}
              onclick={() => swap(i)}>{picked === null || picked === i ? 'swap' : 'with'}</Button
            >
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
</div>

<style>
  .figures-of {
    overflow: auto;
    scrollbar-width: thin;
  }
  td,
  th {
    padding-inline: 4px;
  }
  td {
    vertical-align: top;
  }
  td:first-child {
    text-align: left;
    padding-left: 14px;
    max-width: 9em;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  small,
  .acts {
    color: var(--faint);
    font-size: 12px;
  }
  small {
    display: block;
    line-height: 15px;
  }
  .acts {
    position: sticky;
    right: 0;
    background: var(--paper);
  }
</style>
