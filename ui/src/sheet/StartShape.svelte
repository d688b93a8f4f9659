<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import { STARTS, type Points } from '../draw/curve';

  /** A shape to begin with, stretched over the place that there is. */
  interface Props {
    label: string;
    first: string;
    ends: [number, number];
    heights: [number, number];
    ondraw: (points: Points) => void;
  }
  let { label, first, ends, heights, ondraw }: Props = $props();

  function begin(name: string): void {
    const shape = STARTS[name];
    const at = (share: number, [a, b]: [number, number]): number => a + share * (b - a);
    if (shape) ondraw(shape.map(([x, y, ...bend]) => [at(x!, ends), at(y!, heights), ...bend]));
  }
</script>

<Choice
  look="link"
  {label}
  prompt={first}
  options={Object.keys(STARTS).map((name) => [name, name] as const)}
  onchoose={begin}
/>
