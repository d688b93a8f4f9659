<script lang="ts">
  import type { Phrase } from '../api/api';
  import { figure, noteName } from '../common/format';
  import { workbench } from '../state/workbench.svelte';
  import { Hold, nudge } from './moves';
  import {
    afterAll,
    barAndBeat,
    fullNote,
    movedTo,
    notesOf,
    snapped,
    STEP,
    together,
    withNewNotes,
    withNotes,
    withoutNotes,
    type FullNote
  } from './phrase';

  /** The notes at their height: picked alone or several at once, moved, lengthened, struck harder, copied. */
  interface Props {
    phrase: Phrase;
    /** Returns where a time in beats lies, in per cent. */
    place: (beats: number) => number;
    beatsAt: (event: MouseEvent & { currentTarget: HTMLElement }) => number;
  }
  let { phrase, place, beatsAt }: Props = $props();
  const { phrasing } = workbench;

  const notes = $derived(notesOf(phrase).map(fullNote));
  const keys = $derived(notes.map((note) => note.key));
  const low = $derived(Math.min(48, ...keys) - 2);
  const high = $derived(Math.max(60, ...keys) + 2);
  const height = (key: number): number => ((key - low) / (high - low)) * 100;
  /** In one voice all notes are the strong one's. */
  const strong = $derived(workbench.patch?.voice?.mode && workbench.patch.voice.mode !== 'poly' ? -1 : phrasing.voice);

  const said = (all: readonly FullNote[]): string =>
    all.length === 1 ? `${noteName(all[0]!.key)} at ${barAndBeat(phrase, all[0]!.at)}` : `${all.length} notes`;
  const chosen = (numbers: readonly number[], from = phrase): FullNote[] =>
    numbers.map((n) => fullNote(notesOf(from)[n]!));

  function pick(numbers: number[]): void {
    phrasing.pick(null, numbers);
    workbench.chosen = { what: 'phrase', id: '' };
  }

  function change(
    numbers: readonly number[],
    what: string,
    to: (note: FullNote) => Partial<FullNote>,
    merge: string,
    from = phrase
  ): void {
    const next = withNotes(from, numbers, to);
    phrasing.edit(`${what} ${said(chosen(numbers, next))}`, next, merge);
  }

  /** What the keys do: arrows move and transpose, with Alt lengthen and make harder; copies and all of them as usual. */
  function key(event: KeyboardEvent, number: number): void {
    const numbers = phrasing.meant(null, number);
    const command = event.ctrlKey || event.metaKey ? event.key.toLowerCase() : '';
    if (command === 'a') pick(notes.map((_, i) => i));
    else if (command === 'c') phrasing.copied = chosen(numbers);
    else if (command === 'v') paste();
    else if (command === 'd') repeat(numbers);
    else if (!command && (event.key === 'Enter' || event.key === ' '))
      pick(phrasing.with(null, number, event.shiftKey));
    else {
      arrow(event, numbers);
      return;
    }
    event.preventDefault();
    event.stopPropagation();
  }

  function arrow(event: KeyboardEvent, numbers: number[]): void {
    const by = nudge(event);
    if (!by) return;
    const merge = `notes ${numbers.join()} ${event.key} ${event.altKey}`;
    const beats = together(chosen(numbers), by.beats);
    if (by.remove) {
      phrasing.edit(`remove ${said(chosen(numbers))}`, withoutNotes(phrase, numbers));
      phrasing.pick(null, []);
    } else if (by.beats && event.altKey)
      change(numbers, 'lengthen', (note) => ({ length: note.length + by.beats }), merge);
    else if (by.beats) change(numbers, 'move', (note) => ({ at: note.at + beats }), merge);
    else if (event.altKey)
      change(numbers, 'strike', (note) => ({ velocity: note.velocity + by.up * (by.fine ? 1 : 5) }), merge);
    else change(numbers, 'transpose', (note) => ({ key: note.key + by.up * (by.fine ? 12 : 1) }), merge);
  }

  /** Puts notes into the phrase, which are then the picked ones. */
  export function add(more: FullNote[], what = 'add'): void {
    const [next, numbers] = withNewNotes(phrase, more);
    phrasing.edit(`${what} ${said(more)}`, next);
    pick(numbers);
  }
  /** The same notes once more, after their end. */
  function repeat(numbers: readonly number[]): void {
    const all = chosen(numbers);
    add(movedTo(all, afterAll(all)), 'copy');
  }
  /** What was copied, where the cursor stands, else after the notes that are there. */
  function paste(): void {
    if (phrasing.copied.length === 0) return;
    const at = workbench.cursor === null ? afterAll(notes) : snapped(workbench.cursor / phrasing.beatS, false);
    add(movedTo(phrasing.copied, at), 'paste');
  }

  /** A drag of a note moves all that are picked in time and in pitch; of its end, it lengthens them. */
  const hold = new Hold<{ number: number; numbers: number[]; from: Phrase; isEnd: boolean }>(
    () => (place(1) - place(0)) / 100
  );
  function grab(event: PointerEvent & { currentTarget: HTMLElement }, number: number): void {
    if (event.shiftKey) {
      pick(phrasing.with(null, number, true));
      return;
    }
    const box = event.currentTarget.getBoundingClientRect();
    const numbers = phrasing.meant(null, number);
    hold.take(event, { number, numbers, from: phrase, isEnd: box.width > 14 && box.right - event.clientX < 6 });
    pick([...numbers.filter((n) => n !== number), number]);
  }
  function pull(event: PointerEvent): void {
    const moved = hold.moved(event);
    if (!moved) return;
    const { number, numbers, from, isEnd } = moved.what;
    const lead = chosen([number], from)[0]!;
    const all = chosen(numbers, from);
    if (isEnd) {
      const more = snapped(lead.at + lead.length + moved.beats, moved.fine) - lead.at - lead.length;
      if (lead.length + more > 0)
        change(numbers, 'lengthen', (note) => ({ length: note.length + more }), `drag ${number}`, from);
      return;
    }
    const at = moved.beats === 0 ? lead.at : snapped(lead.at + moved.beats, moved.fine);
    const [beats, up] = [together(all, at - lead.at), Math.round(moved.up * (high - low))];
    const now = notes[number];
    if (now?.at !== lead.at + beats || now.key !== lead.key + up)
      change(numbers, 'move', (note) => ({ at: note.at + beats, key: note.key + up }), `drag ${number}`, from);
  }

  /** A drag over empty ground picks what it covers. */
  let band: { x: number; y: number; toX: number; toY: number } | null = $state.raw(null);
  const within = (event: PointerEvent & { currentTarget: HTMLElement }): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [(100 * (event.clientX - box.left)) / box.width, 100 - (100 * (event.clientY - box.top)) / box.height];
  };
  function startBand(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (event.target !== event.currentTarget || event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const [x, y] = within(event);
    band = { x, y, toX: x, toY: y };
  }
  function drawBand(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!band) return;
    const [toX, toY] = within(event);
    band = { ...band, toX, toY };
  }
  function endBand(): void {
    if (!band) return;
    const [left, right] = [Math.min(band.x, band.toX), Math.max(band.x, band.toX)];
    const [bottom, top] = [Math.min(band.y, band.toY), Math.max(band.y, band.toY)];
    band = null;
    const covered = (note: FullNote): boolean =>
      place(note.at) <= right &&
      place(note.at + note.length) >= left &&
      height(note.key) <= top &&
      height(note.key) + 12 >= bottom;
    if (right - left > 0.3) pick(notes.flatMap((note, i) => (covered(note) ? [i] : [])));
  }

  function addAt(event: MouseEvent & { currentTarget: HTMLElement }): void {
    if (event.target !== event.currentTarget) return;
    const box = event.currentTarget.getBoundingClientRect();
    const at = Math.floor(beatsAt(event) / STEP) * STEP;
    const key = Math.round(low + (1 - (event.clientY - box.top) / box.height) * (high - low));
    add([{ key, velocity: 96, at, length: 2 * STEP }]);
  }
</script>

<div
  class="notes"
  role="presentation"
  ondblclick={addAt}
  onpointerdown={startBand}
  onpointermove={drawBand}
  onpointerup={endBand}
  onpointercancel={() => (band = null)}
>
  {#if band}
    <i
      class="band"
      style:left="{Math.min(band.x, band.toX)}%"
      style:width="{Math.abs(band.toX - band.x)}%"
      style:bottom="{Math.min(band.y, band.toY)}%"
      style:height="{Math.abs(band.toY - band.y)}%"
    ></i>
  {/if}
  {#each notes as note, number (number)}
    <button
      type="button"
      class="note"
      class:strong={strong < 0 || number === strong}
      class:picked={phrasing.isPicked(null, number)}
      style:left="{place(note.at)}%"
      style:width="{Math.max(place(note.at + note.length) - place(note.at), 0.3)}%"
      style:bottom="{height(note.key)}%"
      style:opacity={0.45 + (0.55 * note.velocity) / 127}
      aria-label="Note {said([note])}, velocity {figure(note.velocity)}, {figure(note.length)} beats"
      aria-pressed={phrasing.isPicked(null, number)}
      onpointerdown={(event) => grab(event, number)}
      onpointermove={pull}
      onpointerup={hold.drop}
      onpointercancel={hold.drop}
      onkeydown={(event) => key(event, number)}
    ></button>
  {/each}
</div>

<style>
  .notes {
    position: relative;
    height: 52px;
    margin-bottom: 6px;
    touch-action: none;
  }
  .note {
    position: absolute;
    height: 6px;
    min-width: 4px;
    border-radius: 2px;
    background: var(--faint);
    cursor: grab;
    touch-action: none;
  }
  .note.strong {
    background: var(--ink);
  }
  .band {
    position: absolute;
    border: 1px dashed var(--woad);
    pointer-events: none;
  }
</style>
