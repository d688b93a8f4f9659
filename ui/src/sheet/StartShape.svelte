<script lang="ts">
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

  function begin(event: Event & { currentTarget: HTMLSelectElement }): void {
    const shape = STARTS[event.currentTarget.value];
    event.currentTarget.value = '';
    const at = (share: number, [a, b]: [number, number]): number => a + share * (b - a);
    if (shape) ondraw(shape.map(([x, y, ...bend]) => [at(x!, ends), at(y!, heights), ...bend]));
  }
</script>

<select class="link-select" aria-label={label} onchange={begin}>
  <option value="">{first}</option>
  {#each Object.keys(STARTS) as name (name)}<option value={name}>{name}</option>{/each}
</select>
