<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import { inWords, measured, MEASURES, stepLabel, type Sweep, type Measure } from './compared';
  import type { Comparing } from './comparing.svelte';
  import { inkOf, SMALL_FONT, stroked, type Surface } from '../draw/draw';
  import Plot from '../common/Plot.svelte';

  /** A figure of a stave against the sweep: what it settles at against velocity, and so on. */
  let { of, sweep, stave }: { of: Comparing; sweep: Sweep; stave: string } = $props();
  let measure: Measure = $state('settle');

  const SIDE = 30;
  const TOP = 22;
  const FOOT = 24;
  /** With more steps than this, each fifth is labelled. */
  const ALL_LABELLED = 6;

  /** A lane that is still moving has not settled: it stands where it is at note-off, its mark hollow. */
  const points = $derived(
    of.steps
      .flatMap(({ facts }) => {
        const value = measured(facts, stave, measure);
        const moving = value == null && measure === 'settle';
        const y = moving ? measured(facts, stave, 'at_off') : value;
        return y == null ? [] : [{ x: Number(facts.label), y, moving }];
      })
      .sort((a, b) => a.x - b.x)
  );
  const inUnit = (value: number): string => inWords(value, of.units[stave] ?? '', measure, 3);
  /** The curve in words, for who cannot see it. */
  const said = $derived(points.map(({ x, y }) => `${stepLabel(sweep, x)} ${inUnit(y)}`).join(', '));
  const hollow = $derived(points.some((p) => p.moving));

  function draw(on: Surface): void {
    if (points.length < 2) return;
    const { context, width, height } = on;
    const log = of.units[stave] === 'Hz' && measure !== 'peak_s';
    const value = (v: number): number => (log ? Math.log2(Math.max(v, 1e-6)) : v);
    const ys = points.map((p) => value(p.y));
    const xs = points.map((p) => p.x);
    const [low, high, first, last] = [Math.min(...ys), Math.max(...ys), Math.min(...xs), Math.max(...xs)];
    const px = (v: number): number => SIDE + ((v - first) / (last - first || 1)) * (width - 2 * SIDE);
    const py = (v: number): number => height - FOOT - ((value(v) - low) / (high - low || 1)) * (height - FOOT - TOP);
    stroked(on, points, (p) => [px(p.x), py(p.y)], inkOf('ink'), 1.8);
    context.font = SMALL_FONT;
    context.textAlign = 'center';
    /** Where the last label of a value ended, and how high it stood: those that would lie over it are left out. */
    let [end, level] = [-Infinity, 0];
    points.forEach((p, i) => {
      context.fillStyle = inkOf('madder');
      context.fillRect(px(p.x) - 3, py(p.y) - 3, 6, 6);
      context.fillStyle = inkOf('paper');
      if (p.moving) context.fillRect(px(p.x) - 1.5, py(p.y) - 1.5, 3, 3);
      if (points.length > ALL_LABELLED && i % 5 !== 0) return;
      context.fillStyle = inkOf('faint');
      context.fillText(stepLabel(sweep, p.x), px(p.x), height - 6);
      const [text, at] = [inUnit(p.y), py(p.y) - 8];
      const half = context.measureText(text).width / 2;
      if (px(p.x) - half < end + 4 && Math.abs(at - level) < 12) return;
      context.fillText(text, Math.min(Math.max(px(p.x), half), width - half), at);
      [end, level] = [px(p.x) + half, at];
    });
  }
</script>

<div class="curve">
  <Choice
    look="link"
    label="Figure against {sweep.by}"
    value={measure}
    options={MEASURES.map(([key, name]) => [key, `${name}, step by step`] as const)}
    onchoose={(key) => (measure = key as typeof measure)}
  />
  {#if hollow}<small>hollow: still moving, the value at note-off</small>{/if}
  <div class="plot" role="img" aria-label="{measure} of {stave} against {sweep.name}: {said}"><Plot {draw} /></div>
</div>

<style>
  .curve {
    display: flex;
    flex-direction: column;
    border-left: 1px solid var(--rule);
    padding: 5px 0 0;
  }
  .curve :global(select) {
    padding: 0 12px;
  }
  small {
    padding: 0 14px;
    color: var(--faint);
    font-size: 12px;
  }
  .plot {
    position: relative;
    flex: 1;
  }
</style>
