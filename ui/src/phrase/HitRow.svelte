<script lang="ts">
  import type { Hit, Phrase } from '../api/api';
  import { shown } from '../common/format';
  import { workbench } from '../state/workbench.svelte';
  import { Hold, nudge } from './moves';
  import {
    barAndBeat,
    fullStrike,
    snapped,
    strikesOf,
    together,
    withNewStrike,
    withoutStrikes,
    withStrikes,
    type FullStrike
  } from './phrase';

  /** A track of strokes, as tall as they are hard: moved and made harder by pointer and keys. */
  interface Props {
    phrase: Phrase;
    hit: Hit;
    /** Returns where a time in beats lies, in per cent. */
    place: (beats: number) => number;
    beatsAt: (event: MouseEvent & { currentTarget: HTMLElement }) => number;
  }
  let { phrase, hit, place, beatsAt }: Props = $props();
  const { phrasing } = workbench;
  const strikes = $derived(strikesOf(hit).map(fullStrike));

  function pick(numbers: number[]): void {
    phrasing.pick(hit.id, numbers);
    workbench.chosen = { what: 'phrase', id: '' };
  }

  const change = (
    numbers: readonly number[],
    to: (strike: FullStrike) => Partial<FullStrike>,
    what: string,
    merge: string,
    from = phrase
  ): void =>
    phrasing.edit(
      `${what} ${numbers.length === 1 ? 'a stroke' : `${numbers.length} strokes`} of ${hit.id}`,
      withStrikes(from, hit.id, numbers, to),
      merge
    );

  function key(event: KeyboardEvent, number: number): void {
    const numbers = phrasing.meant(hit.id, number);
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault();
      event.stopPropagation();
      pick(phrasing.with(hit.id, number, event.shiftKey));
      return;
    }
    const by = nudge(event);
    if (!by) return;
    const merge = `strikes ${hit.id} ${numbers.join()} ${event.key}`;
    const beats = together(
      numbers.map((n) => strikes[n]!),
      by.beats
    );
    if (by.remove) {
      phrasing.edit(`remove a stroke of ${hit.id}`, withoutStrikes(phrase, hit.id, numbers));
      phrasing.pick(hit.id, []);
    } else if (by.beats) change(numbers, (strike) => ({ at: strike.at + beats }), 'move', merge);
    else change(numbers, (s) => ({ strength: s.strength + by.up * (by.fine ? 0.01 : 0.05) }), 'strength of', merge);
  }

  const hold = new Hold<{ number: number; numbers: number[]; from: Phrase; lead: FullStrike; all: FullStrike[] }>(
    () => (place(1) - place(0)) / 100
  );
  function grab(event: PointerEvent & { currentTarget: HTMLElement }, number: number): void {
    if (event.shiftKey) {
      pick(phrasing.with(hit.id, number, true));
      return;
    }
    const numbers = phrasing.meant(hit.id, number);
    const all = numbers.map((n) => strikes[n]!);
    hold.take(event, { number, numbers, from: phrase, lead: strikes[number]!, all });
    pick([...numbers.filter((n) => n !== number), number]);
  }
  function pull(event: PointerEvent): void {
    const moved = hold.moved(event);
    if (!moved) return;
    const { number, numbers, from, lead, all } = moved.what;
    const at = moved.beats === 0 ? lead.at : snapped(lead.at + moved.beats, moved.fine);
    const beats = together(all, at - lead.at);
    // A stroke that only trembles under the hand is as hard as it was.
    const harder = Math.abs(moved.up) < 0.1 ? 0 : moved.up;
    const struck = strikes[number];
    if (struck?.at === lead.at + beats && harder === 0 && struck.strength === lead.strength) return;
    const to = (s: FullStrike): Partial<FullStrike> => ({ at: s.at + beats, strength: s.strength + harder });
    change(numbers, to, 'move', `drag ${hit.id} ${number}`, from);
  }
</script>

<div
  class="hits"
  role="presentation"
  ondblclick={(event) => {
    if (event.target === event.currentTarget)
      phrasing.edit(`a stroke of ${hit.id}`, withNewStrike(phrase, hit.id, snapped(beatsAt(event), false)));
  }}
>
  <span>{hit.id}</span>
  {#each strikes as strike, number (number)}
    <button
      type="button"
      class:picked={phrasing.isPicked(hit.id, number)}
      style:left="{place(strike.at)}%"
      style:height="{Math.max(12, 100 * strike.strength)}%"
      aria-label="Stroke of {hit.id} at {barAndBeat(phrase, strike.at)}, {shown(strike.strength, 'ratio')}"
      aria-pressed={phrasing.isPicked(hit.id, number)}
      onpointerdown={(event) => grab(event, number)}
      onpointermove={pull}
      onpointerup={hold.drop}
      onpointercancel={hold.drop}
      onkeydown={(event) => key(event, number)}
    ></button>
  {/each}
</div>

<style>
  .hits {
    position: relative;
    height: 20px;
    border-top: 1px solid var(--rule);
    touch-action: none;
  }
  span {
    position: absolute;
    right: 4px;
    top: 3px;
    font-size: 11px;
    line-height: 13px;
    color: var(--faint);
    pointer-events: none;
  }
  button {
    position: absolute;
    bottom: 0;
    width: 5px;
    margin-left: -1px;
    background: var(--walnut);
    border-radius: 2px 2px 0 0;
    cursor: grab;
    touch-action: none;
  }
</style>
