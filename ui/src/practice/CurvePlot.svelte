<script lang="ts">
  import { seconds, shown } from '../common/format';
  import { boxOf, pathOf, readAt } from './curves';
  import type { Curve } from './practice.svelte';

  /** One destination over a note: the curve, what lies behind it, and what it reads where it is pointed at. */
  interface Props {
    curve: Curve;
    /** Another on the same scale, dashed: what is to be reached, or what was right. */
    behind?: Curve | undefined;
    /** Moments that are marked, in seconds. */
    marks?: readonly number[];
    tall?: number;
    still?: boolean;
    /** A moment in seconds that is looked at. */
    pointed?: number | null;
  }
  let { curve, behind, marks = [], tall = 110, still = false, pointed = null }: Props = $props();
  const WIDE = 600;
  const box = $derived(boxOf(behind ? [curve, behind] : [curve]));
  let at = $state(0.25);
  $effect(() => {
    if (pointed !== null) at = pointed / box.seconds;
  });
  const read = $derived(readAt(curve, box, at));
  const x = $derived((read.seconds / box.seconds) * WIDE);

  function point(event: PointerEvent & { currentTarget: SVGElement }): void {
    const rect = event.currentTarget.getBoundingClientRect();
    at = Math.min(Math.max((event.clientX - rect.left) / rect.width, 0), 1);
  }
  function onkeydown(event: KeyboardEvent): void {
    const by = { ArrowLeft: -0.005, ArrowRight: 0.005 }[event.key];
    if (!by || still) return;
    at = Math.min(Math.max(at + (event.shiftKey ? 10 : 1) * by, 0), 1);
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<figure>
  {#if !still}
    <figcaption>
      <b>{curve.title}</b>
      <span class="read">{shown(Number(read.value.toPrecision(4)), curve.unit)} at {seconds(read.seconds)}</span>
    </figcaption>
  {/if}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <svg
    viewBox="0 0 {WIDE} {tall}"
    preserveAspectRatio="none"
    style:height="{tall}px"
    role={still ? 'img' : 'slider'}
    aria-label="{curve.title}: from {shown(Number(box.low.toPrecision(3)), curve.unit)} to {shown(
      Number(box.high.toPrecision(3)),
      curve.unit
    )}"
    aria-valuenow={still ? undefined : read.seconds}
    aria-valuetext={still
      ? undefined
      : `${shown(Number(read.value.toPrecision(4)), curve.unit)} at ${seconds(read.seconds)}`}
    tabindex={still ? undefined : 0}
    onpointermove={still ? undefined : point}
    {onkeydown}
  >
    {#each marks as mark, i (i)}<line
        x1={(mark / box.seconds) * WIDE}
        x2={(mark / box.seconds) * WIDE}
        y1="0"
        y2={tall}
        class="mark"
      />{/each}
    {#if behind}<path d={pathOf(behind, box, WIDE, tall)} class="behind" />{/if}
    <path d={pathOf(curve, box, WIDE, tall)} class="curve" />
    {#if !still}<line x1={x} x2={x} y1="0" y2={tall} class="cursor" />{/if}
  </svg>
</figure>

<style>
  figure {
    margin: 0 0 8px;
  }
  figcaption {
    font-size: 13px;
    display: flex;
    justify-content: space-between;
  }
  .read {
    color: var(--faint);
    font-variant-numeric: tabular-nums;
  }
  svg {
    display: block;
    width: 100%;
    background: var(--paper);
    border: 1px solid var(--rule);
  }
  path {
    fill: none;
    vector-effect: non-scaling-stroke;
  }
  .curve {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .behind {
    stroke: var(--woad);
    stroke-width: 1.6;
    stroke-dasharray: 5 4;
  }
  line {
    vector-effect: non-scaling-stroke;
  }
  .cursor {
    stroke: var(--faint);
    stroke-dasharray: 2 3;
  }
  .mark {
    stroke: var(--madder);
  }
</style>
