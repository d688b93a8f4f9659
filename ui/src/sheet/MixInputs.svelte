<script lang="ts">
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { modules } from '../state/document';
  import Choice from '../common/Choice.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** The inputs of a mix: what, times how much, plus how much. */
  interface Input {
    source: string | number;
    gain?: number;
    offset?: number;
  }
  let { inputs, owner, onset }: { inputs: Input[]; owner: string; onset: (value: unknown, merge: string) => void } =
    $props();
  const options = $derived(
    [...(workbench.patch ? modules(workbench.patch).map((m) => m.id) : []), ...workbench.signals].map(
      (name) => [name, name.replace('_', ' ')] as const
    )
  );
  function set(index: number, fields: Partial<Input>, merge = ''): void {
    onset(
      inputs.map((input, i) => (i === index ? { ...input, ...fields } : input)),
      merge
    );
  }
</script>

{#each inputs as input, i (i)}
  <div class="input">
    <Choice
      label="Input {i + 1} of {owner}"
      value={String(input.source)}
      options={[
        ...(typeof input.source === 'number' ? [[String(input.source), String(input.source)] as const] : []),
        ...options
      ]}
      onchoose={(source) => set(i, { source })}
    />
    <span>×</span>
    <ValueField
      value={input.gain ?? 1}
      unit="signal"
      label="Gain of input {i + 1}"
      width="3.1rem"
      oncommit={(v, m) => set(i, { gain: Number(v) }, m)}
    />
    <span>+</span>
    <ValueField
      value={input.offset ?? 0}
      unit="signal"
      label="Offset of input {i + 1}"
      width="3.1rem"
      oncommit={(v, m) => set(i, { offset: Number(v) }, m)}
    />
    <Button
      look="bare"
      aria-label="Remove input {i + 1}"
      onclick={() =>
        onset(
          inputs.filter((_, n) => n !== i),
          ''
        )}>✕</Button
    >
  </div>
{/each}
<Choice
  look="link"
  label="Add an input to {owner}"
  prompt="+ input"
  {options}
  onchoose={(source) => onset([...inputs, { source }], '')}
/>

<style>
  .input {
    display: flex;
    align-items: center;
    gap: 4px;
    margin-bottom: 4px;
    font-size: 13px;
    color: var(--faint);
  }
  .input :global(select) {
    flex: 1;
    min-width: 0;
  }
</style>
