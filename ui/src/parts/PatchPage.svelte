<script lang="ts">
  import type { Patch } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { shown } from '../lib/format';
  import ValueField from './ValueField.svelte';

  let { patch }: { patch: Patch } = $props();

  const voice = $derived(patch.voice ?? {});
  const performance = $derived(patch.performance ?? {});
  const STILL = ['resonance', 'osc1_level', 'pan'];
  const still = $derived(
    (bench.catalogue?.destinations ?? []).filter((at) => STILL.includes(at.name) && !bench.sheet?.lanes[at.name])
  );

  function setVoice(fields: Partial<NonNullable<Patch['voice']>>, label: string, merge = ''): void {
    bench.edit(label, { ...patch, voice: { ...voice, ...fields } }, merge);
  }
  function setPerformance(fields: Partial<NonNullable<Patch['performance']>>, label: string, merge = ''): void {
    bench.edit(label, { ...patch, performance: { ...performance, ...fields } }, merge);
  }
  const setTable = (table: string): void =>
    setVoice({ oscillators: { osc1: { ...voice.oscillators?.osc1, table: table as 'ladder' } } }, `table ${table}`);
</script>

<header>The patch</header>
<textarea
  class="field notes"
  rows="6"
  aria-label="Notes on the patch"
  placeholder="Why it is as it is."
  value={patch.notes ?? ''}
  onchange={(e) => bench.edit('notes', { ...patch, notes: e.currentTarget.value })}></textarea>

<h3>Voice</h3>
<div class="fields">
  <label
    ><span>notes take it</span>
    <select
      class="field"
      aria-label="Voice mode"
      value={voice.mode ?? 'poly'}
      onchange={(e) => setVoice({ mode: e.currentTarget.value as 'poly' }, `voice ${e.currentTarget.value}`)}
    >
      <option value="poly">one voice each</option>
      <option value="mono">one voice, mono</option>
      <option value="legato">one voice, legato</option>
    </select>
  </label>
  <label
    ><span>glide</span><ValueField
      value={voice.glide_ms ?? 0}
      unit="ms"
      label="Glide"
      low={0}
      high={60000}
      width="100%"
      oncommit={(v, m) => setVoice({ glide_ms: Number(v) }, `glide ${shown(v, 'ms')}`, m)}
    /></label
  >
  <label
    ><span>wavetable</span>
    <select
      class="field"
      aria-label="Wavetable"
      title={bench.catalogue?.tables[voice.oscillators?.osc1?.table ?? 'ladder']}
      value={voice.oscillators?.osc1?.table ?? 'ladder'}
      onchange={(e) => setTable(e.currentTarget.value)}
    >
      {#each Object.keys(bench.catalogue?.tables ?? {}) as name (name)}<option>{name}</option>{/each}
    </select>
  </label>
  <label
    ><span>filter</span>
    <select
      class="field"
      aria-label="Filter response"
      value={voice.filter?.response ?? 'low'}
      onchange={(e) =>
        setVoice(
          { filter: { ...voice.filter, response: e.currentTarget.value as 'low' } },
          `filter ${e.currentTarget.value}`
        )}
    >
      {#each ['low', 'high', 'band', 'notch'] as name (name)}<option value={name}>{name} pass</option>{/each}
    </select>
  </label>
  <label
    ><span>slope</span>
    <select
      class="field"
      aria-label="Filter slope"
      value={voice.filter?.slope ?? 'gentle'}
      onchange={(e) =>
        setVoice(
          { filter: { ...voice.filter, slope: e.currentTarget.value as 'gentle' } },
          `slope ${e.currentTarget.value}`
        )}
    >
      <option value="gentle">12 dB an octave</option>
      <option value="steep">24 dB an octave</option>
    </select>
  </label>
  {#each still as at (at.name)}
    <label
      ><span>{at.title.toLowerCase()}</span><ValueField
        value={voice.base?.[at.name] ?? at.base}
        unit={at.unit}
        label={at.title}
        low={at.low}
        high={at.high}
        width="100%"
        oncommit={(v, m) => bench.setBase(at.name, Number(v), `${at.title.toLowerCase()} ${shown(v, at.unit)}`, m)}
      /></label
    >
  {/each}
</div>

<h3>Test note</h3>
<div class="fields">
  <label
    ><span>tail</span><ValueField
      value={performance.tail_s ?? 0.5}
      unit="s"
      label="Tail"
      low={0}
      high={60}
      width="100%"
      oncommit={(v, m) => setPerformance({ tail_s: Number(v) }, `tail ${shown(v, 's')}`, m)}
    /></label
  >
  <label
    ><span>seed</span><ValueField
      value={performance.seed ?? 1}
      unit="count"
      label="Seed"
      low={0}
      high={9007199254740992}
      width="100%"
      oncommit={(v, m) => setPerformance({ seed: Math.round(Number(v)) }, `seed ${v}`, m)}
    /></label
  >
</div>

<style>
  header {
    font-weight: 700;
    font-size: 15px;
    margin-bottom: 8px;
  }
  .notes {
    width: 100%;
    line-height: 18px;
    font-size: 13px;
    resize: vertical;
  }
  .fields {
    display: flex;
    flex-direction: column;
    gap: 5px;
  }
  label {
    display: grid;
    grid-template-columns: 6.2rem 1fr;
    align-items: center;
    gap: 8px;
  }
  label span {
    color: var(--faint);
    font-size: 13.5px;
  }
  h3 {
    margin: 12px 0 5px;
    padding-top: 9px;
    border-top: 1px solid var(--rule);
    font-size: 13px;
    color: var(--faint);
    font-weight: 600;
  }
</style>
