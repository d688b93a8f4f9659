<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { HTMLAttributes } from 'svelte/elements';
  import { seconds } from '../common/format';

  /** The axis of time over staves: ticks, and the cursor, which the keys move. */
  interface Props extends HTMLAttributes<HTMLDivElement> {
    label: string;
    /** How long the note is, in seconds. */
    length: number;
    ticks: readonly number[];
    cursor: number | null;
    says?: string;
    /** How a moment is written: in seconds, or in bars and beats. */
    shown?: (time: number) => string;
    /** Returns where a time lies, in per cent. */
    place: (time: number) => number;
    width: number;
    children?: Snippet;
  }
  let {
    label,
    length,
    ticks,
    cursor,
    says,
    shown = moment,
    place,
    width = $bindable(),
    children,
    ...rest
  }: Props = $props();
  function moment(time: number): string {
    return time === 0 ? '0' : seconds(time);
  }
  const shows = $derived(cursor !== null && place(cursor) >= 0 && place(cursor) <= 100);
</script>

<div
  class="times"
  bind:clientWidth={width}
  tabindex="0"
  role="slider"
  aria-label={label}
  aria-valuemin={0}
  aria-valuemax={length}
  aria-valuenow={cursor ?? 0}
  aria-valuetext={says ?? seconds(cursor ?? 0)}
  {...rest}
>
  {#each ticks as tick (tick)}<span style:left="{place(tick)}%">{shown(tick)}</span>{/each}
  {@render children?.()}
  {#if cursor !== null && shows}<span class="at" style:left="{place(cursor)}%">{shown(cursor)}</span>{/if}
</div>

<style>
  .times {
    position: relative;
    touch-action: none;
    cursor: col-resize;
  }
  span {
    position: absolute;
    top: 4px;
    padding-left: 5px;
    font-size: 12px;
    color: var(--faint);
    border-left: 1px solid var(--edge);
    line-height: 16px;
    white-space: nowrap;
  }
  .times :global(.at) {
    position: absolute;
    top: 4px;
    font-size: 12px;
    line-height: 16px;
    white-space: nowrap;
    background: var(--ink);
    color: var(--paper);
    border: 0;
    border-radius: 3px;
    padding: 0 5px;
    transform: translateX(-50%);
    z-index: 2;
  }
</style>
