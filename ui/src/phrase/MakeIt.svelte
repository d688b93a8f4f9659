<script lang="ts">
  import { api, asBody, unwrap, type Patch, type Phrase } from '../api/api';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import FileButton from '../common/FileButton.svelte';
  import Fold from '../common/Fold.svelte';
  import Labelled from '../common/Labelled.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { cut } from '../common/text';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { readPhrase, saveMidi, savePhrase, type Controllers } from './files';
  import { laneTitle } from './phrase';
  import { titleOf } from '../state/wording';
  import PhraseFields from './PhraseFields.svelte';

  /** Ways to make the phrase: typed as a row, to a pattern, changed as a whole, from files and to them. */
  let { phrase }: { phrase: Phrase } = $props();
  const { phrasing } = workbench;

  type Made = Promise<{ phrase: unknown; remarks?: string[] }>;
  /** Waits for what the server makes of the phrase. */
  const work = (label: string, ask: (from: Phrase) => Made): void =>
    void messages.attempt(() => workbench.settling(phrasing.work(label, ask)));

  let typed = $state('');
  async function type(): Promise<void> {
    const text = typed;
    await phrasing.work(`type ${cut(text, 40)}`, (from) =>
      unwrap(api.POST('/api/phrase/typed', { body: { phrase: asBody(from), text } }))
    );
    typed = '';
  }

  /** What stands in the pattern's fields; what is not here stands as the catalogue has it. */
  let pattern = $state.raw<Record<string, unknown>>({ kind: 'up' });
  const words = $state({ chord: 'C3, Eb3, G3', accents: '96', rate: '1/16' });

  /** Returns the values in a row of words, each as it is typed in a field. */
  async function valuesIn(row: string, unit: string, place: string): Promise<number[]> {
    const asked = row
      .split(/[\s,]+/)
      .filter((text) => text)
      .map((text) => unwrap(api.POST('/api/value', { body: { text, unit, place, low: 0, high: 127 } })));
    return (await Promise.all(asked)).map((found) => Number(found.value));
  }
  async function make(): Promise<void> {
    await workbench.settled();
    work(`made ${String(pattern['kind'])}`, async (from) => {
      const [chord, velocities] = await Promise.all([
        valuesIn(words.chord, 'key', 'the chord'),
        valuesIn(words.accents, 'velocity', 'the accents')
      ]);
      const said = { ...pattern, chord, velocities, rate: words.rate };
      return unwrap(api.POST('/api/phrase/make', { body: { phrase: asBody(from), pattern: said } }));
    });
  }

  /** Which notes are changed: those that are picked, where several are, else all. */
  const notes = $derived(
    phrasing.picked?.track === null && phrasing.picked.numbers.length > 1 ? phrasing.picked.numbers : null
  );
  const change = (label: string, how: Record<string, unknown>): void =>
    work(label, (from) => unwrap(api.POST('/api/phrase/change', { body: { phrase: asBody(from), notes, ...how } })));
  let seed = 1;
  const CHANGES = [
    { name: 'shift', unit: 'beats', low: -64, high: 64, none: 0 },
    { name: 'transpose', unit: 'st', low: -127, high: 127, none: 0 },
    { name: 'stretch', unit: 'x', low: 0.0625, high: 16, none: 1 }
  ] as const;

  /** The first of the sound controllers, of which instruments understand most. */
  const FIRST_FREE = 70;
  /** By lane, the controller that it is written as. */
  let controllers = $state.raw<Readonly<Record<string, number>>>({});
  let fine = $state(false);
  const lanes = $derived([
    ...workbench.playedModules.map(([lane]) => lane),
    ...Object.keys(workbench.sheet?.lanes ?? {})
  ]);
  const titled = (lane: string): string => (lane.includes(':') ? laneTitle(lane) : titleOf(lane));
  function uncontrol(lane: string): void {
    const { [lane]: _, ...others } = controllers;
    controllers = others;
  }
  function asked(patch: Patch): Controllers {
    const byNumber = Object.entries(controllers).map(([lane, number]) => [String(number), lane]);
    return { document: asBody(patch), lanes: Object.fromEntries(byNumber), fine };
  }

  async function copyOf(): Promise<void> {
    await phrasing.create({ ...phrase, name: cut(`${phrase.name ?? 'Untitled'} copy`, 120) });
  }
</script>

<h3>Make it</h3>
<form
  class="row"
  onsubmit={(event) => {
    event.preventDefault();
    void messages.attempt(() => workbench.settling(type()));
  }}
>
  <TextField label="Notes typed in a row" placeholder="C3 1/8 E3 1/8d . G3 1/4 v112" bind:value={typed} />
  <Button type="submit">Type</Button>
</form>
<Fold title="To a pattern">
  <PhraseFields
    part="pattern"
    owner="pattern"
    values={pattern}
    onset={(changed) => (pattern = { ...pattern, ...changed })}
  />
  <Labelled name="chord"><TextField label="Chord" bind:value={words.chord} /></Labelled>
  <Labelled name="rate"><TextField label="Rate of the pattern" bind:value={words.rate} /></Labelled>
  <Labelled name="accents" help="How hard, step by step, again from the first: 112 80 96 80.">
    <TextField label="Accents" bind:value={words.accents} />
  </Labelled>
  <Button onclick={() => void messages.attempt(make)}>Make its notes</Button>
</Fold>

<h3>Change {notes ? `the ${notes.length} picked notes` : 'it'}</h3>
<div class="acts">
  {#if !notes}<Button onclick={() => change('twice', { repeat: 2 })}>Twice</Button>{/if}
  <Button onclick={() => change('an octave up', { transpose: 12 })}>Octave up</Button>
  <Button onclick={() => change('an octave down', { transpose: -12 })}>Octave down</Button>
  <Button
    data-hint="Up to 12 ms and 9 of velocity off, drawn anew each time"
    onclick={() => change('by a human hand', { human_seed: seed++ })}>Humanise</Button
  >
</div>
{#each CHANGES as { name, unit, low, high, none } (name)}
  <Labelled {name} help={name === 'stretch' ? 'About the first of them.' : ''}>
    <ValueField
      value={none}
      {unit}
      label="{name} the notes"
      {low}
      {high}
      width="100%"
      oncommit={(by) => change(`${name} by ${by}`, { [name]: Number(by) })}
    />
  </Labelled>
{/each}

<h3>Files</h3>
<div class="acts">
  <FileButton
    label="Choose a phrase, MIDI or WAV file"
    accept=".json,.mid,.midi,.wav"
    hint="A phrase, a MIDI file, or the recording of a beat"
    onfile={(file) => void messages.attempt(async () => phrasing.create(await readPhrase(file)))}>Open…</FileButton
  >
  <Button onclick={() => savePhrase(phrase)}>Phrase file</Button>
  <Button onclick={() => void messages.attempt(() => saveMidi(phrase))}>MIDI file</Button>
  <Button onclick={() => void messages.attempt(copyOf)}>Duplicate</Button>
  <Button onclick={() => void messages.attempt(() => phrasing.remove())}>Delete it</Button>
</div>

<Fold title="MIDI with controllers">
  <p class="help">
    For a machine that cannot compute it: what moves a lane is written as a controller, a value wherever its step
    changes.
  </p>
  {#each Object.entries(controllers) as [lane, number] (lane)}
    <Labelled name={titled(lane)}>
      <div class="row">
        <ValueField
          value={number}
          unit="count"
          label="Controller of {titled(lane)}"
          low={0}
          high={119}
          width="4.2rem"
          oncommit={(v) => (controllers = { ...controllers, [lane]: Math.round(Number(v)) })}
        />
        <Button look="bare" aria-label="No controller for {titled(lane)}" onclick={() => uncontrol(lane)}>✕</Button>
      </div>
    </Labelled>
  {/each}
  <Choice
    look="link"
    label="Write a lane as a controller"
    prompt="+ a lane"
    options={lanes.filter((lane) => !(lane in controllers)).map((lane) => [lane, titled(lane)] as const)}
    onchoose={(lane) => (controllers = { ...controllers, [lane]: FIRST_FREE + Object.keys(controllers).length })}
  />
  <Tick checked={fine} label="In 14 bits" onset={(on) => (fine = on)}
    >in 14 bits: 32 controllers on, the rest of each</Tick
  >
  <Button
    disabled={Object.keys(controllers).length === 0}
    onclick={() => workbench.patch && void messages.attempt(() => saveMidi(phrase, asked(workbench.patch!)))}
    >Write it</Button
  >
</Fold>

<style>
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-bottom: 4px;
  }
  .row :global(.field) {
    min-width: 0;
    flex: 1;
  }
</style>
