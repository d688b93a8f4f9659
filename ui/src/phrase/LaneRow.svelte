<script lang="ts">
  import type { Phrase } from '../api/api';
  import { shown } from '../common/format';
  import { workbench } from '../state/workbench.svelte';
  import { barAndBeat, FINE, laneLow, laneTitle, snapped, STEP, withLane, withPoint, type LanePoint } from './phrase';

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
  const low = $derived(laneLow(name));
  const title = $derived(laneTitle(name));
  /** In per cent of the row, with room for a point at either end. */
  const EDGE = 10;
  const height = (value: number): number => EDGE + ((value - low) / (1 - low)) * (100 - 2 * EDGE);
  const valueAt = (share: number): number => low + ((100 * share - EDGE) / (100 - 2 * EDGE)) * (1 - low);
  /** The line through the points, held outside them. */
  const line = $derived(
    [[-1e3, points[0]![1]] as LanePoint, ...points, [1e4, points.at(-1)![1]] as LanePoint]
      .map(([at, value]) => `${Math.max(-200, Math.min(300, place(at)))},${100 - height(value)}`)
      .join(' ')
  );

  const put = (number: number, point: LanePoint, merge: string): void =>
    phrasing.edit(`${title} at ${barAndBeat(phrase, point[0])}`, withPoint(phrase, name, number, point), merge);
  const without = (number: number): void =>
    phrasing.edit(
      `a point less of ${title}`,
      withLane(
        phrase,
        name,
        points.filter((_, i) => i !== number)
      )
    );

  function key(event: KeyboardEvent, number: number): void {
    const [at, value] = points[number]!;
    const sign = event.key === 'ArrowRight' || event.key === 'ArrowUp' ? 1 : -1;
    const merge = `${name} ${number} ${event.key}`;
    if (event.key === 'Delete' || event.key === 'Backspace') without(number);
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight')
      put(number, [at + sign * (event.shiftKey ? FINE : STEP), value], merge);
    else if (event.key === 'ArrowUp' || event.key === 'ArrowDown')
      put(number, [at, value + sign * (event.shiftKey ? 0.01 : 0.05)], merge);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  let drag: { number: number; x: number; y: number; from: LanePoint; beat: number; tall: number } | null = null;
  function grab(event: PointerEvent & { currentTarget: HTMLElement }, number: number): void {
    const row = event.currentTarget.parentElement!.getBoundingClientRect();
    event.currentTarget.setPointerCapture(event.pointerId);
    const beat = ((place(1) - place(0)) / 100) * row.width;
    drag = { number, x: event.clientX, y: event.clientY, from: points[number]!, beat, tall: row.height };
  }
  function pull(event: PointerEvent): void {
    if (!drag || event.buttons !== 1) return;
    const moved = event.clientX - drag.x;
    const at = Math.abs(moved) < 3 ? drag.from[0] : snapped(drag.from[0] + moved / drag.beat, event.shiftKey);
    const value = valueAt(height(drag.from[1]) / 100 - (event.clientY - drag.y) / drag.tall);
    put(drag.number, [at, value], `drag ${name} ${drag.number}`);
  }

  function add(event: MouseEvent & { currentTarget: HTMLElement }): void {
    if (event.target instanceof HTMLButtonElement) return;
    const box = event.currentTarget.getBoundingClientRect();
    const value = valueAt(1 - (event.clientY - box.top) / box.height);
    const point: LanePoint = [snapped(beatsAt(event), event.shiftKey), value];
    phrasing.edit(`a point of ${title}`, withLane(phrase, name, [...points, point]));
  }
</script>

<div class="lane" role="group" aria-label="Played {title}" ondblclick={add}>
  <svg viewBox="0 0 100 100" preserveAspectRatio="none" aria-hidden="true">
    <polyline points={line} vector-effect="non-scaling-stroke" />
  </svg>
  <span>{title}</span>
  {#each points as [at, value], number (number)}
    <button
      type="button"
      style:left="{place(at)}%"
      style:bottom="{height(value)}%"
      aria-label="Point {number + 1} of {title} at {barAndBeat(phrase, at)}, {shown(value, 'ratio')}"
      onpointerdown={(event) => grab(event, number)}
      onpointermove={pull}
      onpointerup={() => (drag = null)}
      onpointercancel={() => (drag = null)}
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
  span {
    position: absolute;
    right: 4px;
    top: 2px;
    font-size: 11px;
    line-height: 13px;
    color: var(--faint);
    pointer-events: none;
  }
  button {
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
