<script lang="ts">
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { noteName } from '../common/format';
  import { playedBy } from './computer-keys';
  import { player } from '../state/playing';
  import { settings } from '../state/settings.svelte';

  /** A row of keys: the lower on a key it is struck, the harder. The two lower rows of letters play it too. */
  const WHITE = [0, 2, 4, 5, 7, 9, 11];
  let octave = $state(Math.floor(workbench.key / 12));
  let lit: number | null = $state(null);
  const from = $derived(Math.max(0, Math.min(91, (octave - 1) * 12)));
  const keys = $derived(Array.from({ length: 37 }, (_, i) => from + i));
  const whites = $derived(keys.filter((key) => WHITE.includes(key % 12)));
  const raised = $derived(
    keys
      .filter((key) => !WHITE.includes(key % 12))
      .map((key) => ({ key, at: whites.filter((white) => white < key).length / whites.length }))
  );

  function strike(key: number, velocity: number): void {
    lit = key;
    setTimeout(() => (lit = lit === key ? null : lit), 180);
    void player.strike({ key, velocity: Math.max(1, Math.min(127, Math.round(velocity))) });
  }
  function press(event: PointerEvent & { currentTarget: HTMLElement }, key: number): void {
    const box = event.currentTarget.getBoundingClientRect();
    strike(key, 10 + 117 * ((event.clientY - box.top) / box.height));
  }
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
    strike(octave * 12 + step, event.shiftKey ? 118 : workbench.velocity);
  }
</script>

<svelte:window {onkeydown} />

<div class="piano" role="group" aria-label="Keys; the lower a key is struck, the harder">
  <div class="octave">
    <Button aria-label="An octave down" disabled={octave <= 1} onclick={() => octave--}>−</Button>
    <span>{noteName(octave * 12)}</span>
    <Button aria-label="An octave up" disabled={octave >= 8} onclick={() => octave++}>+</Button>
  </div>
  <div class="keys">
    {#each whites as key (key)}
      <button
        class="key"
        class:lit={lit === key}
        class:home={key === workbench.key}
        aria-label={noteName(key)}
        tabindex="-1"
        onpointerdown={(event) => press(event, key)}>{key % 12 === 0 ? noteName(key) : ''}</button
      >
    {/each}
    {#each raised as { key, at } (key)}
      <button
        class="key raised"
        class:lit={lit === key}
        aria-label={noteName(key)}
        tabindex="-1"
        style:left="{at * 100}%"
        onpointerdown={(event) => press(event, key)}
      ></button>
    {/each}
  </div>
</div>

<style>
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
  }
</style>
