<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { putText, takeText } from '../state/clipboard';
  import type { Curve } from '../api/api';
  import { flippedInHeight, flippedInTime, stretched, type Marks, type Points } from '../draw/curve';
  import { messages } from '../state/messages.svelte';
  import StartShape from './StartShape.svelte';

  /** What is done to a curve as a whole, and where a drawn one repeats and waits. */
  interface Props {
    owner: string;
    points: Points;
    ends: [number, number];
    heights: [number, number];
    /** The drawn curve that the points are of, where they are one's. */
    curve: Curve | null;
    chosen: number;
    /** What points may snap to. */
    grids: readonly string[];
    grid: string;
    ondraw: (points: Points) => void;
    onmark: (handles: Marks, label: string) => void;
  }
  let { owner, points, ends, heights, curve, chosen, grids, grid = $bindable(), ondraw, onmark }: Props = $props();

  async function paste(): Promise<void> {
    try {
      const read = JSON.parse(await takeText()) as unknown;
      if (Array.isArray(read) && read.every((p) => Array.isArray(p) && p.length >= 2)) ondraw(read as Points);
      else throw new Error();
    } catch {
      messages.say(`${owner}: the clipboard holds no points; copy a curve first.`, true);
    }
  }

  function loopFrom(): void {
    const to = (curve?.loop?.[1] ?? 0) > chosen ? curve!.loop![1]! : points.length - 1;
    onmark({ loop: curve?.loop?.[0] === chosen ? null : [chosen, to] }, 'loop');
  }
  function loopTo(): void {
    const from = (curve?.loop?.[0] ?? points.length) < chosen ? curve!.loop![0]! : 0;
    onmark({ loop: curve?.loop?.[1] === chosen ? null : [from, chosen] }, 'loop');
  }
</script>

<div class="strip">
  <Choice
    look="link"
    label="Grid of {owner}"
    value={grid}
    options={grids.map((name) => [name, name] as const)}
    onchoose={(name) => (grid = name)}
  />
  <StartShape label="Start shape of {owner}" first="shape…" {ends} {heights} {ondraw} />
  <Button look="bare" data-hint="Turn it round in time" onclick={() => ondraw(flippedInTime(points))}>round</Button>
  <Button look="bare" data-hint="Turn it over" onclick={() => ondraw(flippedInHeight(points, heights))}>over</Button>
  <Button look="bare" data-hint="Twice as long" onclick={() => ondraw(stretched(points, 2, curve ? Infinity : ends[1]))}
    >×2</Button
  >
  <Button look="bare" data-hint="Half as long" onclick={() => ondraw(stretched(points, 0.5))}>÷2</Button>
  <Button look="bare" onclick={() => void putText(JSON.stringify(points))}>copy</Button>
  <Button look="bare" onclick={() => void paste()}>paste</Button>
  {#if curve}
    <Button look="bare" aria-pressed={curve.loop?.[0] === chosen} onclick={loopFrom}>loop from</Button>
    <Button look="bare" aria-pressed={curve.loop?.[1] === chosen} onclick={loopTo}>loop to</Button>
    <Button
      look="bare"
      aria-pressed={curve.hold_at === chosen}
      onclick={() => onmark({ hold_at: curve.hold_at === chosen ? null : chosen }, 'hold')}>hold</Button
    >
  {/if}
</div>
