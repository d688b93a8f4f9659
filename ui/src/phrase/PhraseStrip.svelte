<script lang="ts">
  import LaneRow from './LaneRow.svelte';
  import Button from '../common/Button.svelte';
  import type { Phrase } from '../api/api';
  import { placeOf, type Sheet } from '../api/sheet';
  import { figure, noteName } from '../common/format';
  import { workbench } from '../state/workbench.svelte';
  import {
    barAndBeat,
    barBeats,
    beatS,
    FINE,
    hitsOf,
    lanesOf,
    notesOf,
    playedOf,
    snapped,
    STEP,
    strikesOf,
    withNewNote,
    withNewStrike,
    withNote,
    withoutNote,
    withoutStrike,
    withStrike,
    type Played
  } from './phrase';

  /** What is played, on the sheet's own time: notes at their height, hits as tall as they are hard, bars and beats. */
  let { phrase, sheet }: { phrase: Phrase; sheet: Sheet } = $props();
  const { phrasing } = workbench;

  const notes = $derived(notesOf(phrase).map(playedOf));
  const beat = $derived(beatS(phrase));
  const keys = $derived(notes.map((note) => note.key));
  const low = $derived(Math.min(48, ...keys) - 2);
  const high = $derived(Math.max(60, ...keys) + 2);
  const place = (beats: number): number => placeOf(sheet, beats * beat) * 100;
  const height = (key: number): number => ((key - low) / (high - low)) * 100;
  const bars = $derived.by(() => {
    const every = barBeats(phrase);
    const last = Math.ceil(sheet.to_s / beat);
    return Array.from({ length: last + 1 }, (_, at) => at)
      .filter((at) => place(at) >= 0 && place(at) <= 100)
      .map((at) => ({ at, isBar: at % every === 0, name: at % every === 0 ? String(at / every + 1) : '' }));
  });
  const strong = $derived(workbench.patch?.voice?.mode && workbench.patch.voice.mode !== 'poly' ? -1 : phrasing.voice);
  const isPicked = (track: string | null, number: number): boolean =>
    phrasing.picked?.track === track && phrasing.picked.number === number;

  function pick(track: string | null, number: number): void {
    phrasing.pick({ track, number });
    workbench.chosen = { what: 'phrase', id: '' };
  }

  const said = (note: Played): string => `${noteName(note.key)} at ${barAndBeat(phrase, note.at)}`;

  function setNote(number: number, fields: Partial<Played>, what: string, merge = ''): void {
    const next = withNote(phrase, number, fields);
    phrasing.edit(`${what} ${said(playedOf(notesOf(next)[number]!))}`, next, merge);
  }

  /** What the keys do to a note: arrows move and transpose it, with Alt lengthen it and make it harder. */
  function noteKey(event: KeyboardEvent, number: number): void {
    const note = notes[number]!;
    const step = event.shiftKey ? FINE : STEP;
    const sign = event.key === 'ArrowRight' || event.key === 'ArrowUp' ? 1 : -1;
    const merge = `note ${number} ${event.key} ${event.altKey}`;
    if (event.key === 'Delete' || event.key === 'Backspace') {
      phrasing.edit(`remove ${said(note)}`, withoutNote(phrase, number));
    } else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') {
      if (event.altKey) setNote(number, { length: note.length + sign * step }, 'lengthen', merge);
      else setNote(number, { at: note.at + sign * step }, 'move', merge);
    } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      if (event.altKey) setNote(number, { velocity: note.velocity + sign * (event.shiftKey ? 1 : 5) }, 'strike', merge);
      else setNote(number, { key: note.key + sign * (event.shiftKey ? 12 : 1) }, 'transpose', merge);
    } else if (event.key === 'Enter' || event.key === ' ') pick(null, number);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function strikeKey(event: KeyboardEvent, track: string, number: number): void {
    const hit = hitsOf(phrase).find((one) => one.id === track)!;
    const strike = strikesOf(hit)[number]!;
    const sign = event.key === 'ArrowRight' || event.key === 'ArrowUp' ? 1 : -1;
    const merge = `strike ${track} ${number} ${event.key}`;
    const at = (strike.at ?? 0) + sign * (event.shiftKey ? FINE : STEP);
    const strength = (strike.strength ?? 1) + sign * (event.shiftKey ? 0.01 : 0.05);
    if (event.key === 'Delete' || event.key === 'Backspace')
      phrasing.edit(`remove a stroke of ${track}`, withoutStrike(phrase, track, number));
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight')
      phrasing.edit(`move a stroke of ${track}`, withStrike(phrase, track, number, { at }), merge);
    else if (event.key === 'ArrowUp' || event.key === 'ArrowDown')
      phrasing.edit(`strength of a stroke of ${track}`, withStrike(phrase, track, number, { strength }), merge);
    else if (event.key === 'Enter' || event.key === ' ') pick(track, number);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** A drag of a note moves it in time and in pitch; of its end, it lengthens it. */
  let drag: { number: number; x: number; y: number; from: Played; isEnd: boolean; width: number; tall: number } | null =
    null;
  function grab(event: PointerEvent & { currentTarget: HTMLElement }, number: number): void {
    const lane = event.currentTarget.parentElement!.getBoundingClientRect();
    const box = event.currentTarget.getBoundingClientRect();
    event.currentTarget.setPointerCapture(event.pointerId);
    const isEnd = box.width > 14 && box.right - event.clientX < 6;
    drag = {
      number,
      x: event.clientX,
      y: event.clientY,
      from: notes[number]!,
      isEnd,
      width: lane.width,
      tall: lane.height
    };
    pick(null, number);
  }
  function pull(event: PointerEvent): void {
    if (!drag || event.buttons !== 1) return;
    const beats = ((event.clientX - drag.x) / drag.width) * ((sheet.to_s - sheet.from_s) / beat);
    const { from, number } = drag;
    const fine = event.shiftKey;
    if (drag.isEnd) {
      const end = snapped(from.at + from.length + beats, fine);
      if (end > from.at) setNote(number, { length: end - from.at }, 'lengthen', `drag ${number}`);
      return;
    }
    const key = Math.round(from.key - ((event.clientY - drag.y) / drag.tall) * (high - low));
    const at = Math.abs(event.clientX - drag.x) < 3 ? from.at : snapped(from.at + beats, fine);
    if (at !== notes[number]?.at || key !== notes[number]?.key) setNote(number, { at, key }, 'move', `drag ${number}`);
  }

  const beatsAt = (event: MouseEvent & { currentTarget: HTMLElement }): number => {
    const box = event.currentTarget.getBoundingClientRect();
    return (sheet.from_s + ((event.clientX - box.left) / box.width) * (sheet.to_s - sheet.from_s)) / beat;
  };

  function addNote(event: MouseEvent & { currentTarget: HTMLElement }): void {
    if (event.target !== event.currentTarget) return;
    const box = event.currentTarget.getBoundingClientRect();
    const key = Math.round(low + (1 - (event.clientY - box.top) / box.height) * (high - low));
    add({ key, velocity: 96, at: Math.floor(beatsAt(event) / STEP) * STEP, length: 2 * STEP });
  }

  function add(note: Played): void {
    const [next, number] = withNewNote(phrase, note);
    phrasing.edit(`add ${said(note)}`, next);
    pick(null, number);
  }

  /** A note after the last that was picked, as it is. */
  function addAfter(): void {
    const before = notes[phrasing.picked?.track === null ? phrasing.picked.number : notes.length - 1];
    add({
      key: 48,
      velocity: 96,
      length: STEP * 2,
      ...before,
      at: before ? before.at + Math.max(before.length, STEP) : 0
    });
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
    <div class="notes" role="presentation" ondblclick={addNote}>
      {#each notes as note, number (number)}
        <button
          type="button"
          class="played"
          class:strong={strong < 0 || number === strong}
          class:picked={isPicked(null, number)}
          style:left="{place(note.at)}%"
          style:width="{Math.max(place(note.at + note.length) - place(note.at), 0.3)}%"
          style:bottom="{height(note.key)}%"
          style:opacity={0.45 + (0.55 * note.velocity) / 127}
          aria-label="Note {said(note)}, velocity {figure(note.velocity)}, {figure(note.length)} beats"
          aria-pressed={isPicked(null, number)}
          onpointerdown={(event) => grab(event, number)}
          onpointermove={pull}
          onpointerup={() => (drag = null)}
          onpointercancel={() => (drag = null)}
          onkeydown={(event) => noteKey(event, number)}
        ></button>
      {/each}
    </div>
    {#each lanesOf(phrase) as [name, points] (name)}<LaneRow {phrase} {name} {points} {place} {beatsAt} />{/each}
    {#each hitsOf(phrase) as hit (hit.id)}
      <div
        class="hits"
        role="presentation"
        ondblclick={(event) => {
          if (event.target === event.currentTarget)
            phrasing.edit(`a stroke of ${hit.id}`, withNewStrike(phrase, hit.id, snapped(beatsAt(event), false)));
        }}
      >
        <span>{hit.id}</span>
        {#each strikesOf(hit) as strike, number (number)}
          <button
            type="button"
            class="stroke"
            class:picked={isPicked(hit.id, number)}
            style:left="{place(strike.at ?? 0)}%"
            style:height="{Math.max(12, 100 * (strike.strength ?? 1))}%"
            aria-label="Stroke of {hit.id} at {barAndBeat(phrase, strike.at ?? 0)}, {Math.round(
              100 * (strike.strength ?? 1)
            )} %"
            aria-pressed={isPicked(hit.id, number)}
            onclick={() => pick(hit.id, number)}
            onkeydown={(event) => strikeKey(event, hit.id, number)}
          ></button>
        {/each}
      </div>
    {/each}
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
  .beat.bar {
    border-color: var(--edge);
  }
  .notes {
    position: relative;
    height: 52px;
    margin-bottom: 6px;
    touch-action: none;
  }
  .played {
    position: absolute;
    height: 6px;
    min-width: 4px;
    border-radius: 2px;
    background: var(--faint);
    cursor: grab;
    touch-action: none;
  }
  .played.strong {
    background: var(--ink);
  }
  .picked {
    outline: 2px solid var(--woad);
    outline-offset: 1px;
  }
  .hits {
    position: relative;
    height: 20px;
    border-top: 1px solid var(--rule);
  }
  .hits span {
    position: absolute;
    right: 4px;
    top: 3px;
    font-size: 11px;
    line-height: 13px;
    color: var(--faint);
    pointer-events: none;
  }
  .stroke {
    position: absolute;
    bottom: 0;
    width: 5px;
    margin-left: -1px;
    background: var(--walnut);
    border-radius: 2px 2px 0 0;
    cursor: pointer;
  }
</style>
