<script lang="ts">
  import { VELOCITIES } from '../api/facts.gen';
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { noteName } from '../common/format';
  import { playedBy } from '../state/computer-keys';
  import { player } from '../state/playing';
  import { messages } from '../state/messages.svelte';
  import { settings } from '../state/settings.svelte';
  import Hands from '../live/Hands.svelte';
  import { directions, live, taking } from '../live/playing-live';

  /** A row of keys: the lower on a key it is struck, the harder. The two lower rows of letters play it too. */
  const WHITE = [0, 2, 4, 5, 7, 9, 11];
  /** How far a key is drawn to be pressed on fully. */
  const FULL_PRESSURE_PX = 120;
  let pressed: { key: number; y: number } | null = null;
  let octave = $state(Math.floor(workbench.key / 12));
  /** Keys that were struck just now, where nothing is held. */
  let struck: ReadonlySet<number> = $state.raw(new Set());
  const lit = $derived(live.state === 'on' ? live.down : struck);
  const from = $derived(Math.max(0, Math.min(91, (octave - 1) * 12)));
  const keys = $derived(Array.from({ length: 37 }, (_, i) => from + i));
  const whites = $derived(keys.filter((key) => WHITE.includes(key % 12)));
  const raised = $derived(
    keys
      .filter((key) => !WHITE.includes(key % 12))
      .map((key) => ({ key, at: whites.filter((white) => white < key).length / whites.length }))
  );

  /** Strikes a key: held until it is let go where it is played live, else as long as the test note. */
  function strike(key: number, velocity: number): void {
    const hard = Math.max(1, Math.min(127, Math.round(velocity)));
    if (live.state === 'on') {
      live.strike(key, hard);
      return;
    }
    struck = new Set([...struck, key]);
    setTimeout(() => (struck = new Set([...struck].filter((one) => one !== key))), 180);
    void player.strike({ key, velocity: hard });
  }
  function release(key: number): void {
    if (live.state === 'on' && live.down.has(key)) live.release(key);
  }
  function press(event: PointerEvent & { currentTarget: HTMLElement }, key: number): void {
    const box = event.currentTarget.getBoundingClientRect();
    event.currentTarget.setPointerCapture(event.pointerId);
    pressed = { key, y: event.clientY };
    strike(key, 10 + 117 * ((event.clientY - box.top) / box.height));
  }
  /** A key that is held and drawn downward is pressed on. */
  function lean(event: PointerEvent): void {
    if (!pressed || live.state !== 'on') return;
    directions.move('key pressed', (event.clientY - pressed.y) / FULL_PRESSURE_PX);
  }
  function letGo(key: number): void {
    if (pressed && live.state === 'on') {
      directions.move('key pressed', 0);
      directions.letGo('key pressed');
    }
    pressed = null;
    release(key);
  }
  /** Keys of the computer that are down, and the note that each plays: the octave may change meanwhile. */
  const down = new Map<string, number>();
  function onkeydown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (
      event.repeat ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      target.closest('input, textarea, select, dialog')
    )
      return;
    const step = settings.now.letters ? playedBy(event.code) : null;
    if (step === null) return;
    event.preventDefault();
    down.set(event.code, octave * 12 + step);
    strike(octave * 12 + step, event.shiftKey ? VELOCITIES[2].velocity : workbench.velocity);
  }
  function onkeyup(event: KeyboardEvent): void {
    const key = down.get(event.code);
    if (key === undefined) return;
    down.delete(event.code);
    release(key);
  }
  /** Whoever looks elsewhere holds no key any more. */
  function onblur(): void {
    for (const key of down.values()) release(key);
    down.clear();
  }

  $effect(() => {
    if (workbench.patch) live.edit(workbench.patch);
  });
  $effect(() => {
    workbench.session.live(live.state !== 'off');
  });
  $effect(() => {
    if (live.state === 'on') void messages.attempt(() => taking.refresh());
  });
  $effect(() => () => live.end());
</script>

<svelte:window {onkeydown} {onkeyup} {onblur} />

<div class="playing">
  <div class="piano" role="group" aria-label="Keys; the lower a key is struck, the harder">
    <div class="octave">
      <Button aria-label="An octave down" disabled={octave <= 1} onclick={() => octave--}>−</Button>
      <span>{noteName(octave * 12)}</span>
      <Button aria-label="An octave up" disabled={octave >= 8} onclick={() => octave++}>+</Button>
      <Button
        aria-pressed={live.state !== 'off'}
        disabled={live.state === 'starting' || !workbench.patch}
        data-hint="Keys sound as long as they are held; what is edited and moved is heard at once"
        onclick={() => (live.state === 'off' ? void live.begin(workbench.patch!) : live.end())}>Live</Button
      >
    </div>
    <div class="keys">
      {#each whites as key (key)}
        <button
          class="key"
          class:lit={lit.has(key)}
          class:home={key === workbench.key}
          aria-label={noteName(key)}
          aria-pressed={lit.has(key)}
          tabindex="-1"
          onpointerdown={(event) => press(event, key)}
          onpointermove={lean}
          onpointerup={() => letGo(key)}
          onpointercancel={() => letGo(key)}>{key % 12 === 0 ? noteName(key) : ''}</button
        >
      {/each}
      {#each raised as { key, at } (key)}
        <button
          class="key raised"
          class:lit={lit.has(key)}
          aria-label={noteName(key)}
          aria-pressed={lit.has(key)}
          tabindex="-1"
          style:left="{at * 100}%"
          onpointerdown={(event) => press(event, key)}
          onpointermove={lean}
          onpointerup={() => letGo(key)}
          onpointercancel={() => letGo(key)}
        ></button>
      {/each}
    </div>
  </div>
  {#if live.state === 'on'}<Hands />{/if}
</div>

<style>
  .playing {
    min-width: 0;
  }
  .piano {
    display: flex;
    gap: 8px;
    height: 62px;
  }
  .octave {
    display: flex;
    align-items: center;
    gap: 5px;
    font-size: 13px;
  }
  .keys {
    position: relative;
    flex: 1;
    display: flex;
    touch-action: none;
  }
  .key {
    flex: 1;
    border: 1px solid var(--edge);
    border-radius: 0 0 4px 4px;
    background: var(--raised);
    color: var(--faint);
    font-size: 11px;
    display: flex;
    align-items: flex-end;
    justify-content: center;
    padding: 0 0 2px;
    cursor: pointer;
    min-width: 0;
  }
  .key.raised {
    position: absolute;
    top: 0;
    width: 2.6%;
    height: 60%;
    transform: translateX(-50%);
    background: var(--ink);
  }
  .key.home {
    box-shadow: inset 0 -3px 0 var(--madder);
  }
  .key.lit {
    background: var(--weld);
    color: var(--paper);
  }
</style>
