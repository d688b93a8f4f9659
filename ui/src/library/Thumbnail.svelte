<script lang="ts">
  /** A note's four staves, small: what moves is drawn dark, what stands still faint; a tick where the key is let go. */
  interface Picture {
    off: number;
    staves: Record<string, number[]>;
    moved: string[];
  }
  let { picture, name }: { picture: Picture | null; name: string } = $props();

  const WIDE = 118;
  const TALL = 9;
  const GAP = 3;

  const strips = $derived(
    Object.entries(picture?.staves ?? {}).map(([stave, heights], place) => {
      const top = place * (TALL + GAP) + 1;
      const step = WIDE / Math.max(1, heights.length - 1);
      const points = heights.map((h, i) => `${(i * step).toFixed(1)},${(top + TALL * (1 - h / 100)).toFixed(1)}`);
      return { stave, top, points: points.join(' '), moves: picture?.moved.includes(stave) ?? false };
    })
  );
  const moves = $derived(picture?.moved.map((stave) => stave.replace('_', ' ')).join(', '));
</script>

<svg
  viewBox="0 0 {WIDE} {4 * (TALL + GAP)}"
  role="img"
  data-hint="From above: pitch, cutoff, wavetable position and amplitude over its note; the line is where the key is let go"
  aria-label={picture
    ? `${name}: ${moves ? `${moves} ${picture.moved.length > 1 ? 'move' : 'moves'}` : 'nothing moves'}`
    : name}
>
  {#each strips as strip (strip.stave)}
    <polyline points={strip.points} class:moves={strip.moves} />
  {/each}
  {#if picture}<line x1={picture.off * WIDE} x2={picture.off * WIDE} y1="0" y2={4 * (TALL + GAP)} />{/if}
</svg>

<style>
  svg {
    width: 118px;
    height: 48px;
    flex: none;
    background: var(--raised);
    border: 1px solid var(--rule);
    border-radius: 3px;
  }
  polyline {
    fill: none;
    stroke: var(--edge);
    stroke-width: 1;
  }
  polyline.moves {
    stroke: var(--ink);
    stroke-width: 1.3;
    stroke-linejoin: round;
  }
  line {
    stroke: var(--edge);
    stroke-width: 0.7;
    stroke-dasharray: 2 2;
  }
</style>
