<script lang="ts">
  import { api, asBody, unwrap, type Hit, type Phrase } from '../api/api';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import Fold from '../common/Fold.svelte';
  import Labelled from '../common/Labelled.svelte';
  import TextField from '../common/TextField.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { cut } from '../common/text';
  import { figure, noteName, shown } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import { readPhrase, savePhrase } from './files';
  import { modules } from '../state/document';
  import { workbench } from '../state/workbench.svelte';
  import {
    beatsOf,
    beatS,
    hitsOf,
    laneLow,
    lanesOf,
    laneTitle,
    withLane,
    notesOf,
    playedOf,
    strikesOf,
    withHit,
    withNewHit,
    withNewStrike,
    withNote,
    withoutHit,
    withStrike,
    type Played
  } from './phrase';

  /** The phrase's own page: what it is, the note or stroke that is picked in figures, and ways to make it. */
  let { phrase }: { phrase: Phrase } = $props();
  const { phrasing } = workbench;

  const picked = $derived(phrasing.picked);
  const note = $derived(picked?.track === null ? notesOf(phrase)[picked.number] : undefined);
  const hit = $derived(hitsOf(phrase).find((one) => one.id === picked?.track));
  const strike = $derived(hit && picked ? strikesOf(hit)[picked.number] : undefined);

  const NOTE: readonly { field: keyof Played; name: string; unit: string; low: number; high: number }[] = [
    { field: 'key', name: 'key', unit: 'key', low: 0, high: 127 },
    { field: 'velocity', name: 'velocity', unit: 'velocity', low: 0, high: 127 },
    { field: 'at', name: 'begins at', unit: 'beats', low: 0, high: 1998 },
    { field: 'length', name: 'lasts', unit: 'beats', low: 0.001, high: 1998 }
  ];
  /** What may be played by hand and is not yet. */
  const untouched = $derived(
    [
      ...['mod_wheel', 'pressure', 'pitch_bend'],
      ...(workbench.patch ? modules(workbench.patch) : []).flatMap((m) => (m.kind === 'macro' ? [`macro:${m.id}`] : []))
    ]
      .filter((name) => !(name in (phrase.controls ?? {})))
      .map((name) => [name, laneTitle(name)] as const)
  );
  const SOUNDS = ['thud', 'snap', 'tick', 'none'].map((name) => [name, name] as const);
  const PATTERNS = ['up', 'down', 'up and down', 'as played', 'random', 'strokes', 'long and short', 'registers'];

  function set(fields: Partial<Phrase>, label: string, merge = ''): void {
    phrasing.edit(label, { ...phrase, ...fields }, merge);
  }

  /** Waits for what the server makes of the phrase. */
  const work = (label: string, ask: (from: Phrase) => Promise<{ phrase: unknown; remarks?: string[] }>): void =>
    void messages.attempt(() => workbench.settling(phrasing.work(label, ask)));

  let typed = $state('');
  async function type(): Promise<void> {
    const text = typed;
    await phrasing.work(`type ${cut(text, 40)}`, (from) =>
      unwrap(api.POST('/api/phrase/typed', { body: { phrase: asBody(from), text } }))
    );
    typed = '';
  }

  const make = $state({ pattern: 'up', chord: 'C3, Eb3, G3', rate: '1/16', octaves: 1, gate: 0.8, swing: 0.5 });
  async function chordKeys(): Promise<number[]> {
    const keys = make.chord.split(/[\s,]+/).filter((key) => key);
    const asked = keys.map((text) =>
      unwrap(api.POST('/api/value', { body: { text, unit: 'key', place: 'the chord', low: 0, high: 127 } }))
    );
    return (await Promise.all(asked)).map((found) => Number(found.value));
  }
  function made(): void {
    work(`made ${make.pattern}`, async (from) => {
      const { pattern, rate, octaves, gate, swing } = make;
      const how = { pattern: pattern as 'up', chord: await chordKeys(), rate, octaves, gate, swing };
      return unwrap(api.POST('/api/phrase/make', { body: { phrase: asBody(from), ...how } }));
    });
  }

  const change = (label: string, how: Record<string, unknown>): void =>
    work(label, (from) => unwrap(api.POST('/api/phrase/change', { body: { phrase: asBody(from), ...how } })));

  let seed = 1;
  let picker: HTMLInputElement | undefined = $state();
  async function chosen(event: Event & { currentTarget: HTMLInputElement }): Promise<void> {
    const file = event.currentTarget.files?.[0];
    event.currentTarget.value = '';
    if (file) await messages.attempt(async () => phrasing.create(await readPhrase(file)));
  }
</script>

<TextField
  class="phrase-name"
  label="Name of the phrase"
  value={phrase.name ?? 'Untitled'}
  maxlength={120}
  onset={(text) => (text.trim() ? set({ name: cut(text.trim(), 120) }, `rename to ${text.trim()}`) : undefined)}
/>
<p class="help">
  {notesOf(phrase).length}
  {notesOf(phrase).length === 1 ? 'note' : 'notes'} · {figure(beatsOf(phrase))} beats · {shown(
    beatsOf(phrase) * beatS(phrase),
    's'
  )}
</p>
{#if phrasing.drafts.state === 'conflict'}
  <p class="help">Another window changed this phrase. Both cannot stand.</p>
  <div class="acts">
    <Button onclick={() => void messages.attempt(() => phrasing.settle(true))}>Keep this window’s</Button>
    <Button onclick={() => void messages.attempt(() => phrasing.settle(false))}>Show the other’s</Button>
  </div>
{:else if phrasing.drafts.trouble}
  <p class="help">Not kept yet: {phrasing.drafts.trouble}</p>
{/if}
<Labelled name="tempo">
  <ValueField
    value={phrase.tempo_bpm ?? 96}
    unit="bpm"
    label="Tempo of the phrase"
    low={10}
    high={999}
    width="100%"
    oncommit={(v, merge) => set({ tempo_bpm: Number(v) }, `tempo ${shown(v, 'bpm')}`, merge)}
  />
</Labelled>
<Labelled name="bars">
  <div class="pair">
    <ValueField
      value={phrase.bars ?? 2}
      unit="count"
      label="Bars of the phrase"
      low={1}
      high={512}
      width="3rem"
      oncommit={(v, merge) => set({ bars: Math.round(Number(v)) }, `${v} bars`, merge)}
    />
    <span>of</span>
    <ValueField
      value={phrase.beats_per_bar ?? 4}
      unit="count"
      label="Beats in a bar of the phrase"
      low={1}
      high={32}
      width="3rem"
      oncommit={(v, merge) => set({ beats_per_bar: Math.round(Number(v)) }, `${v} beats a bar`, merge)}
    />
  </div>
</Labelled>

{#if note && picked}
  {@const played = playedOf(note)}
  <h3>Note {picked.number + 1}, {noteName(played.key)}</h3>
  {#each NOTE as one (one.field)}
    <Labelled name={one.name} under={one.unit === 'beats' ? shown(played[one.field] * beatS(phrase), 's') : ''}>
      <ValueField
        value={played[one.field]}
        unit={one.unit}
        label="Note {one.name}"
        low={one.low}
        high={one.high}
        width="100%"
        oncommit={(v, merge) =>
          phrasing.edit(
            `${one.name} ${shown(v, one.unit)}`,
            withNote(phrase, picked.number, { [one.field]: Number(v) }),
            merge && `${merge} ${picked.number}`
          )}
      />
    </Labelled>
  {/each}
{:else if hit && strike && picked}
  <h3>Stroke {picked.number + 1} of {hit.id}</h3>
  <Labelled name="falls at" under={shown((strike.at ?? 0) * beatS(phrase), 's')}>
    <ValueField
      value={strike.at ?? 0}
      unit="beats"
      label="Stroke falls at"
      low={0}
      high={1998}
      width="100%"
      oncommit={(v, merge) =>
        phrasing.edit(
          `stroke at ${shown(v, 'beats')}`,
          withStrike(phrase, hit.id, picked.number, { at: Number(v) }),
          merge
        )}
    />
  </Labelled>
  <Labelled name="strength">
    <ValueField
      value={strike.strength ?? 1}
      unit="ratio"
      label="Strength of the stroke"
      low={0}
      high={1}
      width="100%"
      oncommit={(v, merge) =>
        phrasing.edit(
          `strength ${shown(v, 'ratio')}`,
          withStrike(phrase, hit.id, picked.number, { strength: Number(v) }),
          merge
        )}
    />
  </Labelled>
{:else}
  <p class="help">
    Click a note to hear and see its voice; drag it, or move it with the arrow keys. Alt with them lengthens it and
    strikes it harder. A double click adds one.
  </p>
{/if}

<h3>Hits</h3>
{#each hitsOf(phrase) as one (one.id)}
  <div class="pair">
    <b>{one.id}</b>
    <Choice
      label="Sound of {one.id}"
      value={one.sound ?? 'thud'}
      options={SOUNDS}
      onchoose={(sound) =>
        phrasing.edit(`${one.id} sounds ${sound}`, withHit(phrase, one.id, { sound: sound as Hit['sound'] }))}
    />
    <ValueField
      value={one.level ?? 0.8}
      unit="ratio"
      label="Level of {one.id}"
      low={0}
      high={1}
      width="3.6rem"
      oncommit={(v, merge) =>
        phrasing.edit(`${one.id} at ${shown(v, 'ratio')}`, withHit(phrase, one.id, { level: Number(v) }), merge)}
    />
    <Button
      look="bare"
      aria-label="A stroke more of {one.id}"
      data-hint="A stroke more, a beat after the last"
      onclick={() => {
        const last = Math.max(-1, ...strikesOf(one).map((s) => s.at ?? 0));
        phrasing.edit(`a stroke of ${one.id}`, withNewStrike(phrase, one.id, last + 1));
      }}>+</Button
    >
    <Button
      look="bare"
      aria-label="Remove {one.id}"
      onclick={() => phrasing.edit(`remove ${one.id}`, withoutHit(phrase, one.id))}>✕</Button
    >
  </div>
{/each}
<Button
  look="bare"
  data-hint="A track of strokes that a patch can listen to, as hit:thud"
  onclick={() => {
    const [next, id] = withNewHit(phrase);
    phrasing.edit(`add ${id}`, next);
  }}>+ a track of hits</Button
>

<h3>Hands</h3>
{#each lanesOf(phrase) as [name, points] (name)}
  <div class="pair">
    <b>{laneTitle(name)}</b><span>{points.length} points</span>
    <Button
      look="bare"
      aria-label="Remove the lane {laneTitle(name)}"
      onclick={() => phrasing.edit(`no ${laneTitle(name)}`, withLane(phrase, name, []))}>✕</Button
    >
  </div>
{/each}
<Choice
  look="link"
  label="Play another lane"
  prompt="+ a played lane"
  options={untouched}
  onchoose={(name) =>
    phrasing.edit(
      `play ${laneTitle(name)}`,
      withLane(phrase, name, [
        [0, 0],
        [beatsOf(phrase), laneLow(name) < 0 ? 0 : 1]
      ])
    )}
/>

<h3>Make it</h3>
<form
  class="pair"
  onsubmit={(event) => {
    event.preventDefault();
    void messages.attempt(() => workbench.settling(type()));
  }}
>
  <TextField label="Notes typed in a row" placeholder="C3 1/8 E3 1/8d . G3 1/4 v112" bind:value={typed} />
  <Button type="submit">Type</Button>
</form>
<Fold title="To a pattern">
  <Labelled name="pattern">
    <Choice
      label="Pattern"
      value={make.pattern}
      options={PATTERNS.map((name) => [name, name] as const)}
      onchoose={(pattern) => (make.pattern = pattern)}
    />
  </Labelled>
  <Labelled name="chord"><TextField label="Chord" bind:value={make.chord} /></Labelled>
  <Labelled name="rate"><TextField label="Rate of the pattern" bind:value={make.rate} /></Labelled>
  {#each [['octaves', 'count', 1, 4], ['gate', 'ratio', 0.01, 1], ['swing', 'ratio', 0.5, 0.9]] as const as [field, unit, low, high] (field)}
    <Labelled name={field}>
      <ValueField
        value={make[field]}
        {unit}
        label="{field} of the pattern"
        {low}
        {high}
        width="100%"
        oncommit={(v) => (make[field] = unit === 'count' ? Math.round(Number(v)) : Number(v))}
      />
    </Labelled>
  {/each}
  <Button onclick={made}>Make its notes</Button>
</Fold>
<div class="acts">
  <Button onclick={() => change('twice', { repeat: 2 })}>Twice</Button>
  <Button onclick={() => change('an octave up', { transpose: 12 })}>Octave up</Button>
  <Button onclick={() => change('an octave down', { transpose: -12 })}>Octave down</Button>
  <Button
    data-hint="Up to 12 ms and 9 of velocity off, drawn anew each time"
    onclick={() => change('by a human hand', { human_seed: seed++ })}>Humanise</Button
  >
</div>
<h3>Files</h3>
<div class="acts">
  <Button data-hint="A phrase, a MIDI file, or the recording of a beat" onclick={() => picker?.click()}>Open…</Button>
  <Button onclick={() => void messages.attempt(() => savePhrase(phrase, 'json'))}>Phrase file</Button>
  <Button onclick={() => void messages.attempt(() => savePhrase(phrase, 'mid'))}>MIDI file</Button>
  <Button
    onclick={() =>
      void messages.attempt(() => phrasing.create({ ...phrase, name: cut(`${phrase.name ?? 'Untitled'} copy`, 120) }))}
    >Duplicate</Button
  >
  <Button onclick={() => void messages.attempt(() => phrasing.remove())}>Delete it</Button>
</div>
<input
  class="sr-only"
  type="file"
  accept=".json,.mid,.midi,.wav"
  aria-label="Choose a phrase, MIDI or WAV file"
  tabindex="-1"
  bind:this={picker}
  onchange={chosen}
/>

<style>
  :global(.field.phrase-name) {
    width: 100%;
    font-weight: 700;
    font-size: 15px;
  }
  .pair {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-bottom: 4px;
    font-size: 13px;
  }
  .pair b {
    min-width: 3rem;
    font-weight: 500;
  }
  .pair :global(.field) {
    min-width: 0;
    flex: 0 1 auto;
  }
  form.pair :global(.field) {
    flex: 1;
  }
</style>
