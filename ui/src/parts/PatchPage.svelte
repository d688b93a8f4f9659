<script lang="ts">
  import type { Patch } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { shown } from '../lib/format';
  import Choice from './Choice.svelte';
  import Labelled from './Labelled.svelte';
  import ValueField from './ValueField.svelte';

  let { patch }: { patch: Patch } = $props();

  type Voice = NonNullable<Patch['voice']>;
  type Performance = NonNullable<Patch['performance']>;
  const voice = $derived(patch.voice ?? {});
  const performance = $derived(patch.performance ?? {});

  const MODES = [
    ['poly', 'one voice each'],
    ['mono', 'one voice, mono'],
    ['legato', 'one voice, legato']
  ] as const;
  const RESPONSES = ['low', 'high', 'band', 'notch'].map((name) => [name, `${name} pass`] as const);
  const SLOPES = [
    ['gentle', '12 dB an octave'],
    ['steep', '24 dB an octave']
  ] as const;
  const STILL = ['resonance', 'osc1_level', 'pan'];
  const still = $derived(
    (bench.catalogue?.destinations ?? []).filter((at) => STILL.includes(at.name) && !bench.sheet?.lanes[at.name])
  );
  const tables = $derived(Object.keys(bench.catalogue?.tables ?? {}).map((name) => [name, name] as const));
  const table = $derived(voice.oscillators?.osc1?.table ?? 'ladder');

  function setVoice(fields: Partial<Voice>, label: string, merge = ''): void {
    bench.edit(label, { ...patch, voice: { ...voice, ...fields } }, merge);
  }
  function setPerformance(fields: Partial<Performance>, label: string, merge = ''): void {
    bench.edit(label, { ...patch, performance: { ...performance, ...fields } }, merge);
  }
  function setTable(name: string): void {
    const osc1 = { ...voice.oscillators?.osc1, table: name as typeof table };
    setVoice({ oscillators: { osc1 } }, `table ${name}`);
  }
  function setFilter(fields: Partial<NonNullable<Voice['filter']>>, label: string): void {
    setVoice({ filter: { ...voice.filter, ...fields } }, label);
  }

  interface Figure {
    name: string;
    label: string;
    value: number;
    unit: string;
    low: number;
    high: number;
    set: (value: number, label: string, merge: string) => void;
  }
  const glide: Figure = $derived({
    name: 'glide',
    label: 'Glide',
    value: voice.glide_ms ?? 0,
    unit: 'ms',
    low: 0,
    high: 60_000,
    set: (value, label, merge) => setVoice({ glide_ms: value }, label, merge)
  });
  const bases: Figure[] = $derived(
    still.map((at) => ({
      ...at,
      name: at.title.toLowerCase(),
      label: at.title,
      value: voice.base?.[at.name] ?? at.base,
      set: (value, label, merge) => bench.setBase(at.name, value, label, merge)
    }))
  );
  const played: Figure[] = $derived([
    {
      name: 'tail',
      label: 'Tail',
      value: performance.tail_s ?? 0.5,
      unit: 's',
      low: 0,
      high: 60,
      set: (value, label, merge) => setPerformance({ tail_s: value }, label, merge)
    },
    {
      name: 'seed',
      label: 'Seed',
      value: performance.seed ?? 1,
      unit: 'count',
      low: 0,
      high: 9_007_199_254_740_992,
      set: (value, label, merge) => setPerformance({ seed: Math.round(value) }, label, merge)
    }
  ]);
</script>

{#snippet figureField(figure: Figure)}
  <Labelled name={figure.name}>
    <ValueField
      value={figure.value}
      unit={figure.unit}
      label={figure.label}
      low={figure.low}
      high={figure.high}
      width="100%"
      oncommit={(v, merge) => figure.set(Number(v), `${figure.name} ${shown(v, figure.unit)}`, merge)}
    />
  </Labelled>
{/snippet}

<header>The patch</header>
<textarea
  class="field notes"
  rows="6"
  aria-label="Notes on the patch"
  placeholder="Why it is as it is."
  value={patch.notes ?? ''}
  onchange={(e) => bench.edit('notes', { ...patch, notes: e.currentTarget.value })}></textarea>

<h3>Voice</h3>
<Labelled name="notes take it">
  <Choice
    label="Voice mode"
    value={voice.mode ?? 'poly'}
    options={MODES}
    onchoose={(mode) => setVoice({ mode: mode as Voice['mode'] }, `voice ${mode}`)}
  />
</Labelled>
{@render figureField(glide)}
<Labelled name="wavetable">
  <Choice label="Wavetable" title={bench.catalogue?.tables[table]} value={table} options={tables} onchoose={setTable} />
</Labelled>
<Labelled name="filter">
  <Choice
    label="Filter response"
    value={voice.filter?.response ?? 'low'}
    options={RESPONSES}
    onchoose={(name) => setFilter({ response: name as 'low' }, `filter ${name}`)}
  />
</Labelled>
<Labelled name="slope">
  <Choice
    label="Filter slope"
    value={voice.filter?.slope ?? 'gentle'}
    options={SLOPES}
    onchoose={(name) => setFilter({ slope: name as 'gentle' }, `slope ${name}`)}
  />
</Labelled>
{#each bases as figure (figure.label)}{@render figureField(figure)}{/each}

<h3>Test note</h3>
{#each played as figure (figure.label)}{@render figureField(figure)}{/each}

<style>
  .notes {
    width: 100%;
    line-height: 18px;
    font-size: 13px;
    resize: vertical;
  }
</style>
