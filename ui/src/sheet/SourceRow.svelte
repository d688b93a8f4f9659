<script lang="ts">
  import { offersSource } from './drag';
  import type { Handle, Module } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf, routes } from '../state/document';
  import { ground, inkOf, inks, line, type Surface } from '../draw/draw';
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

  let frame: HTMLDivElement | undefined = $state();
  let held: Handle | null = $state(null);
  let grabbed = { x: 0, y: 0 };

  function draw(on: Surface): void {
    if (!workbench.sheet || !signal || !scale) return;
    const ink = inks();
    ground(on, workbench.sheet, ink);
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
    move(held, time, level, true);
  }

  function drop(): void {
    if (!held) return;
    held = null;
    workbench.tracing.ask();
  }

  /** Sets what a mark stands for, so that it comes to lie at a time and a level. */
  function move(mark: Handle, time: number, level: number, draft: boolean): void {
    if (!workbench.patch) return;
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
    const size = event.shiftKey ? 0.01 : 0.05;
    const across = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (across === undefined && up === undefined) return;
    event.preventDefault();
    event.stopPropagation();
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

<div class="row" class:chosen class:open style:--dye="var(--{dye.colour})">
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
  <div class="trace" bind:this={frame} role="img" aria-label="Trace of {module.id}">
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
