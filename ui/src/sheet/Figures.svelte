<script lang="ts">
  import { term } from '../common/hint';
  import type { Measures } from '../api/api';
  import { seconds, shown } from '../common/format';

  /** What is measured of a lane or signal over the note, each figure with its definition. */
  let { of, unit }: { of: Measures; unit: string } = $props();

  const value = (v: number): string => shown(Number(v.toPrecision(4)), unit);
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
        of.rise_s.map((t) => seconds(t)).join(' · '),
        'When it has come 10, 50 and 90 % of the way from start to peak.'
      ],
      of.fall_s && [
        'fall',
        of.fall_s.map((t) => (t === null ? '–' : seconds(t))).join(' · '),
        'After the peak: when a half, a tenth and a hundredth of the fall are left (−6, −20, −40 dB of it).'
      ],
      of.overshoot !== null && of.overshoot !== 0 && ['overshoot', value(of.overshoot), 'Peak over settle.'],
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
    ].filter((row): row is string[] => Array.isArray(row))
  );
</script>

<dl>
  {#each rows as [name, text, help] (name)}
    <dt {...term(help)}>{name}</dt>
    <dd>{text}</dd>
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
  dt {
    color: var(--faint);
  }
  dd {
    margin: 0;
    text-align: right;
    font-weight: 500;
  }
</style>
