<script lang="ts">
  import { directions } from './playing-live';

  /** A pad of two directions and pressure: where a pen or a finger presses, or with the wheel while it is held. */
  let isDown = $state(false);
  const across = $derived(directions.at['pad across'] ?? 0);
  const up = $derived(directions.at['pad up'] ?? 0);
  const pressed = $derived(directions.at['pad pressed'] ?? 0);
  const STEP = 0.02;

  function to(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!isDown) return;
    const box = event.currentTarget.getBoundingClientRect();
    directions.move('pad across', (event.clientX - box.left) / box.width);
    directions.move('pad up', 1 - (event.clientY - box.top) / box.height);
    if (event.pointerType !== 'mouse') directions.move('pad pressed', event.pressure);
  }
  function take(event: PointerEvent & { currentTarget: HTMLElement }): void {
    event.currentTarget.setPointerCapture(event.pointerId);
    isDown = true;
    to(event);
  }
  function drop(): void {
    if (!isDown) return;
    isDown = false;
    directions.move('pad pressed', 0);
    letGo();
  }
  function letGo(): void {
    for (const name of ['pad across', 'pad up', 'pad pressed'] as const) directions.letGo(name);
  }
  function press(event: WheelEvent): void {
    if (!isDown) return;
    event.preventDefault();
    directions.move('pad pressed', pressed - event.deltaY / 600);
  }
  const KEYS: Record<string, readonly ['pad across' | 'pad up' | 'pad pressed', number]> = {
    ArrowLeft: ['pad across', -STEP],
    ArrowRight: ['pad across', STEP],
    ArrowUp: ['pad up', STEP],
    ArrowDown: ['pad up', -STEP],
    PageUp: ['pad pressed', STEP],
    PageDown: ['pad pressed', -STEP]
  };
  function key(event: KeyboardEvent): void {
    const found = KEYS[event.key];
    if (!found) return;
    event.preventDefault();
    const [name, by] = found;
    directions.move(name, (directions.at[name] ?? 0) + by * (event.shiftKey ? 0.25 : 1));
  }
</script>

<div
  class="pad"
  class:down={isDown}
  role="slider"
  tabindex="0"
  aria-label="Pad"
  aria-valuenow={Math.round(100 * across)}
  aria-valuetext="{Math.round(100 * across)} % across, {Math.round(100 * up)} % up, {Math.round(
    100 * pressed
  )} % pressed"
  onpointerdown={take}
  onpointermove={to}
  onpointerup={drop}
  onpointercancel={drop}
  onkeydown={key}
  onkeyup={letGo}
  {@attach (node) => {
    node.addEventListener('wheel', press, { passive: false });
    return () => node.removeEventListener('wheel', press);
  }}
>
  <span class="across" style:left="{100 * across}%"></span>
  <span class="up" style:bottom="{100 * up}%"></span>
  <span class="point" style:left="{100 * across}%" style:bottom="{100 * up}%" style:--size="{7 + 16 * pressed}px"
  ></span>
</div>

<style>
  .pad {
    position: relative;
    flex: none;
    width: 168px;
    height: 72px;
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--raised);
    overflow: hidden;
    cursor: crosshair;
    touch-action: none;
  }
  .across,
  .up {
    position: absolute;
    background: var(--rule);
  }
  .across {
    top: 0;
    bottom: 0;
    width: 1px;
  }
  .up {
    left: 0;
    right: 0;
    height: 1px;
  }
  .point {
    position: absolute;
    width: var(--size);
    height: var(--size);
    margin: 0 0 calc(var(--size) / -2) calc(var(--size) / -2);
    border-radius: 50%;
    border: 1.5px solid var(--madder);
  }
  .down .point {
    background: var(--madder);
  }
</style>
