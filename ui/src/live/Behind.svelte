<script lang="ts" module>
  /** As often as it is drawn, beside whatever else the page does. */
  const EVERY_MS = 60;
  const draws = new Set<() => void>();
  let timer: ReturnType<typeof setInterval> | undefined;

  /** Draws again and again, all staves in one frame, until what is returned is called. */
  function keepDrawing(draw: () => void): () => void {
    draws.add(draw);
    // By a timer, not at every frame: a frame that is asked for is painted, whether anything is new on it or not.
    timer ??= setInterval(() => requestAnimationFrame(() => draws.forEach((each) => each())), EVERY_MS);
    return () => {
      draws.delete(draw);
      if (draws.size > 0) return;
      clearInterval(timer);
      timer = undefined;
    };
  }
</script>

<script lang="ts">
  import { placeOf } from '../api/sheet';
  import { inkOf, surface } from '../draw/draw';
  import type { Scale } from '../draw/scale';
  import { workbench } from '../state/workbench.svelte';
  import { live } from './playing-live';

  /** What the hand does, drawn over a stave while it is played: over the phrase in its place, else as it goes by. */
  let { name, scale }: { name: string; scale: Scale } = $props();
  let canvas: HTMLCanvasElement | undefined = $state();
  let width = $state(0);
  let height = $state(0);
  /** What lies further back than this share of what is shown is drawn fainter. */
  const FRESH = 0.5;

  function draw(): void {
    const { sheet } = workbench;
    const { session, now, drawn } = live;
    const on = canvas && surface(canvas, width, height);
    if (!on || !sheet || !session) return;
    const { context } = on;
    const span = (sheet.to_s - sheet.from_s) * session.rate;
    const turns = session.turn > 0 && now >= session.bars_from;
    const since = now - (turns ? session.turn : span);
    context.strokeStyle = inkOf('madder');
    context.lineWidth = 1.8;
    context.lineJoin = 'round';
    const first = drawn.findIndex(({ at }) => at >= since);
    if (first < 0) return;
    const middle = now - FRESH * (now - since);
    for (const [from, to, alpha] of [
      [since, middle, 0.35],
      [middle, now, 1]
    ] as const) {
      context.globalAlpha = alpha;
      context.beginPath();
      let before = Infinity;
      for (let i = first; i < drawn.length && drawn[i]!.at <= to; i++) {
        const { at, lanes } = drawn[i]!;
        const value = lanes[name];
        if (at < from) continue;
        if (value === undefined) {
          before = Infinity;
          continue;
        }
        const time = turns
          ? ((at - session.bars_from) % session.turn) / session.rate
          : sheet.to_s - (now - at) / session.rate;
        const x = placeOf(sheet, time) * on.width;
        const y = on.height * (1 - scale.at(value));
        // Where a turn ends, and where no voice sounded, a line of its own begins.
        if (x < before) context.moveTo(x, y);
        else context.lineTo(x, y);
        before = x;
      }
      context.stroke();
    }
    context.globalAlpha = 1;
  }

  $effect(() => {
    if (live.state === 'on') return keepDrawing(draw);
    return undefined;
  });
</script>

<div class="behind" bind:clientWidth={width} bind:clientHeight={height} data-drawn={name}>
  <canvas bind:this={canvas} aria-hidden="true"></canvas>
</div>

<style>
  .behind {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  canvas {
    position: absolute;
    width: 100%;
    height: 100%;
  }
</style>
