<script lang="ts">
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import Bars from '../sound/Bars.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** A row of strengths, one bar a step: drag across them, or type each. */
  interface Props {
    owner: string;
    values: number[];
    onset: (value: unknown, merge: string, draft?: boolean) => void;
  }
  let { owner, values, onset }: Props = $props();

  let chosen = $state(0);

  function set(index: number, level: number, merge: string, draft = false): void {
    onset(
      values.map((value, i) => (i === index ? level : value)),
      merge,
      draft
    );
  }
  function put(index: number, height: number, drawn: boolean): void {
    set(index, Number(height.toFixed(drawn ? 2 : 3)), drawn ? `draw ${owner}` : `nudge ${owner} ${index}`, drawn);
  }
</script>

<Bars
  label="Strengths of {owner}"
  heights={values}
  bind:chosen
  name={(i) => `Step ${i + 1}`}
  size="70px"
  nudges={{ plain: 0.1, fine: 0.01 }}
  onput={put}
  ondone={() => workbench.tracing.ask()}
/>
<div class="acts">
  <span>{chosen + 1} of {values.length}</span>
  {#each [chosen] as index (index)}
    <ValueField
      value={values[index] ?? 0}
      unit="ratio"
      label="Strength of step {index + 1}"
      low={0}
      high={1}
      width="4rem"
      oncommit={(v, merge) => set(index, Number(v), merge)}
    />
  {/each}
  <Button look="bare" disabled={values.length >= 512} onclick={() => onset([...values, values.at(-1) ?? 1], '')}
    >+ step</Button
  >
  <Button look="bare" disabled={values.length <= 1} onclick={() => onset(values.slice(0, -1), '')}>− step</Button>
</div>

<style>
  .acts {
    display: flex;
    gap: 8px;
    align-items: center;
    font-size: 12.5px;
    color: var(--faint);
    margin-top: 4px;
  }
</style>
