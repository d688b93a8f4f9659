<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { settings } from '../state/settings.svelte';
  let { open = $bindable() }: { open: boolean } = $props();
  const KEYS = [
    ['Space', 'play or stop'],
    ['L', 'loop on or off'],
    ['T', 'soft, middle and hard at once'],
    ['Ctrl Z / Ctrl Shift Z', 'undo / redo'],
    ['Ctrl S', 'save as a version'],
    ['P', 'patches'],
    ['Esc', 'choose the patch itself, or leave a field as it was'],
    ['↑ ↓ in a figure', 'nudge it; finer with Shift'],
    ['← → on the time axis', 'move the cursor; finer with Shift'],
    ['arrows on a square of a curve', 'move it; finer with Shift'],
    ['G', 'hold this version as a ghost behind what follows, or let it go'],
    ['K', 'a row of keys; Z to M and S to J play them, Shift plays hard'],
    ['0 1 2', 'the whole note, its first 50 ms, its tail'],
    ['+ − [ ]', 'zoom in, out, move along; Ctrl and the wheel zoom too'],
    ['Alt ← →', 'set a post at the cursor; a drag on the time axis sets both'],
    ['Ctrl-C, Ctrl-V, Ctrl-D', 'copy, paste, double the source or route chosen'],
    ['Ctrl-Backspace in a figure', 'back to its default; a drag up or down turns it'],
    ['?', 'this page']
  ];
</script>

<Modal bind:open title="Keys, units and cautions" size="md" outsideclose>
  <dl>
    {#each KEYS as [key, what] (key)}<dt>{key}</dt>
      <dd>{what}</dd>{/each}
  </dl>
  <label
    ><input
      type="checkbox"
      checked={settings.now.letters}
      onchange={(event) => settings.set({ letters: event.currentTarget.checked })}
    /> Single letters, figures and signs are shortcuts. Without them Space, Esc, the arrows and everything with Ctrl remain.</label
  >
  <p>
    <b>Figures</b> are typed as they are said: 180ms, 1.5s, 1/8d, 2bar, 7st, 30cents, 1oct, −6 dB, 2.2kHz, C3, 40%, 3V (5
    V is 1.0). A wrong entry says what was understood and keeps the old value.
  </p>
  <p>
    <b>Hearing.</b> Playback starts low and passes a limiter at −1 dB. Resonance near self-oscillation, and fast high notes,
    can still jump by 20 dB or more in a moment. Headphones are the greater risk. Jorvik is no substitute for hearing-conservation
    guidance.
  </p>
</Modal>

<style>
  dl {
    display: grid;
    grid-template-columns: max-content 1fr;
    gap: 4px 16px;
    margin: 0;
  }
  dt {
    font-weight: 600;
  }
  dd {
    margin: 0;
    color: var(--faint);
  }
  p {
    margin: 0;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: baseline;
    margin: 10px 0;
  }
</style>
