<script lang="ts">
  import { hertz, shown } from '../common/format';
  import Plot from '../common/Plot.svelte';
  import { brokenLine, inkOf, inks, SMALL_FONT, type Surface } from '../draw/draw';
  import { placeOf, roundValues, stepAt, valueAt, type Range } from './range';

  /** Every figure over a sweep, on one axis: brightness over a quiet picture of the bands, then level, sharpness, low. */
  interface Props {
    range: Range;
    /** The step that is pointed at. */
    step: number | null;
    /** Between which values it is useful. */
    ends: readonly [number, number] | null;
    onpoint: (step: number | null, hear: boolean) => void;
    onend: (which: 0 | 1, value: number) => void;
  }
  let { range, step, ends, onpoint, onend }: Props = $props();

  const FOOT = 22;
  /** Above a curve, where its title stands. */
  const HEAD = 17;
  const TICKS = 10;
  const QUIET_DB = 60;
  const LOUDEST_ALPHA = 0.42;
  const [LOWEST_HZ, HIGHEST_HZ] = [30, 16_000];
  /** How much of the height each strip has. */
  const SHARES = { bright: 0.5, loud: 0.2, sharp: 0.15, low: 0.15 } as const;

  const x = (value: number): number => placeOf(range, value);
  const inUnit = (value: number): string => shown(Number(value.toPrecision(3)), range.unit);
  const marks = $derived(
    (
      [
        ['starts', range.starts_at],
        ['stops', range.stops_at],
        ['thin', range.thin_from],
        ['harsh', range.harsh_from]
      ] as const
    ).flatMap(([name, value]) => (value === null ? [] : [{ name, value }]))
  );

  interface Strip {
    title: string;
    top: number;
    height: number;
    least: number;
    greatest: number;
    at: (i: number) => number | null;
    ticks: readonly (readonly [number, string])[];
  }

  function strips(height: number): Strip[] {
    const all = height - FOOT;
    const { steps } = range;
    const lufs = steps.map((s) => s.loudness_lufs);
    const loudest = Math.max(...lufs);
    const acum = steps.map((s) => s.sharpness_acum ?? 0);
    const lows = steps.map((s) => Math.max(s.low_db, -30));
    const sharpest = Math.max(2.2, ...acum);
    const deepest = Math.min(-6, ...lows);
    const bright = all * SHARES.bright;
    const loud = all * SHARES.loud;
    const sharp = all * SHARES.sharp;
    return [
      {
        title: 'brightness',
        top: 0,
        height: bright,
        least: Math.log2(LOWEST_HZ),
        greatest: Math.log2(HIGHEST_HZ),
        at: (i) => Math.log2(Math.max(steps[i]!.centroid_hz, LOWEST_HZ)),
        ticks: [100, 1000, 10_000].map((hz) => [Math.log2(hz), hertz(hz, 2)])
      },
      {
        title: 'loudness',
        top: bright,
        height: loud,
        least: Math.max(loudest - 48, Math.min(...lufs)) - 2,
        greatest: loudest + 2,
        at: (i) => Math.max(lufs[i]!, loudest - 50),
        ticks: [[loudest, `${loudest.toFixed(0)} LUFS`.replace('-', '−')]]
      },
      {
        title: 'sharpness',
        top: bright + loud,
        height: sharp,
        least: 0,
        greatest: sharpest,
        at: (i) => steps[i]!.sharpness_acum,
        ticks: [[2, '2 acum']]
      },
      {
        title: 'under the octave',
        top: bright + loud + sharp,
        height: all * SHARES.low,
        least: deepest - 1,
        greatest: 1,
        at: (i) => lows[i]!,
        ticks: [
          [0, '0 dB'],
          [-6, '−6']
        ]
      }
    ];
  }

  /** The bands behind: the darker, the louder; a column for each step. */
  function picture(on: Surface, height: number): void {
    const { steps, band_hz: centres } = range;
    const loudest = Math.max(...steps.flatMap((s) => s.bands_db));
    const edges = steps.map((s) => x(s.value) * on.width);
    const y = (hz: number): number => height * (1 - Math.log2(hz / LOWEST_HZ) / Math.log2(HIGHEST_HZ / LOWEST_HZ));
    on.context.fillStyle = inkOf('walnut');
    steps.forEach((s, i) => {
      const left = i === 0 ? 0 : (edges[i - 1]! + edges[i]!) / 2;
      const right = i + 1 === steps.length ? on.width : (edges[i]! + edges[i + 1]!) / 2;
      s.bands_db.forEach((db, band) => {
        const share = 1 + (db - loudest) / QUIET_DB;
        if (share <= 0) return;
        const [low, high] = [
          band === 0 ? LOWEST_HZ : Math.sqrt(centres[band - 1]! * centres[band]!),
          band + 1 === centres.length ? HIGHEST_HZ : Math.sqrt(centres[band]! * centres[band + 1]!)
        ];
        on.context.globalAlpha = LOUDEST_ALPHA * share ** 1.6;
        const [l, r, t, b] = [left, right, y(high), y(low)].map(Math.round) as [number, number, number, number];
        on.context.fillRect(l, t, r - l, b - t);
      });
    });
    on.context.globalAlpha = 1;
  }

  function draw(on: Surface): void {
    const { context, height } = on;
    const ink = inks();
    const all = strips(height);
    picture(on, all[0]!.height);
    context.font = SMALL_FONT;
    context.textBaseline = 'middle';
    for (const strip of all) {
      const y = (value: number): number =>
        strip.top +
        strip.height -
        3 -
        ((value - strip.least) / (strip.greatest - strip.least || 1)) * (strip.height - 3 - (strip.top > 0 ? HEAD : 0));
      context.fillStyle = ink.rule;
      if (strip.top > 0) context.fillRect(0, strip.top, on.width, 1);
      context.textAlign = 'right';
      for (const [value, label] of strip.ticks) {
        context.fillStyle = ink.rule;
        context.fillRect(0, Math.round(y(value)), on.width, 1);
        context.fillStyle = ink.faint;
        context.fillText(
          label,
          on.width - 5,
          Math.min(Math.max(y(value), strip.top + 8), strip.top + strip.height - 7)
        );
      }
      const values = range.steps.map((_, i) => strip.at(i));
      brokenLine(on, values, (value, i) => [x(range.steps[i]!.value) * on.width, y(value)], ink.ink, 1.8);
    }
    // What is not useful stands back.
    const shade = (from: number, to: number): void => {
      context.globalAlpha = 0.55;
      context.fillStyle = ink.paper;
      context.fillRect(from * on.width, 0, (to - from) * on.width, height - FOOT);
      context.globalAlpha = 1;
    };
    if (ends) {
      const [from, to] = ends.map((value) => Math.max(0, Math.min(1, x(value)))) as [number, number];
      shade(0, from);
      shade(to, 1);
    }
    context.textAlign = 'left';
    context.fillStyle = ink.faint;
    for (const { title, top } of all) context.fillText(title, 7, top + 9);
    context.textAlign = 'center';
    for (const value of roundValues(range, TICKS)) {
      const px = x(value) * on.width;
      context.fillStyle = ink.edge;
      context.fillRect(Math.round(px), height - FOOT, 1, 4);
      context.fillStyle = ink.faint;
      context.fillText(inUnit(value), Math.min(Math.max(px, 22), on.width - 26), height - 9);
    }
  }

  const placed = (event: PointerEvent & { currentTarget: HTMLElement }): number => {
    const box = event.currentTarget.getBoundingClientRect();
    return (event.clientX - box.left) / box.width;
  };
  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (event.type === 'pointerdown') event.currentTarget.setPointerCapture(event.pointerId);
    onpoint(stepAt(range, placed(event)), event.buttons > 0);
  }
  const moved = (key: string): number => ({ ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 })[key] ?? 0;
  function onkeydown(event: KeyboardEvent): void {
    const by = moved(event.key);
    if (!by && event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation();
    const now = step ?? 0;
    onpoint(Math.max(0, Math.min(range.steps.length - 1, now + by)), event.key === 'Enter' || event.shiftKey);
  }
  function pull(which: 0 | 1, event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (event.type === 'pointerdown') event.currentTarget.setPointerCapture(event.pointerId);
    if (event.buttons === 0) return;
    const box = event.currentTarget.parentElement!.getBoundingClientRect();
    onend(which, valueAt(range, (event.clientX - box.left) / box.width));
  }
  function nudge(which: 0 | 1, event: KeyboardEvent): void {
    const by = moved(event.key);
    if (!by || !ends) return;
    event.preventDefault();
    event.stopPropagation();
    onend(which, valueAt(range, x(ends[which]) + by * (event.shiftKey ? 0.002 : 0.01)));
  }
  const said = $derived.by(() => {
    const at = step === null ? undefined : range.steps[step];
    return at
      ? `${inUnit(at.value)}, ${hertz(at.centroid_hz, 3)} bright, ${at.loudness_lufs.toFixed(1)} LUFS`
      : 'no step';
  });
</script>

<!-- The picture is one slider: it moves from step to step, and Enter or a press lets the step be heard. -->
<div class="range">
  <div
    class="picture"
    role="slider"
    tabindex="0"
    aria-label="Step of the sweep of {range.title.toLowerCase()}"
    aria-valuemin={0}
    aria-valuemax={range.steps.length - 1}
    aria-valuenow={step ?? 0}
    aria-valuetext={said}
    onpointerdown={point}
    onpointermove={point}
    onpointerup={() => onpoint(step, false)}
    onpointercancel={() => onpoint(step, false)}
    onpointerleave={(event) => event.buttons === 0 && onpoint(null, false)}
    {onkeydown}
    onkeyup={() => onpoint(step, false)}
    onblur={() => onpoint(step, false)}
  >
    <Plot {draw} />
  </div>
  {#each marks as { name, value } (name)}
    <i class="mark" style:left="{x(value) * 100}%"><span>{name} {inUnit(value)}</span></i>
  {/each}
  {#if step !== null && range.steps[step]}
    <i class="cursor" style:left="{x(range.steps[step]!.value) * 100}%"></i>
  {/if}
  {#if ends}
    {#each [0, 1] as const as which (which)}
      <div
        class="end"
        class:upper={which === 1}
        role="slider"
        tabindex="0"
        aria-label="{which === 0 ? 'Lower' : 'Upper'} end of the useful range"
        aria-valuenow={ends[which]}
        aria-valuetext={inUnit(ends[which])}
        style:left="{Math.max(0, Math.min(1, x(ends[which]))) * 100}%"
        onpointerdown={(event) => pull(which, event)}
        onpointermove={(event) => pull(which, event)}
        onkeydown={(event) => nudge(which, event)}
      ></div>
    {/each}
  {/if}
</div>

<style>
  .range,
  .picture {
    position: absolute;
    inset: 0;
  }
  .picture {
    cursor: crosshair;
    touch-action: none;
  }
  .mark,
  .cursor {
    position: absolute;
    top: 0;
    bottom: 22px;
    width: 0;
    pointer-events: none;
  }
  .mark {
    border-left: 1px dashed var(--faint);
  }
  .mark span {
    position: absolute;
    left: 3px;
    font-size: 12px;
    font-style: normal;
    line-height: 15px;
    white-space: nowrap;
    padding: 0 3px;
    color: var(--ink);
    background: color-mix(in srgb, var(--paper) 82%, transparent);
    border-radius: 3px;
  }
  /* Those that lie beside each other stand under each other. */
  .mark:nth-of-type(1) span {
    top: 18px;
  }
  .mark:nth-of-type(2) span {
    top: 34px;
    left: auto;
    right: 3px;
  }
  .mark:nth-of-type(3) span {
    top: 50px;
  }
  .mark:nth-of-type(4) span {
    top: 66px;
  }
  .cursor {
    border-left: 1px solid var(--madder);
  }
  .end {
    position: absolute;
    top: 0;
    bottom: 22px;
    width: 11px;
    margin-left: -5px;
    cursor: ew-resize;
    touch-action: none;
  }
  .end::after {
    content: '';
    position: absolute;
    inset: 0 5px;
    background: var(--ink);
  }
  .end::before {
    content: '';
    position: absolute;
    bottom: 0;
    left: 0;
    border: 5.5px solid transparent;
    border-bottom: 8px solid var(--ink);
  }
</style>
