<script lang="ts">
  import Aged from '../common/Aged.svelte';
  import Button from '../common/Button.svelte';
  import { practice, practise } from '../practice/practice-now';
  import { term } from '../common/hint';
  import { api, asBody, unwrap } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import { shown } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import type { Place } from '../api/api';
  import type { components } from '../api/schema.gen';
  import { titleOf } from '../state/wording';
  import Labelled from '../common/Labelled.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** The figures that belong to one thing: a stave, a source, a route, or the patch. Some can be aimed at. */
  let {
    about,
    awaited = ''
  }: {
    about: Place;
    /** A figure that there always is: its row stands before the judgement comes, so that nothing under it moves. */
    awaited?: string;
  } = $props();

  $effect(() => {
    void messages.attempt(() => practice.learnAbouts());
  });

  type Figure = components['schemas']['FigureView'];
  /** Said under the field that they belong to. */
  const IN_FIELDS = 'note_values';

  const mine = $derived(
    (workbench.judging.judgement?.figures ?? []).filter(
      (figure) => figure.about.what === about.what && figure.about.id === about.id && figure.kind !== IN_FIELDS
    )
  );
  const groups = $derived([...new Set(mine.map((figure) => figure.group))]);
  const owner = $derived(about.what === 'stave' ? titleOf(about.id) : about.id);

  async function aim(figure: Figure, value: number): Promise<void> {
    const { kind, name } = figure;
    await workbench.work(`${owner} ${name} ${shown(value, figure.unit)}`, (patch) =>
      unwrap(api.POST('/api/assist/figure', { body: { document: asBody(patch), kind, about, name, value } }))
    );
  }
</script>

<Aged old={workbench.judging.isOld}>
  {#if awaited && !workbench.judging.judgement}
    <div class="placed"><span>{awaited}</span><b>–</b></div>
  {/if}
  {#each groups as group (group)}
    {#if group}<h4 class="group">{group}</h4>{/if}
    {#each mine.filter((figure) => figure.group === group) as figure, i (i)}
      {#if figure.settable}
        <Labelled name={figure.name} help={figure.help}>
          <ValueField
            value={Number(figure.value.toPrecision(5))}
            unit={figure.unit || 'signal'}
            label="{owner}: {figure.name}"
            width="100%"
            oncommit={(v) => void messages.attempt(() => aim(figure, Number(v)))}
          />
        </Labelled>
      {:else}
        <div class="placed" {...term(figure.help)}><span>{figure.name}</span><b>{figure.said}</b></div>
        {#if i === 0 && practice.abouts.has(figure.kind)}
          <Button look="bare" onclick={() => void messages.attempt(() => practise(figure.kind))}>Practise this</Button>
        {/if}
      {/if}
    {/each}
  {/each}
</Aged>
