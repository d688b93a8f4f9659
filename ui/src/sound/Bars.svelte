<script lang="ts">
  /** A row of bars: drag across them to draw their heights, or nudge each by the arrow keys. */
  interface Props {
    label: string;
    /** Heights from 0 to 1. */
    heights: readonly number[];
    chosen: number;
    /** Returns the name of a bar. */
    name: (index: number) => string;
    /** A bar's value, where it is another than its height. */
    values?: readonly number[];
    /** Shows under each bar which it is. */
    numbered?: boolean;
    size: string;
    /** How far an arrow key moves a bar; with Shift less. */
    nudges: { plain: number; fine: number };
    onput: (index: number, height: number, drawn: boolean) => void;
    ondone?: () => void;
  }
  let {
    label,
    heights,
    chosen = $bindable(),
    name,
    values = heights,
    numbered = false,
    size,
    nudges,
    onput,
    ondone
  }: Props = $props();

  let frame: HTMLDivElement | undefined = $state();
  let drawing = $state(false);

  const within = (height: number): number => Math.max(0, Math.min(1, height));

  function put(event: PointerEvent): void {
    if (!frame) return;
    const box = frame.getBoundingClientRect();
    const at = Math.floor(((event.clientX - box.left) / box.width) * heights.length);
    chosen = Math.max(0, Math.min(heights.length - 1, at));
    onput(chosen, within(1 - (event.clientY - box.top) / box.height), true);
  }

  function nudge(event: KeyboardEvent, index: number): void {
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (event.key !== 'Delete' && !up) return;
    event.preventDefault();
    event.stopPropagation();
    const by = (up ?? 0) * (event.shiftKey ? nudges.fine : nudges.plain);
    onput(index, up ? within(Math.max(0, heights[index]!) + by) : 0, false);
  }
</script>

<div
  class="bars"
  class:numbered
  style:height={size}
  bind:this={frame}
  role="group"
  aria-label={label}
  onpointerdown={(event) => {
    drawing = true;
    frame?.setPointerCapture(event.pointerId);
    put(event);
  }}
  onpointermove={(event) => drawing && put(event)}
  onpointerup={() => {
    drawing = false;
    ondone?.();
  }}
>
  {#each heights as height, i (i)}
    <div
      class="bar"
      class:chosen={i === chosen}
      role="slider"
      tabindex="0"
      aria-label={name(i)}
      aria-valuenow={values[i]}
      aria-valuemin="0"
      aria-valuemax="1"
      onfocus={() => (chosen = i)}
      onkeydown={(event) => nudge(event, i)}
    >
      <i style:--height={within(height)}></i>{#if numbered}<span>{i + 1}</span>{/if}
    </div>
  {/each}
</div>

<style>
  .bars {
    --foot: 0px;
    display: flex;
    gap: 1px;
    background: var(--raised);
    border: 1px solid var(--rule);
    border-radius: 5px;
    padding: 2px;
    touch-action: none;
    cursor: crosshair;
  }
  .bars.numbered {
    --foot: 14px;
    gap: 2px;
  }
  .bar {
    flex: 1;
    position: relative;
    display: flex;
    align-items: flex-end;
    min-width: 0;
  }
  .bar i {
    width: 100%;
    height: calc(var(--height) * (100% - var(--foot)));
    min-height: 1px;
    margin-bottom: var(--foot);
    background: var(--faint);
    border-radius: 2px 2px 0 0;
  }
  .bar span {
    position: absolute;
    bottom: 0;
    width: 100%;
    text-align: center;
    font-size: 10.5px;
    color: var(--faint);
  }
  .bar.chosen i {
    background: var(--madder);
  }
</style>
