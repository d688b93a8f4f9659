<script lang="ts">
  import { bench } from '../lib/bench.svelte';
  import ValueField from './ValueField.svelte';

  /** A row of strengths, one bar a step: drag across them, or type each. */
  interface Props {
    owner: string;
    values: number[];
    onset: (value: unknown, merge: string, draft?: boolean) => void;
  }
  let { owner, values, onset }: Props = $props();

  let frame: HTMLDivElement | undefined = $state();
  let drawing = $state(false);
  let chosen = $state(0);

  function put(event: PointerEvent): void {
    if (!frame) return;
    const box = frame.getBoundingClientRect();
    const index = Math.max(
      0,
      Math.min(values.length - 1, Math.floor(((event.clientX - box.left) / box.width) * values.length))
    );
    const level = Math.max(0, Math.min(1, 1 - (event.clientY - box.top) / box.height));
    chosen = index;
    set(index, Number(level.toFixed(2)), `draw ${owner}`, true);
  }

  function set(index: number, level: number, merge: string, draft = false): void {
    onset(
      values.map((value, i) => (i === index ? Math.max(0, Math.min(1, level)) : value)),
      merge,
      draft
    );
  }

  function nudge(event: KeyboardEvent, index: number): void {
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (!up) return;
    event.preventDefault();
    event.stopPropagation();
    set(index, Number((values[index]! + up * (event.shiftKey ? 0.01 : 0.1)).toFixed(3)), `nudge ${owner} ${index}`);
  }
</script>

<div
  class="bars"
  bind:this={frame}
  role="group"
  aria-label="Strengths of {owner}"
  onpointerdown={(event) => {
    drawing = true;
    frame?.setPointerCapture(event.pointerId);
    put(event);
  }}
  onpointermove={(event) => drawing && put(event)}
  onpointerup={() => {
    drawing = false;
    bench.trace();
  }}
>
  {#each values as value, i (i)}
    <div
      class="bar"
      class:chosen={i === chosen}
      role="slider"
      tabindex="0"
      aria-label="Step {i + 1}"
      aria-valuenow={value}
      aria-valuemin="0"
      aria-valuemax="1"
      onfocus={() => (chosen = i)}
      onkeydown={(event) => nudge(event, i)}
    >
      <i style:height="{value * 100}%"></i>
    </div>
  {/each}
</div>
<div class="acts">
  <span>{chosen + 1} of {values.length}</span>
  <ValueField
    value={values[chosen] ?? 0}
    unit="ratio"
    label="Strength of step {chosen + 1}"
    low={0}
    high={1}
    width="4rem"
    oncommit={(v, merge) => set(chosen, Number(v), merge)}
  />
  <button class="bare" disabled={values.length >= 512} onclick={() => onset([...values, values.at(-1) ?? 1], '')}
    >+ step</button
  >
  <button class="bare" disabled={values.length <= 1} onclick={() => onset(values.slice(0, -1), '')}>− step</button>
</div>

<style>
  .bars {
    display: flex;
    gap: 1px;
    height: 70px;
    background: var(--raised);
    border: 1px solid var(--rule);
    border-radius: 5px;
    padding: 2px;
    touch-action: none;
    cursor: crosshair;
  }
  .bar {
    flex: 1;
    display: flex;
    align-items: flex-end;
    min-width: 0;
  }
  .bar i {
    width: 100%;
    background: var(--faint);
    border-radius: 2px 2px 0 0;
    min-height: 1px;
  }
  .bar.chosen i {
    background: var(--madder);
  }
  .acts {
    display: flex;
    gap: 8px;
    align-items: center;
    font-size: 12.5px;
    color: var(--faint);
    margin-top: 4px;
  }
</style>
