<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import Labelled from '../common/Labelled.svelte';
  import TextField from '../common/TextField.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import CurvePlot from './CurvePlot.svelte';
  import Marks from './Marks.svelte';
  import PlayPad from './PlayPad.svelte';
  import { practice } from './practice-now';

  /** The task at hand: what is asked, its curves, the fields of the answer; then its marks. */
  const view = $derived(practice.view);
  const task = $derived(practice.task);
  const marked = $derived(practice.marked);
  const right = $derived(practice.showing ? (marked?.curves ?? []) : []);
  /** The curve of the patch that was opened, where it is the one on the bench. */
  const curves = $derived(view?.curves ?? []);
  const attempt = (work: () => Promise<void>): void => void messages.attempt(work);
  const ready = $derived(
    practice.byPatch
      ? practice.inHand
      : task?.kind === 'play'
        ? practice.lane.length > 1
        : (task?.questions ?? []).some((one) => practice.values[one.name])
  );
  const onward = (): void => attempt(() => practice.next());
  /** Another of the same, in place of one that is left. */
  const another = (): void =>
    attempt(() => practice.next({ kind: task?.kind, level: task?.level, seed: (task?.seed ?? 0) + 1 }));
</script>

{#if view && task}
  <section aria-label="Task" aria-busy={practice.coming}>
    <h3>{task.title}, level {task.level}</h3>
    <p class="asks">{task.asks}</p>
    {#if task.patch && task.kind !== 'play'}
      <p>
        <Button onclick={() => attempt(() => practice.play(task.patch))}>{task.heard ? 'Listen' : 'Hear it'}</Button>
        {#if task.target}<Button onclick={() => attempt(() => practice.play(task.target))}>Hear what it is to be</Button
          >{/if}
        {#if !task.heard || marked}
          <Button onclick={() => attempt(() => practice.open())}
            >{practice.byPatch ? 'Open the patch' : 'Open it as a patch'}</Button
          >
        {/if}
        {#if task.heard && (task.questions ?? []).some((one) => one.unit)}
          <Button
            onclick={() => attempt(() => practice.playYours())}
            data-hint="The same note, with the figures that you have typed so far">Hear yours</Button
          >
        {/if}
        {#if task.instead}
          {@const instead = task.instead}
          <Button look="bare" onclick={() => attempt(() => practice.next({ ...instead, level: task.level }))}
            >One to be seen instead</Button
          >
        {/if}
      </p>
    {/if}
    {#each curves as curve (curve.name)}
      <CurvePlot
        {curve}
        behind={right.find((one) => one.name === curve.name) ?? view.target.find((one) => one.name === curve.name)}
        pointed={practice.pointed?.stave === curve.name ? practice.pointed.at : null}
      />
    {/each}
    {#if view.options.length}
      <div class="options" role="group" aria-label="Curves to choose among">
        {#each view.options as option, n (n)}
          <div class:chosen={practice.values['curve'] === 'ABCD'[n]}>
            <Button
              look="bare"
              aria-pressed={practice.values['curve'] === 'ABCD'[n]}
              onclick={() => (practice.values['curve'] = 'ABCD'[n] ?? '')}>{'ABCD'[n]}</Button
            >
            {#each option as curve (curve.name)}<CurvePlot {curve} tall={70} still />{/each}
          </div>
        {/each}
      </div>
    {/if}
    {#if task.kind === 'play'}<PlayPad />{/if}
    <form
      onsubmit={(event) => {
        event.preventDefault();
        if (!marked) attempt(() => practice.handIn());
      }}
    >
      {#each task.questions as question (question.name)}
        {#if question.choices?.length}
          <Labelled name={question.asks}>
            <Choice
              label={question.asks}
              options={[['', '–'], ...question.choices.map((one) => [one, one] as const)]}
              value={practice.values[question.name] ?? ''}
              onchoose={(value) => (practice.values[question.name] = value)}
            />
          </Labelled>
        {:else}
          <Labelled name={question.asks}>
            <TextField
              label={question.asks}
              placeholder={question.unit === 'ratio' ? 'a number' : `in ${question.unit}`}
              value={practice.values[question.name] ?? ''}
              oninput={(event: Event & { currentTarget: HTMLInputElement }) =>
                (practice.values[question.name] = event.currentTarget.value)}
            />
          </Labelled>
        {/if}
      {/each}
      {#if practice.byPatch && !marked}
        <p class="faint">
          {practice.inHand
            ? `What is handed in is ${workbench.patch?.name ?? 'the patch'} as it stands on the sheet now.`
            : 'Open the patch, change it on its sheet, and come back to hand it in.'}
        </p>
      {/if}
      {#if !marked}
        <Button class="strong" type="submit" disabled={!ready}>Hand it in</Button>
        <Button look="bare" onclick={another}>Another</Button>
      {/if}
    </form>
    {#if marked}<Marks view={marked} onnext={onward} />{/if}
    {#if view.more}
      <details>
        <summary>More on this</summary>
        <p class="more">{view.more}</p>
      </details>
    {/if}
  </section>
{/if}

<style>
  section {
    max-width: 720px;
  }
  h3 {
    margin: 0 0 4px;
  }
  .asks {
    margin: 0 0 8px;
    font-size: 15px;
  }
  form :global(.labelled) {
    grid-template-columns: 18rem 12rem;
  }
  .options {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 6px 12px;
  }
  .options > div {
    border: 1px solid transparent;
    border-radius: 5px;
    padding: 2px 6px;
  }
  .options > .chosen {
    border-color: var(--ink);
  }
  .faint,
  .more {
    color: var(--faint);
    font-size: 13px;
  }
  .more {
    white-space: pre-line;
  }
</style>
