<script lang="ts">
  import Button from '../common/Button.svelte';
  import type { Curve, FieldFacts, Module } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import {
    bent,
    heightAt,
    marksAfter,
    moved,
    withBend,
    withoutPoint,
    withPoint,
    type Marks,
    type Points
  } from '../draw/curve';
  import { replaceModule } from '../state/document';
  import { figure } from '../common/format';
  import CurveActs from './CurveActs.svelte';
  import StartShape from './StartShape.svelte';
  import StepsEditor from './StepsEditor.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** A drawn curve: points by click, bends by drag, figures for each point. Serves every list of points. */
  interface Props {
    field: FieldFacts;
    owner: string;
    value: unknown;
    module?: Module;
    onset: (value: unknown, merge: string, draft?: boolean) => void;
  }
  let { field, owner, value, module, onset }: Props = $props();

  const WIDE = 400;
  const TALL = 190;
  const EDGE = 9;

  const FIGURES = [
    { name: 'Place of', unit: 'count', width: '3.6rem' },
    { name: 'Height of', unit: 'signal', width: '3.6rem' },
    { name: 'Bend after', unit: 'bend', width: '3.2rem' }
  ];
  /** Steps that points snap to: so many in a unit of time. */
  const GRIDS = [
    [0, 'no grid'],
    [2, 'halves'],
    [4, 'quarters'],
    [8, 'eighths'],
    [16, 'sixteenths'],
    [3, 'thirds']
  ] as const;
  const BEATS = [
    [1, 'beats'],
    [2, 'half beats'],
    [4, 'quarter beats'],
    [3, 'thirds of a beat']
  ] as const;
  /** What points snap to, by its name. */
  let grid: string = $state(GRIDS[0][1]);
  let chosen = $state(0);
  let frame: SVGSVGElement | undefined = $state();
  let held: { index: number; part: 'point' | 'bend'; y: number; bend: number } | null = $state(null);

  const points = $derived((value as Points | null) ?? []);
  const bipolar = $derived(
    field.across === 'level' ||
      (field.across === 'cycle' && (module as { polarity?: string } | undefined)?.polarity !== 'unipolar') ||
      points.some((p) => p[1]! < 0)
  );
  const heights: [number, number] = $derived([
    Math.min(bipolar ? -1 : 0, ...points.map((p) => p[1]!)),
    Math.max(1, ...points.map((p) => p[1]!))
  ]);
  const ends: [number, number] = $derived(
    field.across === 'time'
      ? [0, Math.max(1, points.at(-1)?.[0] ?? 1)]
      : field.across === 'level'
        ? [Math.min(-1, points[0]?.[0] ?? -1), Math.max(1, points.at(-1)?.[0] ?? 1)]
        : [0, 1]
  );
  const curve = $derived(field.across === 'time' ? (module as Curve) : null);
  const marked = $derived(curve !== null && (curve.loop != null || curve.hold_at != null));
  const at = $derived(points[chosen]);
  /** How many beats a unit of a drawn curve's time lasts, where that is known. */
  const beats = $derived.by(() => {
    if (!curve) return null;
    const said = workbench.judging.judgement?.figures.find(
      (r) => r.kind === 'note_values' && r.about.id === curve.id && r.name === 'time'
    );
    const unit = typeof curve.time === 'string' ? said?.value : (curve.time ?? 1);
    return unit === undefined ? null : (unit * workbench.tempo) / 60;
  });
  const grids = $derived([...GRIDS, ...(beats ? BEATS.map(([n, text]) => [n * beats, text] as const) : [])]);
  const steps = $derived(grids.find(([, text]) => text === grid)?.[0] ?? 0);

  const px = (x: number): number => EDGE + ((x - ends[0]) / (ends[1] - ends[0])) * (WIDE - 2 * EDGE);
  const py = (y: number): number => TALL - EDGE - ((y - heights[0]) / (heights[1] - heights[0])) * (TALL - 2 * EDGE);
  const path = $derived.by(() => {
    if (points.length === 0) return '';
    const steps = [`M ${px(ends[0])} ${py(points[0]![1]!)} L ${px(points[0]![0]!)} ${py(points[0]![1]!)}`];
    for (let i = 1; i < points.length; i++) {
      const [a, b] = [points[i - 1]!, points[i]!];
      for (let s = 1; s <= 24; s++) {
        const y = a[1]! + (b[1]! - a[1]!) * bent(s / 24, a[2] ?? 0);
        steps.push(`L ${px(a[0]! + ((b[0]! - a[0]!) * s) / 24).toFixed(2)} ${py(y).toFixed(2)}`);
      }
    }
    steps.push(`L ${px(ends[1])} ${py(points.at(-1)![1]!)}`);
    return steps.join(' ');
  });
  const lines = $derived.by(() => {
    const count = steps || 4;
    const from = Math.ceil(ends[0] * count);
    return Array.from({ length: Math.min(129, Math.floor(ends[1] * count) - from + 1) }, (_, i) => (from + i) / count);
  });

  function placeOf(event: PointerEvent | MouseEvent): [number, number] {
    const box = frame!.getBoundingClientRect();
    const x =
      ends[0] + (((event.clientX - box.left) / box.width) * WIDE - EDGE) * ((ends[1] - ends[0]) / (WIDE - 2 * EDGE));
    const up = (TALL - EDGE - ((event.clientY - box.top) / box.height) * TALL) / (TALL - 2 * EDGE);
    return [x, heights[0] + up * (heights[1] - heights[0])];
  }
  const snapped = (x: number): number => (steps ? Math.round(x * steps) / steps : x);

  function add(event: MouseEvent): void {
    const [x, y] = placeOf(event);
    if (x < ends[0] || x > ends[1] || points.length >= 512) return;
    const [next, index] = withPoint(points, snapped(x), Math.max(heights[0], Math.min(heights[1], y)));
    chosen = index;
    put(next, index, 1);
  }

  /** Takes a point in or away, with the marks of a drawn curve kept at their points. */
  function put(next: Points, index: number, by: 1 | -1): void {
    if (curve && marked) mark({ points: next, ...marksAfter(curve, index, by) }, 'points');
    else onset(next, '');
  }

  function mark(fields: Marks & { points?: Points }, label: string): void {
    if (curve && workbench.patch)
      workbench.edit(`${owner} ${label}`, replaceModule(workbench.patch, curve.id, fields as Record<string, unknown>));
  }

  function grab(event: PointerEvent, index: number, part: 'point' | 'bend'): void {
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    event.preventDefault();
    event.stopPropagation();
    chosen = index;
    held = { index, part, y: event.clientY, bend: points[index]![2] ?? 0 };
  }

  function drag(event: PointerEvent): void {
    if (!held) return;
    if (held.part === 'point') {
      const [x, y] = placeOf(event);
      onset(moved(points, held.index, snapped(x), y, ends, heights), `drag ${owner} ${held.index}`, true);
    } else {
      const rises = (points[held.index + 1]?.[1] ?? 0) >= points[held.index]![1]! ? 1 : -1;
      const bend = held.bend + ((held.y - event.clientY) / 12) * rises;
      onset(withBend(points, held.index, bend), `bend ${owner} ${held.index}`, true);
    }
  }

  function drop(): void {
    if (held) workbench.tracing.ask();
    held = null;
  }

  function nudge(event: KeyboardEvent, index: number): void {
    const point = points[index]!;
    const size = event.shiftKey ? 0.005 : 0.05;
    const across = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key] ?? 0;
    if (event.key === 'Delete' || event.key === 'Backspace') remove(index);
    else if (across || up)
      onset(
        moved(points, index, point[0]! + across * size * (ends[1] - ends[0]), point[1]! + up * size, ends, heights),
        `nudge ${owner} ${index}`
      );
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function remove(index: number): void {
    if (points.length <= 2) return;
    chosen = Math.max(0, index - 1);
    put(withoutPoint(points, index), index, -1);
  }

  function setFigure(index: number, part: number, next: number, merge: string): void {
    const of = points[index];
    if (!of) return;
    if (part === 2) onset(withBend(points, index, next), merge);
    else onset(moved(points, index, part === 0 ? next : of[0]!, part === 1 ? next : of[1]!, ends, heights), merge);
  }

  function draw(next: Points): void {
    chosen = Math.min(chosen, next.length - 1);
    if (marked && next.length !== points.length) mark({ points: next, loop: null, hold_at: null }, 'points');
    else onset(next, '');
  }
</script>

{#if field.role === 'numbers'}
  <StepsEditor {owner} values={(value as number[] | null) ?? []} {onset} />
{:else if points.length === 0}
  <StartShape label="Draw {owner}" first="draw it…" {ends} {heights} ondraw={draw} />
{:else}
  <div class="curve">
    <svg
      bind:this={frame}
      viewBox="0 0 {WIDE} {TALL}"
      preserveAspectRatio="none"
      role="group"
      aria-label="Points of {owner}; click to add one"
      onpointermove={drag}
      onpointerup={drop}
      onpointercancel={drop}
    >
      <rect class="ground" width={WIDE} height={TALL} role="presentation" onclick={add} />
      {#each lines as x (x)}<line class="grid" x1={px(x)} x2={px(x)} y1="0" y2={TALL} />{/each}
      <line class="grid" x1="0" x2={WIDE} y1={py(0)} y2={py(0)} />
      {#if curve?.loop}
        <rect
          class="loop"
          x={px(points[curve.loop[0]!]?.[0] ?? 0)}
          width={px(points[curve.loop[1]!]?.[0] ?? 1) - px(points[curve.loop[0]!]?.[0] ?? 0)}
          y="0"
          height="5"
        />
      {/if}
      {#if curve?.hold_at != null && points[curve.hold_at]}
        <line class="hold" x1={px(points[curve.hold_at]![0]!)} x2={px(points[curve.hold_at]![0]!)} y1="0" y2={TALL} />
      {/if}
      <path d={path} />
      {#each points as point, i (i)}
        {@const next = points[i + 1]}
        {#if next && next[0]! > point[0]! && next[1] !== point[1]}
          {@const x = (point[0]! + next[0]!) / 2}
          <circle
            class="bend"
            cx={px(x)}
            cy={py(heightAt(points, x))}
            r="4.5"
            role="slider"
            tabindex="-1"
            aria-label="Bend after point {i + 1} of {owner}"
            aria-valuenow={point[2] ?? 0}
            onpointerdown={(event) => grab(event, i, 'bend')}
          />
        {/if}
        <rect
          class="point"
          class:chosen={i === chosen}
          x={px(point[0]!) - 5.5}
          y={py(point[1]!) - 5.5}
          width="11"
          height="11"
          rx="2"
          role="slider"
          tabindex="0"
          aria-label="Point {i + 1} of {owner} at {figure(point[0]!)}, {figure(point[1]!)}"
          aria-valuenow={point[1]}
          onpointerdown={(event) => grab(event, i, 'point')}
          onkeydown={(event) => nudge(event, i)}
          onfocus={() => (chosen = i)}
        />
      {/each}
    </svg>
    {#if at}
      <div class="strip">
        <span>{chosen + 1}</span>
        {#each [chosen] as index (index)}
          {#each FIGURES as { name, unit, width }, part (name)}
            <ValueField
              value={points[index]?.[part] ?? 0}
              {unit}
              label="{name} point {index + 1}"
              {width}
              oncommit={(v, m) => setFigure(index, part, Number(v), m)}
            />
          {/each}
        {/each}
        <Button
          look="bare"
          aria-label="Remove point {chosen + 1}"
          disabled={points.length <= 2}
          onclick={() => remove(chosen)}>✕</Button
        >
      </div>
    {/if}
    <CurveActs
      {owner}
      {points}
      {ends}
      {heights}
      {curve}
      {chosen}
      grids={grids.map(([, text]) => text)}
      bind:grid
      ondraw={draw}
      onmark={mark}
    />
  </div>
{/if}

<style>
  .curve {
    grid-column: 1 / -1;
  }
  svg {
    display: block;
    width: 100%;
    height: 128px;
    background: var(--raised);
    border: 1px solid var(--rule);
    border-radius: 5px;
    touch-action: none;
  }
  .ground {
    fill: transparent;
    cursor: crosshair;
  }
  .grid,
  .loop,
  .hold {
    pointer-events: none;
  }
  .grid {
    stroke: var(--rule);
    stroke-width: 1;
  }
  .loop {
    fill: var(--lichen);
  }
  .hold {
    stroke: var(--woad);
    stroke-dasharray: 3 3;
  }
  path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
    pointer-events: none;
  }
  .point {
    fill: var(--paper);
    stroke: var(--madder);
    stroke-width: 2;
    cursor: grab;
  }
  .point.chosen {
    fill: var(--madder);
  }
  .bend {
    fill: var(--paper);
    stroke: var(--faint);
    stroke-width: 1.5;
    cursor: ns-resize;
  }
  .strip span {
    min-width: 1.2em;
  }
</style>
