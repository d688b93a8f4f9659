<script lang="ts">
  import type { Hit, Phrase } from '../api/api';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import TextField from '../common/TextField.svelte';
  import { cut } from '../common/text';
  import { figure, noteName, shown } from '../common/format';
  import { modules } from '../state/document';
  import { workbench } from '../state/workbench.svelte';
  import LaneActs from './LaneActs.svelte';
  import MakeIt from './MakeIt.svelte';
  import { taking } from '../live/playing-live';
  import PhraseFields from './PhraseFields.svelte';
  import {
    beatsOf,
    beatS,
    fullNote,
    hitsOf,
    lanesOf,
    laneTitle,
    withLane,
    notesOf,
    strikesOf,
    withHit,
    withNewHit,
    withNewStrike,
    withNotes,
    withoutHit,
    withStrikes
  } from './phrase';

  /** The phrase's own page: what it is, the note or stroke that is picked in figures, and ways to make it. */
  let { phrase }: { phrase: Phrase } = $props();
  const { phrasing } = workbench;

  const picked = $derived(phrasing.picked);
  const last = $derived(picked?.numbers.at(-1) ?? 0);
  const note = $derived(picked?.track === null ? notesOf(phrase)[last] : undefined);
  const hit = $derived(hitsOf(phrase).find((one) => one.id === picked?.track));
  const strike = $derived(hit && strikesOf(hit)[last]);
  const more = $derived((picked?.numbers.length ?? 0) > 1 ? `, and ${picked!.numbers.length - 1} more` : '');

  /** What may be played by hand and is not yet. */
  const untouched = $derived(
    Object.keys(workbench.catalogue?.controls ?? {})
      .flatMap((name) =>
        workbench.catalogue?.kinds.some((one) => one.kind === name)
          ? (workbench.patch ? modules(workbench.patch) : [])
              .filter((module) => module.kind === name)
              .map((module) => `${name}:${module.id}`)
          : [name]
      )
      .filter((name) => !(name in (phrase.controls ?? {})))
      .map((name) => [name, laneTitle(name)] as const)
  );

  const set = (fields: Partial<Phrase>, label: string, merge = ''): void =>
    phrasing.edit(label, { ...phrase, ...fields }, merge);

  function playLane(name: string): void {
    const range = workbench.laneRange(name);
    const points: [number, number][] = [
      [0, 0],
      [beatsOf(phrase), range[0] < 0 ? 0 : range[1]]
    ];
    phrasing.edit(`play ${laneTitle(name)}`, withLane(phrase, name, points, range));
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
{#if phrasing.drafts.trouble}
  <p class="help">Not kept yet: {phrasing.drafts.trouble}</p>
{/if}
<PhraseFields part="phrase" owner="phrase" values={{ ...phrase }} onset={set} />

{#if note && picked}
  <h3>Note {last + 1}, {noteName(fullNote(note).key)}{more}</h3>
  <PhraseFields
    part="note"
    owner="note"
    values={{ ...note }}
    onset={(changed, label, merge) =>
      phrasing.edit(
        label,
        withNotes(phrase, picked.numbers, () => changed),
        merge && `${merge} ${picked.numbers.join()}`
      )}
  />
{:else if hit && strike && picked}
  <h3>Stroke {last + 1} of {hit.id}{more}</h3>
  <PhraseFields
    part="strike"
    owner="stroke"
    values={{ ...strike }}
    onset={(changed, label, merge) =>
      phrasing.edit(
        label,
        withStrikes(phrase, hit.id, picked.numbers, () => changed),
        merge && `${merge} ${picked.numbers.join()}`
      )}
  />
{:else}
  <p class="help">
    Click a note to hear and see its voice; drag it, or move it with the arrow keys. Alt with them lengthens it and
    strikes it harder. A double click adds one, a drag over empty ground picks several.
  </p>
{/if}

<h3>Hits</h3>
{#each hitsOf(phrase) as one (one.id)}
  <div class="pair">
    <b>{one.id}</b>
    <span>{strikesOf(one).length} strokes</span>
    <Button
      look="bare"
      aria-label="A stroke more of {one.id}"
      data-hint="A stroke more, a beat after the last"
      onclick={() => {
        const latest = Math.max(-1, ...strikesOf(one).map((s) => s.at ?? 0));
        phrasing.edit(`a stroke of ${one.id}`, withNewStrike(phrase, one.id, latest + 1));
      }}>+</Button
    >
    <Button
      look="bare"
      aria-label="Remove {one.id}"
      onclick={() => phrasing.edit(`remove ${one.id}`, withoutHit(phrase, one.id))}>✕</Button
    >
  </div>
  <PhraseFields
    part="hit"
    owner={one.id}
    values={{ ...one }}
    onset={(changed, label, merge) => phrasing.edit(label, withHit(phrase, one.id, changed as Partial<Hit>), merge)}
  />
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
  <LaneActs {phrase} {name} {points} />
{/each}
<Choice look="link" label="Play another lane" prompt="+ a played lane" options={untouched} onchoose={playLane} />

<MakeIt {phrase} />

<div class="acts">
  <Button
    data-hint="The patch under this phrase, to WAV: with effects, dry, each voice"
    onclick={() => (taking.printing = [])}>Print…</Button
  >
</div>

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
</style>
