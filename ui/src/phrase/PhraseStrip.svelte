<script lang="ts">
  import LaneRow from './LaneRow.svelte';
  import HitRow from './HitRow.svelte';
  import NoteRow from './NoteRow.svelte';
  import Button from '../common/Button.svelte';
  import type { Phrase } from '../api/api';
  import { placeOf, type Sheet } from '../api/sheet';
  import { workbench } from '../state/workbench.svelte';
  import { barBeats, beatS, fullNote, hitsOf, lanesOf, notesOf, STEP, type FullNote } from './phrase';

  /** What is played, on the sheet's own time: notes at their height, hits as tall as they are hard, bars and beats. */
  let { phrase, sheet }: { phrase: Phrase; sheet: Sheet } = $props();
  const { phrasing } = workbench;

  const beat = $derived(beatS(phrase));
  const place = (beats: number): number => placeOf(sheet, beats * beat) * 100;
  const beatsAt = (event: MouseEvent & { currentTarget: HTMLElement }): number => {
    const box = event.currentTarget.getBoundingClientRect();
    return (sheet.from_s + ((event.clientX - box.left) / box.width) * (sheet.to_s - sheet.from_s)) / beat;
  };
  const bars = $derived.by(() => {
    const every = barBeats(phrase);
    const last = Math.ceil(sheet.to_s / beat);
    return Array.from({ length: last + 1 }, (_, at) => at)
      .filter((at) => place(at) >= 0 && place(at) <= 100)
      .map((at) => ({ at, isBar: at % every === 0, name: at % every === 0 ? String(at / every + 1) : '' }));
  });

  let row: NoteRow | undefined = $state();
  /** A note after the last that was picked, as it is. */
  function addAfter(): void {
    const notes = notesOf(phrase).map(fullNote);
    const before = notes[phrasing.picked?.track === null ? phrasing.picked.numbers.at(-1)! : notes.length - 1];
    const first: FullNote = { key: 48, velocity: 96, at: 0, length: STEP * 2 };
    row?.add([before ? { ...before, at: before.at + Math.max(before.length, STEP) } : first]);
  }
</script>

<div class="score" role="group" aria-label="The phrase">
  <div class="left">
    <Button
      look="bare"
      data-hint="The phrase's own page"
      onclick={() => (workbench.chosen = { what: 'phrase', id: '' })}><b>{phrase.name ?? 'Untitled'}</b></Button
    >
    <Button look="bare" data-hint="A note after the one that was picked last" onclick={addAfter}>+ note</Button>
  </div>
  <div class="lanes">
    {#each bars as line (line.at)}
      <i class="beat" class:bar={line.isBar} style:left="{place(line.at)}%">{line.name}</i>
    {/each}
    <NoteRow bind:this={row} {phrase} {place} {beatsAt} />
    {#each lanesOf(phrase) as [name, points] (name)}<LaneRow {phrase} {name} {points} {place} {beatsAt} />{/each}
    {#each hitsOf(phrase) as hit (hit.id)}<HitRow {phrase} {hit} {place} {beatsAt} />{/each}
  </div>
</div>

<style>
  .score {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    flex: none;
    border-bottom: 1px solid var(--rule);
  }
  .left {
    display: flex;
    justify-content: space-between;
    align-items: flex-start;
    gap: 10px;
    padding: 3px 8px 0 14px;
    font-size: 13px;
    color: var(--faint);
    min-width: 0;
  }
  .left :global(button:first-child) {
    color: var(--ink);
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .left :global(button:last-child) {
    flex: none;
  }
  .lanes {
    position: relative;
    overflow: hidden;
    padding-top: 12px;
  }
  .beat {
    position: absolute;
    top: 0;
    bottom: 0;
    border-left: 1px solid var(--rule);
    font-style: normal;
    font-size: 10.5px;
    line-height: 12px;
    padding-left: 3px;
    color: var(--faint);
    pointer-events: none;
  }
  .lanes :global(.picked) {
    outline: 2px solid var(--woad);
    outline-offset: 1px;
  }
  .beat.bar {
    border-color: var(--edge);
  }
</style>
