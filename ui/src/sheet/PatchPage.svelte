<script lang="ts">
  import Fold from '../common/Fold.svelte';
  import Button from '../common/Button.svelte';
  import type { Patch } from '../api/api';
  import { messages } from '../state/messages.svelte';
  import { setBase } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { shown } from '../common/format';
  import { cut } from '../common/text';
  import { modules } from '../state/document';
  import { settings } from '../state/settings.svelte';
  import Choice from '../common/Choice.svelte';
  import { downloadMade, readCycles } from '../state/files';
  import FieldEditor from './FieldEditor.svelte';
  import TextField from '../common/TextField.svelte';
  import FileButton from '../common/FileButton.svelte';
  import Labelled from '../common/Labelled.svelte';
  import PlacedFigures from './PlacedFigures.svelte';
  import RecordingPart from './RecordingPart.svelte';
  import ValueField from '../common/ValueField.svelte';
  import SourcesTable from './SourcesTable.svelte';

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
  /** What stands on no stave is set here; a stave carries its own. */
  const still = $derived((workbench.catalogue?.destinations ?? []).filter((at) => !workbench.sheet?.lanes[at.name]));
  const sections = $derived(workbench.catalogue?.sections ?? []);
  let opened: Record<string, boolean> = $state({ 'Oscillator 1': true, 'Filter 1': true });

  function setVoice(fields: Partial<Voice>, label: string, merge = ''): void {
    workbench.edit(label, { ...patch, voice: { ...voice, ...fields } }, merge);
  }
  function setPerformance(fields: Partial<Performance>, label: string, merge = ''): void {
    workbench.edit(label, { ...patch, performance: { ...performance, ...fields } }, merge);
  }
  type Tree = Record<string, unknown>;
  const partAt = (path: string[]): Tree =>
    path.reduce((part, name) => (part[name] as Tree | undefined) ?? {}, voice as Tree);

  /** Sets a field of a part of the voice, the parts around it kept. */
  function setPart(path: string[], name: string, value: unknown, label: string, merge = ''): void {
    const set = (part: Tree, left: string[]): Tree =>
      left.length === 0
        ? { ...part, [name]: value }
        : { ...part, [left[0]!]: set((part[left[0]!] as Tree | undefined) ?? {}, left.slice(1)) };
    workbench.edit(label, { ...patch, voice: set(voice as Tree, path) as Voice }, merge);
  }

  const apart = $derived((performance.notes?.[1]?.start_s ?? 0.5) - (performance.notes?.[0]?.start_s ?? 0) || 0.5);
  const notes = $derived(performance.notes ?? [{}]);
  const later = (from: number, by: number): number => Number((from + by).toFixed(6));
  /** Adds notes like the last one after it, or leaves the last ones out; those that stay are as they were. */
  function row(count: number, label: string, merge = ''): void {
    const last = notes.at(-1)!;
    const more = Array.from({ length: Math.max(0, count - notes.length) }, (_, i) => ({
      ...last,
      start_s: later(last.start_s ?? 0, (i + 1) * apart)
    }));
    setPerformance({ notes: [...notes.slice(0, Math.max(1, count)), ...more] }, label, merge);
  }
  /** Sets a second note after the first: another key, as long. */
  function second(key: number, merge: string): void {
    const first = notes[0] ?? {};
    const next = notes[1] ?? { ...first, start_s: later(first.start_s ?? 0, first.length_s ?? 1) };
    setPerformance({ notes: [first, { ...next, key }] }, `then ${shown(key, 'key')}`, merge);
  }
  /** Places the notes at equal distances, each as it is. */
  function spread(gap: number, label: string, merge = ''): void {
    const first = notes[0]!.start_s ?? 0;
    setPerformance({ notes: notes.map((note, i) => ({ ...note, start_s: later(first, i * gap) })) }, label, merge);
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
  const bendRange: Figure = $derived({
    name: 'bend range',
    label: 'Bend range',
    value: voice.bend_range_st ?? 2,
    unit: 'st',
    low: 0,
    high: 60,
    set: (value, label, merge) => setVoice({ bend_range_st: value }, label, merge)
  });

  function tag(text: string): void {
    const tags = [...new Set(text.split(',').map((word) => cut(word.trim(), 120)))].filter((word) => word);
    workbench.edit(tags.length ? `tags ${tags.join(', ')}` : 'no tags', { ...patch, tags: tags.slice(0, 64) });
  }
  const bases: Figure[] = $derived(
    still.map((at) => ({
      ...at,
      name: at.title.toLowerCase(),
      label: at.title,
      value: voice.base?.[at.name] ?? at.base,
      set: (value, label, merge) => setBase(at.name, value, label, merge)
    }))
  );
  const played: Figure[] = $derived([
    {
      name: 'beats a bar',
      label: 'Beats per bar',
      value: performance.beats_per_bar ?? 4,
      unit: 'count',
      low: 1,
      high: 32,
      set: (value, label, merge) => setPerformance({ beats_per_bar: Math.round(value) }, label, merge)
    },
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
      bare={figure.unit === 's' ? 's' : undefined}
      label={figure.label}
      low={figure.low}
      high={figure.high}
      width="100%"
      oncommit={(v, merge) => figure.set(Number(v), `${figure.name} ${shown(v, figure.unit)}`, merge)}
    />
  </Labelled>
{/snippet}

<header>The patch</header>
<div class="notes">
  <TextField
    rows={6}
    label="Notes on the patch"
    placeholder="Why it is as it is."
    value={patch.notes ?? ''}
    onset={(notes) => workbench.edit('notes', { ...patch, notes })}
  />
</div>

<Labelled name="tags" under="a comma between two">
  <TextField label="Tags of the patch" value={(patch.tags ?? []).join(', ')} onset={tag} />
</Labelled>

<PlacedFigures about={{ what: 'patch', id: '' }} awaited="inaudible after" />

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
{@render figureField(bendRange)}
<Labelled name="unison">
  <ValueField
    value={voice.oscillators?.unison ?? 1}
    unit="count"
    label="Voices in unison"
    low={1}
    high={7}
    width="100%"
    oncommit={(v, merge) => setPart(['oscillators'], 'unison', Math.round(Number(v)), `unison ${v}`, merge)}
  />
</Labelled>

<Labelled name="signal heard" help="A module whose signal is heard as sound, by the destination signal level.">
  <Choice
    label="Signal heard as sound"
    value={voice.signal ?? ''}
    options={[['', 'none'], ...modules(patch).map((m) => [m.id, m.id] as const)]}
    onchoose={(name) => setVoice({ signal: name || null }, name ? `${name} heard` : 'no signal heard')}
  />
</Labelled>

{#each sections as section (section.title)}
  <Fold
    title={section.title}
    hint={section.help}
    bind:open={() => opened[section.title] ?? false, (open) => (opened[section.title] = open)}
  >
    {#each section.fields as field (field.name)}
      <FieldEditor
        {field}
        owner={section.title.toLowerCase()}
        value={partAt(section.path)[field.name] ?? field.default}
        onset={(value, label, merge) => setPart(section.path, field.name, value, label, merge)}
      />
    {/each}
    {#if section.path.includes('osc1')}
      <div class="acts">
        <Button onclick={() => (workbench.building = true)}>Build from harmonics…</Button>
        <FileButton
          label="Choose a WAV of single cycles"
          accept=".wav,audio/wav"
          onfile={(file) => void messages.attempt(() => workbench.settling(readCycles(file)))}>Read a WAV…</FileButton
        >
        <Button
          data-hint="Its cycles, 2048 samples each"
          onclick={() => {
            const table = patch.voice?.oscillators?.osc1?.table ?? 'ladder';
            void messages.attempt(
              async () => void (await downloadMade(patch, 'table.wav', { table }, `-${table}.wav`))
            );
          }}>Write the table</Button
        >
      </div>
    {/if}
  </Fold>
{/each}
<RecordingPart {patch} bind:open={() => opened['Recording'] ?? false, (open) => (opened['Recording'] = open)} />
<Fold
  title="Set values"
  hint="Destinations that nothing moves and that have no stave."
  bind:open={() => opened['Set values'] ?? false, (open) => (opened['Set values'] = open)}
>
  {#each bases as figure (figure.label)}{@render figureField(figure)}{/each}
</Fold>

<Fold title="Peaks of every source" bind:open={() => opened['Sources'] ?? false, (open) => (opened['Sources'] = open)}>
  <SourcesTable />
</Fold>

<h3>Test note</h3>
<Labelled
  name="in a row"
  under={voice.mode === 'poly' || !voice.mode ? 'one voice each: the sheet shows the first' : ''}
>
  <ValueField
    value={performance.notes?.length ?? 1}
    unit="count"
    label="Notes in a row"
    low={1}
    high={64}
    width="100%"
    oncommit={(v, merge) => row(Math.round(Number(v)), `${v} notes in a row`, merge)}
  />
</Labelled>
{#if voice.mode && voice.mode !== 'poly' && (performance.notes?.length ?? 1) <= 2}
  <Labelled name="then key" under="a second key, struck as the first is let go, shows the glide">
    <ValueField
      value={performance.notes?.[1]?.key ?? workbench.key}
      unit="key"
      label="Key of the second note"
      low={0}
      high={127}
      width="100%"
      oncommit={(v, merge) => second(Number(v), merge)}
    />
  </Labelled>
{/if}
{#if (performance.notes?.length ?? 1) > 1}
  <Labelled name="apart">
    <ValueField
      value={Number(apart.toPrecision(5))}
      unit="s"
      bare="s"
      label="From one note to the next"
      low={0.01}
      high={20}
      width="100%"
      oncommit={(v, merge) => spread(Number(v), `notes ${shown(v, 's')} apart`, merge)}
    />
  </Labelled>
{/if}
<Labelled name="signals">
  <Choice
    label="How signals are shown"
    value={settings.now.signals}
    options={[
      ['plain', 'as they are'],
      ['percent', 'in per cent'],
      ['volts', 'in volts, 1 is 5 V']
    ]}
    onchoose={(as) => settings.set({ signals: as as 'plain' })}
  />
</Labelled>
{#each played as figure (figure.label)}{@render figureField(figure)}{/each}

<style>
  .notes :global(textarea) {
    width: 100%;
    line-height: 18px;
    font-size: 13px;
    resize: vertical;
  }
</style>
