<script lang="ts">
  import Button from '../common/Button.svelte';
  import Tick from '../common/Tick.svelte';
  import type { MarkedView } from './practice.svelte';
  import { practice } from './practice-now';

  /** What an answer is worth: each part with its reason, and how the right one is come to. */
  let { view, onnext }: { view: MarkedView; onnext: () => void } = $props();
  const marked = $derived(view.marked);
  const SAYS = { right: 'Right', nearly: 'Nearly right', wrong: 'Not yet' };
  let again: HTMLElement | undefined = $state();
  $effect(() => again?.querySelector('button')?.focus());
</script>

<div class="marks" role="region" aria-label="Marks">
  <h4 data-verdict={marked.verdict}>{SAYS[marked.verdict]}: {Math.round(100 * marked.marks)} %</h4>
  <table class="figures">
    <thead><tr><th></th><th>you said</th><th>it is</th><th>why</th></tr></thead>
    <tbody>
      {#each marked.parts as part, i (i)}
        <tr data-verdict={part.verdict}>
          <th scope="row">
            {#if part.stave && part.at_s != null}
              {@const at = { stave: part.stave, at: part.at_s }}
              <Button look="bare" data-hint="Where it is seen" onclick={() => (practice.pointed = at)}
                >{part.name}</Button
              >
            {:else}{part.name}{/if}
          </th>
          <td>{part.given || '–'}</td>
          <td>{part.wanted}</td>
          <td>{part.why}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <ul>
    {#each marked.worked as step, i (i)}<li>{step}</li>{/each}
  </ul>
  {#if view.curves.length || marked.lane?.length}
    <Tick checked={practice.showing} onset={(on) => (practice.showing = on)}>the right curve, dashed</Tick>
  {/if}
  <p bind:this={again}><Button class="strong" onclick={onnext}>Next task</Button></p>
</div>

<style>
  .marks {
    border-top: 1px solid var(--rule);
    margin-top: 10px;
    padding-top: 8px;
  }
  h4 {
    margin: 0 0 6px;
    font-size: 15px;
  }
  [data-verdict='wrong'] {
    color: var(--madder);
  }
  td,
  th {
    text-align: left;
    padding: 2px 14px 2px 0;
    vertical-align: top;
    font-size: 13px;
  }
  ul {
    margin: 8px 0;
    padding-left: 18px;
    font-size: 13px;
  }
</style>
