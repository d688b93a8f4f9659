<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { settings } from '../state/settings.svelte';
  import { ELSEWHERE, type Shortcut } from './shortcuts';
  import Tick from '../common/Tick.svelte';

  let { open = $bindable(), keys }: { open: boolean; keys: readonly Shortcut[] } = $props();
  const lines = $derived([...keys.map(({ shown, says }) => [shown, says] as const), ...ELSEWHERE]);
</script>

<Modal bind:open title="Keys, units and cautions" size="lg" outsideclose>
  <dl>
    {#each lines as [key, what] (key)}
      <div>
        <dt>{key}</dt>
        <dd>{what}</dd>
      </div>
    {/each}
  </dl>
  <Tick checked={settings.now.letters} onset={(letters) => settings.set({ letters })}>
    Single letters, figures and signs are shortcuts. Without them Space, Esc, the arrows and everything with Ctrl
    remain.
  </Tick>
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
    margin: 0;
    columns: 2;
    column-gap: 28px;
  }
  dl div {
    display: grid;
    grid-template-columns: 112px 1fr;
    gap: 10px;
    padding: 2px 0;
    break-inside: avoid;
    font-size: 13.5px;
    line-height: 18px;
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
</style>
