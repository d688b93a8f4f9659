<script lang="ts">
  import { term } from '../common/hint';
  import { api, asBody, unwrap } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import { shown } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import type { components } from '../api/schema.gen';
  import { titleOf } from '../state/wording';
  import Labelled from '../common/Labelled.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** The figures that belong to one thing: a stave, a source, a route, or the patch (no name). Some can be wished for. */
  let { about }: { about: string } = $props();

  type Reading = components['schemas']['FigureView'];
  /** Said under the field that they belong to. */
  const IN_FIELDS = 'note_values';

  const mine = $derived(
    (workbench.judging.judgement?.readings ?? []).filter(
      (reading) => reading.about === about && reading.kind !== IN_FIELDS
    )
  );
  const groups = $derived([...new Set(mine.map((reading) => reading.group))]);
  const owner = $derived(/^(signal|route)\./.test(about) ? about.replace(/^\w+\./, '') : titleOf(about));

  async function wish(reading: Reading, value: number): Promise<void> {
    const { kind, name } = reading;
    await workbench.work(`${owner} ${name} ${shown(value, reading.unit)}`, (patch) =>
      unwrap(api.POST('/api/assist/reading', { body: { document: asBody(patch), kind, about, name, value } }))
    );
  }
</script>

{#each groups as group (group)}
  {#if group}<h4 class="told">{group}</h4>{/if}
  {#each mine.filter((reading) => reading.group === group) as reading, i (i)}
    {#if reading.settable}
      <Labelled name={reading.name} help={reading.help}>
        <ValueField
          value={Number(reading.value.toPrecision(5))}
          unit={reading.unit || 'signal'}
          label="{owner}: {reading.name}"
          width="100%"
          oncommit={(v) => void messages.attempt(() => wish(reading, Number(v)))}
        />
      </Labelled>
    {:else}
      <div class="reading" {...term(reading.help)}><span>{reading.name}</span><b>{reading.said}</b></div>
    {/if}
  {/each}
{/each}
