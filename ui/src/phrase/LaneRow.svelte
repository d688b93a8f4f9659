<script lang="ts">
  import type { Phrase } from '../api/api';
  import Button from '../common/Button.svelte';
  import { shown } from '../common/format';
  import { workbench } from '../state/workbench.svelte';
  import { Hold, nudge } from './moves';
  import { barAndBeat, laneTitle, snapped, withLane, withPoint, type LanePoint } from './phrase';

  /** A played lane under the notes: its points are moved by pointer and keys, added by a double click. */
  interface Props {
    phrase: Phrase;
    name: string;
    points: LanePoint[];
    /** Returns where a time in beats lies, in per cent. */
    place: (beats: number) => number;
    beatsAt: (event: MouseEvent & { currentTarget: HTMLElement }) => number;
  }
  let { phrase, name, points, place, beatsAt }: Props = $props();
  const { phrasing } = workbench;
  const range = $derived(workbench.laneRange(name));
  /** Made tall, it is drawn in more finely. */
  let isTall = $state(false);
  const title = $derived(laneTitle(name));
  /** In per cent of the row, with room for a point at either end. */
  const EDGE = 10;
  const height = (value: number): number => EDGE + ((value - range[0]) / (range[1] - range[0])) * (100 - 2 * EDGE);
  const valueAt = (share: number): number =>
    range[0] + ((100 * share - EDGE) / (100 - 2 * EDGE)) * (range[1] - range[0]);
  /** The line through the points, held outside them. */
  const through = (lane: LanePoint[]): string =>
    [[-1e3, lane[0]![1]] as LanePoint, ...lane, [1e4, lane.at(-1)![1]] as LanePoint]
      .map(([at, value]) => `${Math.max(-200, Math.min(300, place(at)))},${100 - height(value)}`)
      .join(' ');
  const proposed = $derived(phrasing.proposed?.name === name ? phrasing.proposed.points : null);

  const put = (number: number, point: LanePoint, merge: string): void =>
    phrasing.edit(`${title} at ${barAndBeat(phrase, point[0])}`, withPoint(phrase, name, number, point, range), merge);
  const without = (number: number): void =>
    phrasing.edit(
      `a point less of ${title}`,
      withLane(
        phrase,
        name,
        points.filter((_, i) => i !== number),
        range
      )
    );

  function key(event: KeyboardEvent, number: number): void {
    const [at, value] = points[number]!;
    const by = nudge(event);
    if (by?.remove) without(number);
    else if (by)
      put(number, [at + by.beats, value + by.up * (by.fine ? 0.01 : 0.05)], `${name} ${number} ${event.key}`);
  }

  const hold = new Hold<{ number: number; from: LanePoint }>(() => (place(1) - place(0)) / 100);
  function pull(event: PointerEvent): void {
    const moved = hold.moved(event);
    if (!moved) return;
    const { number, from } = moved.what;
    const at = moved.beats === 0 ? from[0] : snapped(from[0] + moved.beats, moved.fine);
    put(number, [at, valueAt(height(from[1]) / 100 + moved.up)], `drag ${name} ${number}`);
  }

  function add(event: MouseEvent & { currentTarget: HTMLElement }): void {
    if (event.target instanceof HTMLButtonElement) return;
    const box = event.currentTarget.getBoundingClientRect();
    const value = valueAt(1 - (event.clientY - box.top) / box.height);
    const point: LanePoint = [snapped(beatsAt(event), event.shiftKey), value];
    phrasing.edit(`a point of ${title}`, withLane(phrase, name, [...points, point], range));
  }
</script>

<div class="lane" class:tall={isTall} role="group" aria-label="Played {title}" ondblclick={add}>
  <svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true">
    <polyline points={through(points)} vector-effect="non-scaling-stroke" />
    {#if proposed}<polyline class="proposed" points={through(proposed)} vector-effect="non-scaling-stroke" />{/if}
  </svg>
  <Button
    look="bare"
    class="lane-name"
    aria-expanded={isTall}
    data-hint={isTall ? 'Make it low again' : 'Make it tall, to draw in it'}
    onclick={() => (isTall = !isTall)}>{title}</Button
  >
  {#each points as [at, value], number (number)}
    <button
      type="button"
      class="point"
      style:left="{place(at)}%"
      style:bottom="{height(value)}%"
      aria-label="Point {number + 1} of {title} at {barAndBeat(phrase, at)}, {shown(value, 'ratio')}"
      onpointerdown={(event) => hold.take(event, { number, from: [at, value] })}
      onpointermove={pull}
      onpointerup={hold.drop}
      onpointercancel={hold.drop}
      onkeydown={(event) => key(event, number)}
    ></button>
  {/each}
</div>

<style>
  .lane {
    position: relative;
    height: 30px;
    border-top: 1px solid var(--rule);
    touch-action: none;
    user-select: none;
  }
  svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    overflow: visible;
  }
  polyline {
    fill: none;
    stroke: var(--lichen);
    stroke-width: 1.5;
  }
  .proposed {
    stroke: var(--madder);
    stroke-dasharray: 5 3;
  }
  .tall {
    height: 130px;
  }
  .lane :global(.lane-name) {
    position: absolute;
    right: 4px;
    top: 2px;
    z-index: 1;
    font-size: 11px;
    line-height: 13px;
    color: var(--faint);
  }
  .point {
    position: absolute;
    width: 9px;
    height: 9px;
    margin: 0 0 -4.5px -4.5px;
    border: 1.5px solid var(--lichen);
    border-radius: 2px;
    background: var(--paper);
    cursor: grab;
    touch-action: none;
  }
</style>
