<script lang="ts">
  import Plot from '../common/Plot.svelte';
  import { brokenLine, inks, SMALL_FONT, type Surface } from '../draw/draw';

  /** One lane of a recording, and the same of the patch that was brought near to it: over each other, on one axis. */
  interface Props {
    title: string;
    /** The value every 5 ms from the recording's first sample on; nothing where there is none. */
    recorded: readonly (number | null)[];
    /** The same of the patch, from note-on on. */
    own: readonly (number | null)[];
    on: number;
    off: number | null;
    seconds: number;
    /** How a value stands on the scale, and how it reads. */
    at?: (value: number) => number;
    reads: (value: number) => string;
    /** The least and greatest that are shown, of those that there are. */
    least: number;
    greatest: number;
  }
  let { title, recorded, own, on, off, seconds, at = (value) => value, reads, least, greatest }: Props = $props();

  const HOP_S = 0.005;

  function draw(to: Surface): void {
    const { context, width, height } = to;
    const ink = inks();
    const x = (time: number): number => (time / seconds) * width;
    const [low, high] = [at(least), at(greatest)];
    const y = (value: number): number => height - 4 - ((at(value) - low) / (high - low || 1)) * (height - 22);
    context.fillStyle = ink.tail;
    if (off !== null) context.fillRect(x(off), 0, width, height);
    context.fillStyle = ink.ink;
    context.fillRect(Math.round(x(on)), 0, 1, height);
    if (off !== null) context.fillRect(Math.round(x(off)), 0, 1, height);
    const place =
      (from: number) =>
      (value: number, i: number): readonly [number, number] | null =>
        at(value) < low ? null : [x(from + i * HOP_S), y(value)];
    brokenLine(to, recorded, place(0), ink.ink, 1.8);
    brokenLine(to, own, place(on), ink.faint, 1.5, [6, 4]);
    context.font = SMALL_FONT;
    context.textBaseline = 'middle';
    context.textAlign = 'left';
    context.fillStyle = ink.paper;
    context.fillRect(4, 2, context.measureText(title).width + 6, 15);
    context.fillStyle = ink.faint;
    context.fillText(title, 7, 10);
    context.textAlign = 'right';
    context.fillText(reads(greatest), width - 5, 18);
    context.fillText(reads(least), width - 5, height - 9);
  }
</script>

<div class="lane" role="img" aria-label="{title} of the recording, and of the patch"><Plot {draw} /></div>

<style>
  .lane {
    position: relative;
    flex: 1 1 0;
    min-height: 90px;
    border-bottom: 1px solid var(--rule);
  }
</style>
