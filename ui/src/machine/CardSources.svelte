<script lang="ts">
  import Button from '../common/Button.svelte';
  import TextField from '../common/TextField.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { namesIn, slotReach, slotWords, type Card, type CardSource } from './card';

  /** The machine's own sources: what each has of every choice, and what it may move by a slot; the slots. */
  let { card, put }: { card: Card; put: (next: Card) => void } = $props();
  const sources = $derived(card.sources ?? []);

  const choicesOf = (kind: string): { name: string; choices: string[] }[] =>
    (workbench.catalogue?.kinds.find((one) => one.kind === kind)?.fields ?? [])
      .filter((field) => field.role === 'choice')
      .map((field) => ({ name: field.name, choices: (field.choices ?? []).map(String) }));

  function change(place: number, fields: Partial<CardSource>): void {
    put({ ...card, sources: sources.map((one, at) => (at === place ? { ...one, ...fields } : one)) });
  }
  function setChoice(place: number, name: string, known: string[], text: string): string | void {
    const said = namesIn(text);
    const unknown = said.find((one) => !known.includes(one));
    if (unknown) return `"${unknown}": ${known.join(', ')}`;
    change(place, { choices: { ...sources[place]!.choices, [name]: said } });
  }
  function setReach(place: number, text: string): string | void {
    const read = slotReach(text, workbench.catalogue?.destinations ?? []);
    if (typeof read === 'string') return read;
    change(place, read);
  }
  function remove(place: number): void {
    const { name } = sources[place]!;
    const mine = (sets: string): boolean => sets.startsWith(`${name}.`) || sets.startsWith(`${name} to `);
    const controls = (card.controls ?? []).filter((one) => !mine(one.sets));
    put({ ...card, sources: sources.filter((_, at) => at !== place), controls });
  }
</script>

{#each sources as source, place (place)}
  <div class="row" role="group" aria-label="Source {source.name}">
    <b>{source.name}</b> <small>{source.kind.replace('_', '-and-')}</small>
    {#each choicesOf(source.kind) as { name, choices } (name)}
      <label>
        <small>{name.replaceAll('_', ' ')}</small>
        <TextField
          label="Of {name.replaceAll('_', ' ')} {source.name} has"
          placeholder="only {choices[0]}"
          value={(source.choices?.[name] ?? []).join(', ')}
          onset={(text) => setChoice(place, name, choices, text)}
        />
      </label>
    {/each}
    <label>
      <small>by a slot</small>
      <TextField
        label="What {source.name} moves by a slot"
        placeholder="as: cutoff 24, fold"
        value={slotWords(source)}
        onset={(text) => setReach(place, text)}
      />
    </label>
    <Button look="bare" aria-label="Take {source.name} off the card" onclick={() => remove(place)}>✕</Button>
  </div>
{/each}
<div class="row">
  <label>
    <small>slots</small>
    <TextField
      label="How many slots it has"
      placeholder="not counted"
      value={card.slots == null ? '' : String(card.slots)}
      onset={(text) => {
        const slots = text.trim() === '' ? null : Number(text);
        if (slots !== null && !(Number.isInteger(slots) && slots >= 0 && slots <= 256))
          return `"${text}": 0 to 256, or nothing`;
        put({ ...card, slots });
      }}
    />
  </label>
  <label>
    <small>a slot is scaled by</small>
    <TextField
      label="What may scale a slot"
      placeholder="nothing"
      value={(card.scaled_by ?? []).join(', ')}
      onset={(text) => put({ ...card, scaled_by: namesIn(text) })}
    />
  </label>
</div>

<style>
  .row {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 12px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  label {
    display: flex;
    align-items: center;
    gap: 6px;
  }
  .row :global(.field) {
    width: 9rem;
  }
  small {
    color: var(--faint);
  }
</style>
