<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice, { type Group, type Option } from '../common/Choice.svelte';
  import FileButton from '../common/FileButton.svelte';
  import TextField from '../common/TextField.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import CardSources from './CardSources.svelte';
  import { pointsOf, type Card, type CardControl } from './card';
  import { machine } from './machine-now';

  /** A machine card made by hand: its sources, and each control with what it sets, its scale and its law. */
  let { card }: { card: Card } = $props();
  const LAWS: Option[] = [
    ['linear', 'linear'],
    ['logarithmic', 'logarithmic'],
    ['table', 'measured points']
  ];
  const READ: Option[] = [
    ['number', 'a number'],
    ['clock', 'by the clock'],
    ['names', 'names']
  ];

  const kinds = $derived(
    (workbench.catalogue?.kinds ?? []).map((one) => [one.kind, one.title.toLowerCase()] as Option)
  );
  const controls = $derived(card.controls ?? []);
  const sources = $derived(card.sources ?? []);
  const destinations = $derived(
    (workbench.catalogue?.destinations ?? []).map((at) => [at.name, at.title.toLowerCase()] as Option)
  );
  /** Everything that a control can set: what the voice has, and of each source its settings and how far it goes. */
  const targets = $derived.by((): Group[] => [
    { title: 'The voice', options: destinations },
    ...sources.map((source) => {
      const kind = workbench.catalogue?.kinds.find((one) => one.kind === source.kind);
      const fields = (kind?.fields ?? []).filter((field) => field.role === 'number' || field.role === 'choice');
      return {
        title: source.name,
        options: [
          ...fields.map(
            (field) =>
              [
                `${source.name}.${field.name}`,
                `its ${field.name.replace(/_(s|hz)$/, '').replaceAll('_', ' ')}`
              ] as Option
          ),
          ...destinations.map(([name, title]) => [`${source.name} to ${name}`, `how far on ${title}`] as Option)
        ]
      };
    })
  ]);

  function put(next: Card): void {
    void messages.attempt(() => machine.write(next));
  }
  function change(place: number, fields: Partial<CardControl>): void {
    put({ ...card, controls: controls.map((one, at) => (at === place ? { ...one, ...fields } : one)) });
  }
  function number(place: number, field: 'low' | 'high' | 'from_value' | 'to_value', text: string): string | void {
    const value = Number(text.replace('−', '-'));
    if (text.trim() === '' || !Number.isFinite(value)) return `"${text}": a number`;
    change(place, { [field]: value });
  }
  const free = (stem: string, taken: string[]): string => {
    for (let n = 1; ; n++) if (!taken.includes(`${stem} ${n}`)) return `${stem} ${n}`;
  };
  function addControl(): void {
    const name = free(
      'Control',
      controls.map((one) => one.name)
    );
    put({
      ...card,
      controls: [...controls, { name, sets: 'cutoff', law: 'logarithmic', from_value: 20, to_value: 20000 }]
    });
  }
  function addSource(kind: string): void {
    put({
      ...card,
      sources: [
        ...sources,
        {
          name: free(
            kind.replace('_', ' '),
            sources.map((one) => one.name)
          ),
          kind
        }
      ]
    });
  }
  async function measured(place: number, file: File): Promise<void> {
    change(place, { law: 'table', table: pointsOf(await file.text(), file.name) });
  }
</script>

<div class="editor" role="group" aria-label="The card">
  <p class="head">
    <TextField
      label="Name of the card"
      maxlength={120}
      value={card.name ?? ''}
      onset={(name) => put({ ...card, name })}
    />
    <Choice look="quiet" label="Add a source of the machine" prompt="+ a source" options={kinds} onchoose={addSource} />
    <Button onclick={addControl}>+ a control</Button>
  </p>
  {#if sources.length}<CardSources {card} {put} />{/if}
  <div class="rows">
    {#each controls as control, place (place)}
      {@const law = control.law ?? 'linear'}
      <div class="row" role="group" aria-label="Control {control.name}">
        <TextField
          label="Name of control {place + 1}"
          maxlength={64}
          value={control.name}
          onset={(name) => change(place, { name: name.trim() })}
        />
        <Choice
          look="quiet"
          label="What {control.name} sets"
          options={targets}
          value={control.sets}
          onchoose={(sets) => change(place, { sets })}
        />
        <Choice
          look="quiet"
          label="How {control.name} is read"
          options={READ}
          value={control.shown ?? 'number'}
          onchoose={(shown) =>
            change(
              place,
              shown === 'names' && !control.positions?.length ? { shown, positions: ['off', 'on'] } : { shown }
            )}
        />
        {#if control.shown === 'names'}
          <TextField
            class="wide"
            label="Positions of {control.name}"
            placeholder="names, with commas"
            value={(control.positions ?? []).join(', ')}
            onset={(text) =>
              change(place, {
                positions: text
                  .split(',')
                  .map((one) => one.trim())
                  .filter(Boolean)
              })}
          />
        {:else}
          <TextField
            class="few"
            label="Least figure of {control.name}"
            value={String(control.low ?? 0)}
            onset={(text) => number(place, 'low', text)}
          />
          <span>to</span>
          <TextField
            class="few"
            label="Greatest figure of {control.name}"
            value={String(control.high ?? 10)}
            onset={(text) => number(place, 'high', text)}
          />
        {/if}
        <Choice
          look="quiet"
          label="Law of {control.name}"
          options={LAWS}
          value={law}
          onchoose={(one) =>
            change(
              place,
              one === 'table' && !control.table?.length
                ? {
                    law: one,
                    table: [
                      [control.low ?? 0, control.from_value ?? 0],
                      [control.high ?? 10, control.to_value ?? 1]
                    ]
                  }
                : { law: one }
            )}
        />
        {#if law === 'table'}
          <FileButton
            label="Measured points of {control.name}"
            accept=".csv,text/csv"
            hint="Lines of figure,value as they were measured"
            onfile={(file) => void messages.attempt(() => measured(place, file))}
            >{control.table?.length ?? 0} points, from CSV…</FileButton
          >
        {:else}
          <TextField
            class="few"
            label="Value at the least figure of {control.name}"
            value={String(control.from_value ?? 0)}
            onset={(text) => number(place, 'from_value', text)}
          />
          <span>to</span>
          <TextField
            class="few"
            label="Value at the greatest figure of {control.name}"
            value={String(control.to_value ?? 1)}
            onset={(text) => number(place, 'to_value', text)}
          />
        {/if}
        <TextField
          class="few"
          label="Steps of {control.name}"
          placeholder="steps"
          value={control.steps ? String(control.steps) : ''}
          onset={(text) => {
            const steps = text.trim() === '' ? null : Number(text);
            if (steps !== null && !(Number.isInteger(steps) && steps >= 2)) return `"${text}": 2 or more, or none`;
            change(place, { steps });
          }}
        />
        <TextField
          class="few"
          label="Controller of {control.name}"
          placeholder="CC"
          value={control.controller == null ? '' : String(control.controller)}
          onset={(text) => {
            const controller = text.trim() === '' ? null : Number(text);
            if (controller !== null && !(Number.isInteger(controller) && controller >= 0 && controller <= 127))
              return `"${text}": 0 to 127`;
            change(place, { controller });
          }}
        />
        <Button
          look="bare"
          aria-label="Take {control.name} off the card"
          onclick={() => put({ ...card, controls: controls.filter((_, at) => at !== place) })}>✕</Button
        >
      </div>
    {:else}<p class="none">A card begins with its sources (envelopes, LFOs), then a control for each knob.</p>{/each}
  </div>
</div>

<style>
  .editor {
    flex: 1;
    min-height: 0;
    overflow: hidden auto;
    scrollbar-width: thin;
    padding: 8px 14px 14px;
    font-size: 13px;
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    align-items: center;
    margin: 0 0 6px;
  }
  .none {
    color: var(--faint);
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  .row :global(.field) {
    width: 6.8rem;
  }
  .row :global(.field.few) {
    width: 3.7rem;
  }
  .row :global(select) {
    max-width: 7.6rem;
  }
  .row :global(.field.wide) {
    width: 13rem;
  }
</style>
