<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import { term } from '../common/hint';
  import Button from '../common/Button.svelte';
  import type { Route } from '../api/api';
  import { takesSource } from './drag';
  import { addRoute, setBase } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf, modules, routes } from '../state/document';
  import {
    clampHatch,
    contributions,
    ground,
    inkOf,
    inks,
    labelled,
    line,
    ruled,
    usefulEnds,
    type Surface
  } from '../draw/draw';
  import { unitGiven } from '../state/wording';
  import { usefulText } from '../range/range';
  import { laneText, shown, signed } from '../common/format';
  import { laneScale, signalScale } from '../draw/scale';
  import { columnAt, extentOf, type Lane, type Row } from '../api/sheet';
  import Behind from '../live/Behind.svelte';
  import { live } from '../live/playing-live';
  import Plot from '../common/Plot.svelte';
  import RouteSentence from './RouteSentence.svelte';
  import ValueField from '../common/ValueField.svelte';

  let { name, lane }: { name: string; lane: Lane } = $props();

  let open = $state(false);
  const place = $derived(workbench.staves.sizeOf(name));
  const others = $derived([
    ...(workbench.sheet?.overlays ?? []).map((overlay) => overlay.lanes[name]),
    ...workbench.tracing.voices.map((voice) => voice.lanes[name]),
    workbench.tracing.ghost?.sheet?.lanes[name]?.value
  ]);
  const played = $derived(live.state === 'on' ? live.reached[name] : undefined);
  const scale = $derived(laneScale(roomFor(lane, others), workbench.oneKey));
  const moving = $derived(workbench.patch ? routes(workbench.patch).filter((route) => route.destination === name) : []);
  const help = $derived(workbench.catalogue?.destinations.find((at) => at.name === name)?.help);
  /** Whether a route takes the set value's place. */
  const taken = $derived(moving.some((route) => route.mode === 'range' && route.enabled !== false));
  const unit = $derived(lane.unit);
  /** Between which values it is useful, where that is kept. */
  const kept = $derived(workbench.patch?.useful_ranges?.[name]);
  const over = $derived(spread());
  const sources = $derived([
    ...(workbench.patch ? modules(workbench.patch).map((module) => module.id) : []),
    ...workbench.signals
  ]);
  /** What can be done with the stave itself. */
  const tools = $derived([
    place === 'folded'
      ? { name: 'Unfold', mark: '+', act: () => workbench.staves.lay(name, 'plain') }
      : { name: 'Fold', mark: '–', act: () => workbench.staves.lay(name, 'folded') },
    place === 'large'
      ? { name: 'Shrink', mark: '⇕', act: () => workbench.staves.lay(name, 'plain') }
      : { name: 'Enlarge', mark: '⇕', act: () => workbench.staves.lay(name, 'large') },
    { name: 'Move up', mark: '↑', act: () => workbench.staves.move(name, -1, workbench.standing) },
    { name: 'Move down', mark: '↓', act: () => workbench.staves.move(name, 1, workbench.standing) },
    ...(workbench.pinned.includes(name) ? [{ name: 'Put away', mark: '✕', act: () => workbench.pin(name) }] : [])
  ]);
  /** How far it goes between the two posts. */
  const between = $derived.by(() => {
    const { sheet, posts } = workbench;
    if (!sheet || !posts) return '';
    const [a, b] = posts.map((post) => lane.value.first[columnAt(sheet, post)]!) as [number, number];
    return `between posts ${distance(b, a) || '0'}`;
  });
  const read = $derived.by(() => {
    const { sheet, cursor } = workbench;
    if (!sheet || cursor === null) return null;
    const column = columnAt(sheet, cursor);
    const value = lane.value.first[column]!;
    const base = lane.base.first[column]!;
    return { value: laneText(lane, value, workbench.keyAt(cursor)), moved: distance(value, base) };
  });

  /** Returns the lane with its extent widened to what else is drawn on it. */
  function roomFor(of: Lane, rows: (Row | undefined)[]): Lane {
    const drawn = rows.filter((row) => row !== undefined).map((row) => extentOf(row));
    if (played) drawn.push([...played]);
    const least = Math.min(of.least, ...drawn.map(([low]) => low));
    return { ...of, least, greatest: Math.max(of.greatest, ...drawn.map(([, high]) => high)) };
  }

  function distance(value: number, base: number): string {
    if (lane.law !== 'sum')
      return signed(Math.log2(value / base) * (lane.law === 'octaves' ? 1 : 12), lane.amount_unit);
    return signed(value - base, lane.unit === 'ratio' ? 'ratio' : lane.amount_unit);
  }

  function spread(): string {
    if (lane.least === lane.greatest)
      return lane.reads_as !== 'note'
        ? shown(lane.least, lane.unit)
        : workbench.oneKey === null
          ? signed(lane.least, 'st')
          : laneText(lane, lane.least, workbench.oneKey);
    if (lane.reads_as === 'note') return `${signed(lane.least, 'st')} to ${signed(lane.greatest, 'st')}`;
    const short = (value: number): string => shown(Number(value.toPrecision(3)), lane.unit);
    return `${short(lane.least)} → ${short(lane.greatest)}`;
  }

  function draw(on: Surface): void {
    const { sheet, patch } = workbench;
    if (!sheet || !patch) return;
    const ink = inks();
    ground(on, sheet, ink);
    ruled(on, scale, ink);
    const adding = moving.filter(
      (route) => route.mode !== 'scale' && route.mode !== 'range' && route.enabled !== false
    );
    contributions(
      on,
      lane,
      scale,
      adding.map((route) => ({
        id: route.id,
        colour: inkOf(dyeOf(patch, route.source).colour),
        hertz: route.amount_unit === 'Hz'
      }))
    );
    line(on, lane.base, scale, ink.faint, 1, [1, 3]);
    const behind = workbench.tracing.ghost?.sheet;
    const ghost = behind?.lanes[name];
    if (ghost) {
      // One that ends sooner is so much narrower.
      const width = (on.width * (behind.to_s - behind.from_s)) / (sheet.to_s - sheet.from_s);
      line({ ...on, width }, ghost.value, scale, ink.faint, 1.5, [6, 4]);
    }
    for (const voice of workbench.tracing.voices) {
      const row = voice.lanes[name];
      if (row && row.first.length === sheet.columns) line(on, row, scale, ink.edge, 1);
    }
    sheet.overlays.forEach((overlay, i) => {
      const row = overlay.lanes[name];
      if (row) line(on, row, scale, ink.faint, 1.4, i === 0 ? [2, 3] : [8, 3]);
    });
    if (kept) usefulEnds(on, scale, kept, ink);
    clampHatch(on, lane, scale, ink);
    line(on, lane.value, scale, ink.ink, 2);
    labelled(on, scale, ink);
  }

  function drawRibbon(on: Surface, id: string, source: string): void {
    const row = lane.contributions[id];
    if (!workbench.sheet || !workbench.patch || !row) return;
    const [low, high] = extentOf(row);
    const dye = dyeOf(workbench.patch, source);
    ground(on, workbench.sheet, inks());
    line(on, row, signalScale(Math.min(0, low), Math.max(0, high)), inkOf(dye.colour), 1.5, dye.dash);
  }

  function ribbonSays(route: Route): string {
    const row = lane.contributions[route.id];
    if (!row) return 'muted';
    const [low, high] = extentOf(row);
    const of = unitGiven(route);
    return `${shown(low, of)} to ${shown(high, of)}`;
  }
</script>

<section
  class="stave"
  {@attach takesSource((source) => addRoute(source, name))}
  class:open
  aria-label={lane.title}
  class:folded={place === 'folded'}
  style:order={workbench.staves.orderOf(name, workbench.standing)}
  style:flex-grow={place === 'folded'
    ? 0
    : (place === 'large' ? 2.6 : open ? 1.6 : 1) + 0.22 * Math.max(0, moving.length - 2)}
>
  <div class="left">
    <div class="title">
      <Button
        look="bare"
        aria-expanded={open}
        aria-label="{open ? 'Close' : 'Open'} the ribbons under {lane.title.toLowerCase()}"
        data-hint={help}
        onclick={() => (open = !open)}><span class="turn">{open ? '▾' : '▸'}</span><b>{lane.title}</b></Button
      >
      <span class="places">
        {#each tools as tool (tool.name)}
          <Button
            look="bare"
            aria-label="{tool.name} {lane.title.toLowerCase()}"
            data-hint={tool.name}
            onclick={tool.act}>{tool.mark}</Button
          >
        {/each}
      </span>
      <Button
        look="bare"
        class="reads"
        data-hint="Figures of {lane.title.toLowerCase()}"
        aria-label="Figures of {lane.title.toLowerCase()}"
        onclick={() => (workbench.chosen = { what: 'stave', id: name })}
        ><output>{read ? read.value : over}</output></Button
      >
    </div>
    <div class="set" class:back={taken}>
      <span {...term(taken ? 'What sets it over a range takes its place' : undefined)}>set at</span>
      <ValueField
        value={lane.set_value}
        {unit}
        label="{lane.title} set value"
        part={(patch) => patch.voice?.base?.[name]}
        low={lane.low}
        high={lane.high}
        width="auto"
        oncommit={(value, merge) =>
          setBase(name, Number(value), `${lane.title.toLowerCase()} set at ${shown(value, unit)}`, merge)}
      />
      {#if between && !read}<span class="moved">{between}</span>{/if}
      {#if read}<span class="moved">{read.moved}</span>{/if}
      {#if lane.clamped > 0}<span class="clamped" {...term('Share of the time held at an end of its range')}
          >held {Math.max(1, Math.round(lane.clamped * 100))} %</span
        >{/if}
      <Choice
        look="link"
        class={read === null ? '' : 'gone'}
        label="Add what moves {lane.title.toLowerCase()}"
        prompt="+ moved by…"
        options={sources.map((source) => [source, source.replace('_', ' ')] as const)}
        onchoose={(source) => addRoute(source, name)}
      />
    </div>
    {#if kept}<small class="kept">useful {usefulText(kept, unit)}</small>{/if}
    <div class="moving">
      {#each moving as route (route.id)}
        <RouteSentence {route} from="destination" />
      {/each}
    </div>
  </div>
  <div class="right">
    <div class="curve">
      <Plot {draw} />
      {#if live.state === 'on'}<Behind {name} {scale} />{/if}
    </div>
    {#if open}
      {#each moving as route (route.id)}
        <div class="ribbon">
          <Plot draw={(on) => drawRibbon(on, route.id, route.source)} />
          <span>{route.source.replace('_', ' ')}: {ribbonSays(route)}</span>
        </div>
      {/each}
    {/if}
  </div>
</section>

<style>
  .stave {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    flex-basis: 0;
    min-height: 96px;
    border-bottom: 1px solid var(--rule);
  }
  .left {
    padding: 4px 8px 2px 14px;
    min-width: 0;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  .stave.folded {
    min-height: 26px;
    flex-basis: 26px;
  }
  .folded .set,
  .folded .moving,
  .folded .right {
    display: none;
  }
  .places {
    display: none;
    gap: 3px;
    color: var(--faint);
    font-size: 12px;
  }
  .title:hover .places,
  .title:focus-within .places {
    display: flex;
  }
  .title {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    white-space: nowrap;
    line-height: 19px;
  }
  /* Where both do not fit the name gives way, never the figure. */
  .title > :global(button:first-child) {
    display: flex;
    min-width: 0;
  }
  .title b {
    font-size: 14.5px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .turn {
    display: inline-block;
    width: 13px;
    margin-left: -13px;
    font-size: 10px;
    color: var(--faint);
  }
  .stave :global(.reads) {
    flex: none;
  }
  output {
    display: block;
    font-weight: 500;
  }
  .set {
    display: flex;
    align-items: center;
    gap: 4px;
    font-size: 13px;
    color: var(--faint);
    white-space: nowrap;
  }
  .set :global(.field) {
    padding: 0 5px;
    line-height: 18px;
    font-size: 13px;
    border-color: transparent;
    background: none;
  }
  .set:hover :global(.field),
  .set :global(.field:focus) {
    border-color: var(--edge);
    background: var(--raised);
  }
  .set.back > span:first-child,
  .set.back :global(.field) {
    opacity: 0.6;
    text-decoration: line-through;
  }
  .moved,
  .set :global(select) {
    margin-left: auto;
  }
  .kept {
    display: block;
    font-size: 12px;
    line-height: 16px;
    color: var(--faint);
  }
  .folded .kept {
    display: none;
  }
  .clamped {
    padding-left: 6px;
    color: var(--madder);
  }
  .set :global(.gone) {
    display: none;
  }
  .right {
    display: flex;
    flex-direction: column;
    min-width: 0;
  }
  .curve {
    position: relative;
    flex: 1 1 0;
  }
  .ribbon {
    position: relative;
    height: 26px;
    border-top: 1px dotted var(--rule);
  }
  .ribbon span {
    position: absolute;
    right: 6px;
    top: 2px;
    font-size: 12px;
    color: var(--faint);
    background: color-mix(in srgb, var(--paper) 80%, transparent);
    padding: 0 3px;
    border-radius: 3px;
  }
</style>
