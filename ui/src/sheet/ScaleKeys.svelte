<script lang="ts">
  import { workbench } from '../state/workbench.svelte';
  import Choice from '../common/Choice.svelte';

  /** A scale: by name, or key by key on one octave. */
  interface Props {
    value: string | number[];
    said: string;
    onset: (value: unknown, merge: string) => void;
  }
  let { value, said, onset }: Props = $props();

  const scales = $derived(workbench.catalogue?.scales ?? {});
  const degrees = $derived(typeof value === 'string' ? (scales[value] ?? []) : value);
  const NAMES = ['root', '1', '2', '3', '4', '5', '6', '7', '8', '9', '10', '11'];
  const RAISED = [1, 3, 6, 8, 10];
  const options = $derived([
    ...Object.keys(scales).map((name) => [name, name.replaceAll('_', ' ')] as const),
    ['', 'key by key'] as const
  ]);

  function toggle(degree: number): void {
    const next = degrees.includes(degree)
      ? degrees.filter((d) => d !== degree)
      : [...degrees, degree].sort((a, b) => a - b);
    if (next.length === 0) return;
    const known = Object.entries(scales).find(([, of]) => JSON.stringify(of) === JSON.stringify(next));
    onset(known ? known[0] : next, '');
  }
</script>

<Choice
  label={said}
  value={typeof value === 'string' ? value : ''}
  {options}
  onchoose={(name) => name && onset(name, '')}
/>
<div class="keys" role="group" aria-label="{said}, key by key">
  {#each NAMES as name, degree (degree)}
    <button
      class:raised={RAISED.includes(degree)}
      aria-pressed={degrees.includes(degree)}
      aria-label={degree === 0 ? 'the root' : `${name} semitones over the root`}
      onclick={() => toggle(degree)}>{degree === 0 ? 'R' : name}</button
    >
  {/each}
</div>

<style>
  .keys {
    display: flex;
    gap: 1px;
    margin-top: 4px;
  }
  button {
    flex: 1;
    border: 1px solid var(--rule);
    background: var(--raised);
    color: var(--faint);
    font-size: 11px;
    padding: 12px 0 2px;
    border-radius: 0 0 3px 3px;
    cursor: pointer;
    min-width: 0;
  }
  button.raised {
    padding: 2px 0 12px;
    background: var(--chosen);
  }
  button[aria-pressed='true'] {
    background: var(--ink);
    color: var(--paper);
    font-weight: 700;
  }
</style>
