<script lang="ts">
  import { api, plain, taken, type Patch } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { inkOf, inks, labelled, line, ruled, type Surface } from '../lib/draw';
  import { figure, seconds, shown } from '../lib/format';
  import { player } from '../lib/player.svelte';
  import { revisions, revisionPatch } from '../lib/library';
  import { laneScale } from '../lib/scale';
  import type { components } from '../lib/schema.gen';
  import { extentOf, unpackRow, type Lane, type Row } from '../lib/sheet';
  import Plot from './Plot.svelte';

  /** The same patch at a ladder of something, or beside its versions: staves, figures and their differences. */
  type Comparison = components['schemas']['Comparison'];
  const LADDERS: {
    name: string;
    by: 'velocity' | 'key' | 'length_s' | 'tempo_bpm' | 'seed';
    steps: () => number[];
    unit: string;
  }[] = [
    { name: 'soft, middle, hard', by: 'velocity', steps: () => [40, 80, 118], unit: 'velocity' },
    {
      name: 'velocity 1 to 127',
      by: 'velocity',
      steps: () => Array.from({ length: 16 }, (_, i) => Math.round(1 + i * 8.4)),
      unit: 'velocity'
    },
    {
      name: 'keys, an octave apart',
      by: 'key',
      steps: () => [-24, -12, 0, 12, 24].map((d) => bench.key + d).filter((k) => k >= 0 && k <= 127),
      unit: 'key'
    },
    {
      name: 'short to long',
      by: 'length_s',
      steps: () => [0.25, 0.5, 1, 2].map((f) => f * (bench.note.length_s ?? 1)),
      unit: 's'
    },
    {
      name: 'tempos',
      by: 'tempo_bpm',
      steps: () => [0.5, 0.75, 1, 1.5, 2].map((f) => Math.round(f * bench.tempo)),
      unit: 'bpm'
    },
    { name: 'seeds', by: 'seed', steps: () => [1, 2, 3, 4], unit: 'count' }
  ];
  const DASHES: number[][] = [[], [8, 3], [2, 3], [9, 3, 2, 3], [12, 4], [4, 2]];
  const DYES = ['woad', 'weld', 'madder', 'lichen', 'walnut'];

  let chosen = $state('0');
  let found = $state.raw<Comparison | null>(null);
  let patches: Patch[] = $state.raw([]);
  let trouble = $state('');
  let busy = $state(false);
  let abort: AbortController | null = null;
  let stave = $state('cutoff');
  let measure: 'settle' | 'peak' | 'peak_s' | 'at_off' | 'least' = $state('settle');

  const ladder = $derived(LADDERS[Number(chosen)]);
  const names = $derived(
    found ? Object.keys(found.titles).filter((name) => !name.includes('.') && !name.startsWith('route:')) : []
  );
  const rows = $derived.by(() => {
    if (!found) return {};
    return Object.fromEntries(
      names.map((name) => [name, found!.steps.map((step) => (step.lanes[name] ? unpackRow(step.lanes[name]!) : null))])
    ) as Record<string, (Row | null)[]>;
  });

  async function refresh(): Promise<void> {
    const { patch } = bench;
    if (!patch) return;
    abort?.abort();
    const mine = (abort = new AbortController());
    busy = true;
    try {
      const steps = ladder ? ladder.steps() : [];
      let others: Patch[] = [];
      if (!ladder) {
        const kept = (await revisions()).slice(0, 5);
        others = await Promise.all(kept.map((revision) => revisionPatch(revision.number)));
      }
      const body = {
        document: plain(patch),
        by: ladder?.by ?? ('velocity' as const),
        steps,
        others: others.map((other) => plain({ ...other, performance: patch.performance })),
        columns: 300
      };
      const answer = await taken(api.POST('/api/compare', { body, signal: mine.signal }));
      if (mine !== abort) return;
      found = answer as Comparison;
      patches = ladder ? steps.map(() => patch) : [patch, ...others];
      trouble = '';
      if (!names.includes(stave)) stave = names[0] ?? 'pitch';
      performance.mark('jorvik:compared');
    } catch (error) {
      if (!(error instanceof DOMException)) trouble = error instanceof Error ? error.message : String(error);
    }
    if (mine === abort) busy = false;
  }
  $effect(() => {
    void [bench.patch, chosen];
    void refresh();
  });

  const label = (i: number): string => {
    if (!found) return '';
    if (!ladder) return i === 0 ? 'present' : `version ${i}`;
    const value = Number(found.steps[i]!.label);
    return ladder.by === 'velocity' ? figure(value) : shown(value, ladder.unit);
  };
  const colour = (i: number): string => DYES[i % DYES.length]!;

  function draw(on: Surface, name: string): void {
    if (!found) return;
    const all = (rows[name] ?? []).filter((row): row is Row => row !== null);
    if (all.length === 0) return;
    const ends = all.map((row) => extentOf(row));
    const at = bench.catalogue?.destinations.find((d) => d.name === name);
    const lane = {
      unit: at?.unit ?? 'ratio',
      low: at?.low ?? 0,
      high: at?.high ?? 1,
      least: Math.min(...ends.map(([low]) => low)),
      greatest: Math.max(...ends.map(([, high]) => high)),
      set_value: ends[0]![0]
    } as Lane;
    const scale = laneScale(name, lane, bench.key);
    const ink = inks();
    ruled(on, scale, ink);
    const longest = Math.max(...found.steps.map((step) => step.seconds));
    rows[name]!.forEach((row, i) => {
      if (!row) return;
      const wide = { ...on, width: (on.width * found!.steps[i]!.seconds) / longest };
      const many = found!.steps.length > 6;
      on.context.globalAlpha = many ? 0.35 + (0.65 * i) / found!.steps.length : 1;
      line(
        wide,
        row,
        scale,
        inkOf(many ? 'ink' : colour(i)),
        i === rows[name]!.length - 1 ? 2 : 1.6,
        many ? [] : DASHES[i % DASHES.length]
      );
    });
    on.context.globalAlpha = 1;
    labelled(on, scale, ink);
  }

  /** A figure against the ladder: settle against velocity, and so on. */
  function drawCurve(on: Surface): void {
    if (!found || !ladder) return;
    const points = found.steps.flatMap((step, i) => {
      const of = step.measures.lanes[stave]?.measures;
      const value = of ? (measure === 'settle' ? (of.settle ?? of.at_off) : of[measure]) : undefined;
      return value === undefined ? [] : [{ x: Number(found!.steps[i]!.label), y: value }];
    });
    if (points.length < 2) return;
    const { context, width, height } = on;
    const log = found.units[stave] === 'Hz' && measure !== 'peak_s';
    const value = (v: number): number => (log ? Math.log2(Math.max(v, 1e-6)) : v);
    const ys = points.map((p) => value(p.y));
    const [low, high] = [Math.min(...ys), Math.max(...ys)];
    const [first, last] = [Math.min(...points.map((p) => p.x)), Math.max(...points.map((p) => p.x))];
    const px = (v: number): number => 14 + ((v - first) / (last - first || 1)) * (width - 28);
    const py = (v: number): number => height - 24 - ((value(v) - low) / (high - low || 1)) * (height - 46);
    context.strokeStyle = inkOf('ink');
    context.lineWidth = 1.8;
    context.beginPath();
    points.forEach((p) => context.lineTo(px(p.x), py(p.y)));
    context.stroke();
    context.fillStyle = inkOf('madder');
    context.font = "11.5px 'Atkinson Hyperlegible Next Variable', sans-serif";
    context.textAlign = 'center';
    points.forEach((p, i) => {
      context.fillRect(px(p.x) - 2.5, py(p.y) - 2.5, 5, 5);
      if (points.length <= 6 || i % 5 === 0) {
        context.fillStyle = inkOf('faint');
        context.fillText(label(i), px(p.x), height - 6);
        context.fillText(unitText(p.y), Math.max(24, Math.min(width - 24, px(p.x))), py(p.y) - 8);
        context.fillStyle = inkOf('madder');
      }
    });
  }
  const unitText = (v: number): string =>
    measure === 'peak_s'
      ? seconds(v)
      : shown(Number(v.toPrecision(3)), stave === 'pitch' ? 'st' : (found?.units[stave] ?? ''));

  const FIGURES = [
    ['peak', 'peak'],
    ['peak_s', 'peak after'],
    ['settle', 'settles at'],
    ['at_off', 'at note-off'],
    ['least', 'least']
  ] as const;
  function cell(i: number, key: (typeof FIGURES)[number][0]): string {
    const of = found?.steps[i]?.measures.lanes[stave]?.measures;
    if (!of) return '–';
    if (key === 'settle' && of.settle === null) return 'moving';
    const value = key === 'settle' ? of.settle! : of[key];
    return key === 'peak_s'
      ? seconds(value)
      : shown(Number(value.toPrecision(4)), stave === 'pitch' ? 'st' : found!.units[stave]!);
  }
  function difference(i: number, key: (typeof FIGURES)[number][0]): string {
    if (i === 0 || !found) return '';
    const value = (n: number): number | null => {
      const of = found!.steps[n]?.measures.lanes[stave]?.measures;
      return of ? of[key] : null;
    };
    const [a, b] = [value(0), value(i)];
    if (a === null || b === null) return '';
    if (key === 'peak_s') return b === a ? '' : `${b > a ? '+' : ''}${seconds(b - a)}`;
    if (found.units[stave] === 'Hz') {
      const st = 12 * Math.log2(b / a);
      return Math.abs(st) < 0.005 ? '' : `${st > 0 ? '+' : ''}${figure(st, 3)} st`;
    }
    const gap = b - a;
    return Math.abs(gap) < 1e-6
      ? ''
      : `${gap > 0 ? '+' : ''}${shown(Number(gap.toPrecision(3)), stave === 'pitch' ? 'st' : found.units[stave]!)}`;
  }

  /** Plays a step; its loudness is brought to that of the quietest step by the player. */
  function play(i: number): void {
    if (!found) return;
    const value = Number(found.steps[i]!.label);
    if (!ladder) void player.sound(patches[i]!, {}, true);
    else if (ladder.by === 'velocity') void player.sound(bench.patch!, { velocity: value }, true);
    else if (ladder.by === 'key') void player.sound(bench.patch!, { key: value }, true);
    else if (ladder.by === 'length_s') void player.sound(bench.patch!, { length_s: value }, true);
    else void player.sound(stepPatch(i), {}, true);
  }
  function stepPatch(i: number): Patch {
    if (!found || !bench.patch || !ladder) return patches[i]!;
    const value = Number(found.steps[i]!.label);
    const performance = { ...bench.patch.performance };
    if (ladder.by === 'tempo_bpm' || ladder.by === 'seed')
      return { ...bench.patch, performance: { ...performance, [ladder.by]: value } };
    const notes = (performance.notes ?? [{}]).map((note) => ({ ...note, [ladder.by]: value }));
    return { ...bench.patch, performance: { ...performance, notes } };
  }
  function hold(i: number): void {
    bench.holdGhost(label(i), stepPatch(i));
    bench.view = 'note';
  }
</script>

<div class="compare">
  <div class="bar">
    <span>Compare</span>
    <select class="quiet" aria-label="What is compared" bind:value={chosen}>
      {#each LADDERS as option, i (option.name)}<option value={String(i)}>{option.name}</option>{/each}
      <option value="versions">saved versions</option>
    </select>
    {#if busy}<span class="busy" role="status"
        >Tracing… <button
          class="bare"
          onclick={() => {
            abort?.abort();
            busy = false;
          }}>stop</button
        ></span
      >{/if}
    {#if found && found.steps.length <= 6}
      <span class="legend">
        {#each found.steps as _, i (i)}
          <span
            ><svg width="24" height="7" aria-hidden="true"
              ><line
                x1="0"
                x2="24"
                y1="4"
                y2="4"
                stroke="var(--{colour(i)})"
                stroke-width="2"
                stroke-dasharray={DASHES[i % DASHES.length]!.join(' ')}
              /></svg
            >
            {label(i)}</span
          >
        {/each}
      </span>
    {/if}
  </div>
  {#if trouble}
    <p class="trouble" role="alert">{trouble}</p>
  {/if}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="staves" role="region" aria-label="Staves of every step" tabindex="0">
    {#each names as name (name)}
      <div class="stave" class:on={name === stave}>
        <button class="bare left" aria-pressed={name === stave} onclick={() => (stave = name)}
          ><b>{found?.titles[name]}</b></button
        >
        <div class="right" role="img" aria-label="{found?.titles[name]} at every step">
          <Plot draw={(on) => draw(on, name)} />
        </div>
      </div>
    {:else}
      {#if !busy && !trouble}<p class="none">Nothing moves, so there is nothing to compare yet.</p>{/if}
    {/each}
  </div>
  {#if found}
    <div class="lower">
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="figures-of" role="region" aria-label="Figures of every step" tabindex="0">
        <table>
          <caption>{found.titles[stave] ?? ''}, and the difference from the first</caption>
          <thead>
            <tr
              ><th></th>{#each FIGURES as [, name] (name)}<th>{name}</th>{/each}<th></th></tr
            >
          </thead>
          <tbody>
            {#each found.steps as _, i (i)}
              <tr>
                <td><b>{label(i)}</b></td>
                {#each FIGURES as [key] (key)}<td>{cell(i, key)} <small>{difference(i, key)}</small></td>{/each}
                <td class="acts">
                  <button class="bare" aria-label="Play {label(i)}" onclick={() => play(i)}>play</button>
                  <button class="bare" aria-label="Hold {label(i)} as ghost" onclick={() => hold(i)}>ghost</button>
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
      {#if ladder}
        <div class="curve">
          <select class="link-select" aria-label="Figure against {ladder.by}" bind:value={measure}>
            {#each FIGURES as [key, name] (key)}<option value={key}>{name}, against {ladder.name}</option>{/each}
          </select>
          <div class="plot" role="img" aria-label="{measure} of {stave} against {ladder.name}">
            <Plot draw={drawCurve} />
          </div>
        </div>
      {/if}
    </div>
  {/if}
</div>

<style>
  .compare {
    height: 100%;
    display: flex;
    flex-direction: column;
    background: var(--paper);
    border: 1px solid var(--rule);
    border-radius: 7px;
    overflow: hidden;
  }
  .bar {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 5px 14px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
    color: var(--faint);
  }
  .legend {
    display: flex;
    gap: 14px;
    margin-left: auto;
  }
  .legend svg {
    display: inline;
  }
  .staves {
    flex: 1.5 1 0;
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow: auto;
  }
  .stave {
    flex: 1 0 78px;
    display: grid;
    grid-template-columns: 170px 1fr;
    border-bottom: 1px solid var(--rule);
  }
  .stave.on .left {
    background: var(--chosen);
  }
  .left {
    padding: 5px 14px;
    display: flex;
  }
  .right,
  .plot {
    position: relative;
  }
  .lower {
    flex: 1 1 0;
    min-height: 170px;
    display: grid;
    grid-template-columns: minmax(0, 1.7fr) 1fr;
    border-top: 1px solid var(--edge);
  }
  .figures-of {
    overflow: auto;
    scrollbar-width: thin;
  }
  table {
    width: 100%;
    font-size: 13px;
  }
  caption {
    text-align: left;
    padding: 4px 14px;
    font-weight: 600;
    color: var(--faint);
  }
  th {
    text-align: right;
    font-weight: 400;
    color: var(--faint);
    padding: 0 10px;
  }
  td {
    text-align: right;
    padding: 1px 10px;
    white-space: nowrap;
  }
  td:first-child {
    text-align: left;
    padding-left: 14px;
  }
  small {
    color: var(--faint);
    font-size: 12px;
  }
  .acts {
    color: var(--faint);
  }
  .curve {
    display: flex;
    flex-direction: column;
    border-left: 1px solid var(--rule);
    padding: 5px 0 0;
  }
  .curve select {
    padding: 0 12px;
  }
  .plot {
    flex: 1;
  }
  .trouble {
    color: var(--madder);
    padding: 6px 14px;
    margin: 0;
  }
  .none {
    padding: 12px 14px;
    color: var(--faint);
  }
</style>
