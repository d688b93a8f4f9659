<script lang="ts">
  import Button from '../common/Button.svelte';
  import { messages } from '../state/messages.svelte';
  import { keyListener } from '../state/key-bindings';
  import { workbench } from '../state/workbench.svelte';
  import { practice } from './practice-now';

  /** Two sounds, which of them is more: until the threshold is known. By keyboard: 1 and 2 hear, ← and → choose. */
  const attempt = (work: () => Promise<void>): void => void messages.attempt(work);
  const known = $derived(practice.dimension ? practice.standing?.thresholds[practice.dimension] : undefined);
  const unit = $derived(practice.dimension ? (practice.standing?.units[practice.dimension] ?? '') : '');
  const soFar = $derived.by(() => {
    if (!known?.trials) return 'Listen to both: 1 and 2; ← and → say which.';
    const pairs = known.trials === 1 ? '1 pair' : `${known.trials} pairs`;
    const within = Math.round(200 * known.spread);
    const sure = within < 100 ? `, within ${within} %` : ', not sure yet';
    return `${pairs} so far: about ${known.value.toPrecision(2)} ${unit}${sure}.`;
  });
  const applies = (): boolean => workbench.view === 'practice' && practice.pair !== null;
  const onkeydown = keyListener([
    { keys: '1', act: () => attempt(() => practice.hearPair(0)), applies },
    { keys: '2', act: () => attempt(() => practice.hearPair(1)), applies },
    { keys: 'ArrowLeft', act: () => attempt(() => practice.say(0)), applies },
    { keys: 'ArrowRight', act: () => attempt(() => practice.say(1)), applies }
  ]);
</script>

<svelte:window {onkeydown} />

<section aria-label="Threshold">
  <h3>Your own threshold: {practice.dimension}</h3>
  {#if known?.sure}
    <p>
      You tell apart <b>{known.value.toPrecision(2)} {unit}</b>, within about {Math.round(200 * known.spread)} %, by
      {known.trials} pairs.
    </p>
  {:else if practice.pair}
    <p class="asks">{practice.pair.asks}</p>
    <div class="two">
      {#each [0, 1] as which (which)}
        <div>
          <Button onclick={() => attempt(() => practice.hearPair(which))}>Hear the {which ? 'second' : 'first'}</Button>
          <Button class="strong" onclick={() => attempt(() => practice.say(which))}
            >It is the {which ? 'second' : 'first'}</Button
          >
        </div>
      {/each}
    </div>
    <p class="faint" role="status">
      {practice.said}
      {soFar}
    </p>
  {:else}<p class="faint">A moment…</p>{/if}
</section>

<style>
  .asks {
    font-size: 15px;
  }
  .two {
    display: flex;
    gap: 24px;
  }
  .faint {
    color: var(--faint);
    font-size: 13px;
  }
</style>
