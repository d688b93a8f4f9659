<script lang="ts">
  import { surface, type Surface } from '../draw/draw';
  import { settings } from '../state/settings.svelte';

  /** A canvas that fills its place and is drawn anew when its size, the theme or what it draws changes. */
  let { draw }: { draw: (on: Surface) => void } = $props();
  let canvas: HTMLCanvasElement | undefined = $state();
  let width = $state(0);
  let height = $state(0);

  $effect(() => {
    void settings.dark;
    if (!canvas) return;
    const on = surface(canvas, width, height);
    if (on) draw(on);
  });
</script>

<div class="plot" bind:clientWidth={width} bind:clientHeight={height}>
  <canvas bind:this={canvas} aria-hidden="true"></canvas>
</div>

<style>
  .plot {
    position: absolute;
    inset: 0;
    overflow: hidden;
  }
  canvas {
    position: absolute;
    width: 100%;
    height: 100%;
  }
</style>
