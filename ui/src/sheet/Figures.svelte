<script lang="ts">
  import { term } from '../common/hint';
  import type { Measures } from '../api/api';
  import { seconds, shown } from '../common/format';

  /** What is measured of a lane or signal over the note, each figure with its definition. */
  let { of, unit }: { of: Measures; unit: string } = $props();

  const value = (v: number): string => shown(Number(v.toPrecision(4)), unit);
  type Row = [name: string, text: string | [heading: string, figure: string][], help: string];

  /** Returns times, each under its heading. */
  function parts(headings: string[], times: (number | null)[]): [string, string][] {
    return headings.map((heading, i) => [heading, times[i] == null ? '–' : seconds(times[i])]);
  }

  const rows = $derived(
    [
      ['starts at', value(of.start), 'Value at note-on.'],
      ['peak', `${value(of.peak)} after ${seconds(of.peak_s)}`, 'Greatest value, and when, from note-on.'],
      ['least', `${value(of.least)} after ${seconds(of.least_s)}`, 'Least value, and when.'],
      [
        'settles at',
        of.settle === null ? 'still moving' : value(of.settle),
        'Median of the last fifth before note-off, where its spread is under 2 % of the range.'
      ],
      ['at note-off', value(of.at_off), 'Value at the last sample before the gate falls.'],
      of.rise_s && [
        'rise',
        parts(['10 %', '50 %', '90 %'], of.rise_s),
        'When it has come 10, 50 and 90 % of the way from start to peak.'
      ],
      of.fall_s && [
        'fall',
        parts(['½', '⅒', '1/100'], of.fall_s),
        'After the peak: when a half, a tenth and a hundredth of the fall are left (−6, −20, −40 dB of it).'
      ],
      of.peak_above_sustain !== null &&
        of.peak_above_sustain !== 0 && [
          'peak above sustain',
          value(of.peak_above_sustain),
          'Peak minus the value it settles at.'
        ],
      of.overshoot !== null &&
        of.overshoot !== 0 && [
          'overshoot',
          shown(of.overshoot, 'ratio'),
          'How far it passes its input, of the range of the input.'
        ],
      of.periodic && [
        'swings',
        `${shown(of.periodic.rate_hz, 'Hz')}, ±${value(of.periodic.depth)}`,
        'Rate and depth of a movement that repeats.'
      ],
      of.after_off > 0 && [
        'after note-off',
        `${value(of.after_off)}, at rest after ${seconds(of.rest_after_off_s)}`,
        'From least to greatest after note-off, and when it stays within 1 % of the range.'
      ],
      of.clamped > 0 && ['clamped', `${(of.clamped * 100).toFixed(1)} %`, 'Share of the time at an end of its range.'],
      ['greatest step', value(of.greatest_step), 'Greatest difference between two samples.']
    ].filter((row): row is Row => Array.isArray(row))
  );
</script>

<dl>
  {#each rows as [name, text, help], i (i)}
    <dt {...term(help)}>{name}</dt>
    <dd>
      {#if typeof text === 'string'}{text}{:else}
        {#each text as [heading, figure] (heading)}<span class="part"><small>{heading}</small> {figure}</span>
        {/each}
      {/if}
    </dd>
  {/each}
</dl>

<style>
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 2px 10px;
    margin: 0;
    font-size: 13px;
  }
  .part {
    display: block;
    white-space: nowrap;
  }
  .part small {
    color: var(--faint);
    font-weight: 400;
  }
  dt {
    color: var(--faint);
  }
  dd {
    margin: 0;
    text-align: right;
    font-weight: 500;
  }
</style>
