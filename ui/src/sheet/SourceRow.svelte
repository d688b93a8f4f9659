<script lang="ts">
  import { offersSource } from './drag';
  import type { Handle, Module } from '../api/api';
  import { setField } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf, routes } from '../state/document';
  import { beats, ground, inkOf, inks, line, type Surface } from '../draw/draw';
  import { seconds, shown, signalShown } from '../common/format';
  import { signalScale } from '../draw/scale';
  import { settings } from '../state/settings.svelte';
  import { columnAt, placeOf } from '../api/sheet';

  import Plot from '../common/Plot.svelte';

  let { module }: { module: Module } = $props();

  const dye = $derived(workbench.patch ? dyeOf(workbench.patch, module.id) : { colour: 'faint', dash: [] });
  const signal = $derived(workbench.sheet?.signals[module.id]);
  const kind = $derived(workbench.catalogue?.kinds.find((facts) => facts.kind === module.kind));
  const chosen = $derived(workbench.chosen.what === 'source' && workbench.chosen.id === module.id);
  const open = $derived(chosen && (signal?.handles.length ?? 0) > 0);
  const mine = $derived(workbench.patch ? routes(workbench.patch).filter((route) => route.source === module.id) : []);
  const muted = $derived(mine.length > 0 && mine.every((route) => route.enabled === false));
  const scale = $derived(signal ? signalScale(signal.low, signal.high) : null);
  const read = $derived.by(() => {
    const { sheet, cursor } = workbench;
    if (!sheet || !signal || cursor === null) return '';
    return signalShown(signal.row.first[columnAt(sheet, cursor)]!, settings.now.signals);
  });

  /** A drawn curve is edited here, on the note's own time, over the beat. */
  const isDrawn = $derived(signal?.handles.some((mark) => mark.point != null) ?? false);
  const GRID_BEATS = 0.25;
  const SNAP_PX = 5;
  const gridS = $derived((60 / workbench.tempo) * GRID_BEATS);
  type Points = [number, number, number?][];

  let frame: HTMLDivElement | undefined = $state();
  let row: HTMLDivElement | undefined = $state();
  $effect(() => {
    if (open && isDrawn) row?.scrollIntoView({ block: 'nearest' });
  });
  let held: Handle | null = $state(null);
  let grabbed = { x: 0, y: 0 };

  function draw(on: Surface): void {
    if (!workbench.sheet || !signal || !scale) return;
    const ink = inks();
    ground(on, workbench.sheet, ink);
    if (open && isDrawn) beats(on, workbench.sheet, gridS, workbench.tempo, ink);
    on.context.globalAlpha = muted ? 0.35 : 1;
    line(on, signal.row, scale, inkOf(dye.colour), 1.7, dye.dash);
    on.context.globalAlpha = 1;
  }

  function choose(): void {
    workbench.chosen = { what: 'source', id: module.id };
  }

  function grab(mark: Handle, event: PointerEvent): void {
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    held = mark;
    grabbed = { x: event.clientX, y: event.clientY };
    event.preventDefault();
    (event.currentTarget as HTMLElement).focus();
  }

  function drag(event: PointerEvent): void {
    if (!held || !frame || !workbench.sheet || !scale) return;
    const box = frame.getBoundingClientRect();
    const time =
      held.time_s + ((event.clientX - grabbed.x) / box.width) * (workbench.sheet.to_s - workbench.sheet.from_s);
    const level = scale.from(scale.at(held.value) - (event.clientY - grabbed.y) / box.height);
    move(held, snapped(time, box.width), level, true);
  }

  /** Returns a time, or the line of the beat that it is as good as on. */
  function snapped(time: number, width: number): number {
    if (!isDrawn || !workbench.sheet) return time;
    const line = Math.round(time / gridS) * gridS;
    const pixels = (Math.abs(line - time) / (workbench.sheet.to_s - workbench.sheet.from_s)) * width;
    return pixels < SNAP_PX ? line : time;
  }

  /** The drawn points, those that a curve begins with where it says none. */
  const points = (): Points =>
    (module as unknown as { points?: Points }).points ??
    (kind?.fields.find((field) => field.name === 'points')?.default as Points | undefined) ??
    [];

  function setPoints(next: Points, label: string, merge: string, draft: boolean): void {
    setField(module.id, 'points', next, `${module.id} ${label}`, merge, draft);
  }

  /** Sets a drawn point at a time and a height; it stays between its neighbours. */
  function movePoint(mark: Handle, at: number, time: number, level: number, draft: boolean): void {
    const all = points();
    const [least, most] = [all[at - 1]?.[0] ?? 0, all[at + 1]?.[0] ?? Infinity];
    const t = Number(Math.max(least, Math.min(most, (time - mark.began_s) / (mark.unit_s ?? 1))).toPrecision(6));
    const height = Number(level.toFixed(3));
    const next = all.map((point, i) => (i === at ? ([t, height, ...point.slice(2)] as Points[number]) : point));
    setPoints(next, `${mark.name} at ${seconds(t * (mark.unit_s ?? 1))}, ${height}`, `drag ${module.id} ${at}`, draft);
  }

  /** A point where the curve was double-clicked. */
  function addPoint(event: MouseEvent): void {
    const { sheet } = workbench;
    const first = signal?.handles[0];
    if (!open || !isDrawn || !frame || !sheet || !scale || !first) return;
    const box = frame.getBoundingClientRect();
    const from = sheet.from_s + ((event.clientX - box.left) / box.width) * (sheet.to_s - sheet.from_s);
    const time = (snapped(from, box.width) - first.began_s) / (first.unit_s ?? 1);
    const height = Number(scale.from(1 - (event.clientY - box.top) / box.height).toFixed(3));
    const all = points();
    const at = all.findIndex((point) => point[0] > time);
    const before = at < 0 ? all : all.slice(0, at);
    setPoints(
      [...before, [Number(time.toPrecision(6)), height], ...(at < 0 ? [] : all.slice(at))],
      `a point at ${seconds(time * (first.unit_s ?? 1))}`,
      '',
      false
    );
  }

  function drop(): void {
    if (!held) return;
    held = null;
    workbench.tracing.ask();
  }

  /** Sets what a mark stands for, so that it comes to lie at a time and a level. */
  function move(mark: Handle, time: number, level: number, draft: boolean): void {
    if (!workbench.patch) return;
    if (mark.point != null) return movePoint(mark, mark.point, time, level, draft);
    const fields: Record<string, number> = {};
    if (mark.across) fields[mark.across] = Number(Math.max(0, Math.min(60, time - mark.began_s)).toPrecision(4));
    if (mark.up) fields[mark.up] = Number(Math.max(0, Math.min(1, level)).toFixed(3));
    const said = Object.entries(fields).map(([name, value]) => `${spoken(name)} ${shown(value, unitOf(name))}`);
    const changed = (workbench.patch.modules ?? []).map((m) => (m.id === module.id ? { ...m, ...fields } : m));
    const label = `${module.id} ${said.join(', ')}`;
    workbench.edit(
      label,
      { ...workbench.patch, modules: changed as Module[] },
      `drag ${module.id} ${mark.name}`,
      draft
    );
  }

  const unitOf = (name: string): string => kind?.fields.find((field) => field.name === name)?.unit ?? '';
  const spoken = (name: string): string => name.replace(/_s$/, '').replace('_', ' ');

  function nudge(mark: Handle, event: KeyboardEvent): void {
    if ((event.key === 'Delete' || event.key === 'Backspace') && mark.point != null && points().length > 1) {
      event.preventDefault();
      event.stopPropagation();
      const left = points().filter((_, i) => i !== mark.point);
      return setPoints(left, `without ${mark.name}`, '', false);
    }
    const size = event.shiftKey ? 0.01 : 0.05;
    const across = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (across === undefined && up === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    if (mark.point != null) {
      const [t, height] = points()[mark.point] ?? [0, 0];
      const along = mark.began_s + t * (mark.unit_s ?? 1) + (across ?? 0) * gridS * (event.shiftKey ? 0.1 : 1);
      return movePoint(mark, mark.point, along, height + size * (up ?? 0), false);
    }
    // From the patch as it is now: the sheet may still show the one before.
    const lasts = present(mark.across, mark.time_s - mark.began_s);
    const time = mark.began_s + Math.max(lasts, 0.001) * (1 + size * (across ?? 0));
    move(mark, time, present(mark.up, mark.value) + size * (up ?? 0), false);
  }

  function present(field: string | null, otherwise: number): number {
    const value = field ? (module as unknown as Record<string, unknown>)[field] : undefined;
    return typeof value === 'number' ? value : otherwise;
  }

  function markLabel(mark: Handle): string {
    const level = mark.up ? `, ${spoken(mark.up)} ${shown(mark.value, 'ratio')}` : '';
    return `${module.id}: ${mark.name} after ${seconds(mark.time_s - mark.began_s)}${level}`;
  }
</script>

<div
  class="row"
  bind:this={row}
  class:chosen
  class:open
  class:drawn={open && isDrawn}
  style:--dye="var(--{dye.colour})"
>
  <button
    class="head"
    {@attach offersSource(module.id)}
    onclick={choose}
    aria-pressed={chosen}
    aria-label="Source {module.id}, {kind?.title}, {signal?.summary}"
  >
    <span class="name"><b>{module.id}</b> <span>{kind?.title}</span></span>
    <span class="says">{read ? `${read} here` : muted ? 'muted' : (signal?.summary ?? '')}</span>
  </button>
  <div class="trace" bind:this={frame} role="img" aria-label="Trace of {module.id}" ondblclick={addPoint}>
    <Plot {draw} />
  </div>
  {#if open && signal && scale && workbench.sheet}
    <div class="handles">
      {#each signal.handles as mark (mark.name)}
        <button
          class="handle"
          aria-label={markLabel(mark)}
          data-hint={markLabel(mark)}
          style:left="{Math.max(0, Math.min(1, placeOf(workbench.sheet, mark.time_s))) * 100}%"
          style:top="{(1 - scale.at(mark.value)) * 100}%"
          onpointerdown={(event) => grab(mark, event)}
          onpointermove={drag}
          onpointerup={drop}
          onpointercancel={drop}
          onkeydown={(event) => nudge(mark, event)}
        ></button>
      {/each}
    </div>
  {/if}
</div>

<style>
  .row {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    height: 38px;
    position: relative;
    border-bottom: 1px solid var(--rule);
    flex: none;
  }
  .row.open {
    height: 104px;
  }
  .row.drawn {
    height: 150px;
  }
  .chosen {
    background: var(--chosen);
  }
  .chosen .head {
    box-shadow: inset 3px 0 0 var(--dye);
  }
  .head {
    background: none;
    border: 0;
    text-align: left;
    padding: 1px 8px 1px 14px;
    color: inherit;
    cursor: pointer;
    display: flex;
    flex-direction: column;
    justify-content: center;
    min-width: 0;
    line-height: 17px;
  }
  .name b {
    color: var(--dye);
    font-size: 14px;
    margin-right: 6px;
  }
  .name span,
  .says {
    font-size: 12.5px;
    color: var(--faint);
  }
  .name,
  .says {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .trace {
    position: relative;
    background: var(--paper);
  }
  .handles {
    position: absolute;
    left: var(--left);
    right: 0;
    top: 0;
    bottom: 0;
    pointer-events: none;
  }
  .handle {
    position: absolute;
    width: 14px;
    height: 14px;
    padding: 0;
    transform: translate(-50%, -50%);
    border-radius: 3px;
    border: 2px solid var(--dye);
    background: var(--paper);
    cursor: grab;
    pointer-events: auto;
    touch-action: none;
  }
  .handle:active {
    cursor: grabbing;
    background: var(--dye);
  }
</style>
