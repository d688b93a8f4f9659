<script lang="ts">
  import type { FieldFacts, Module } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { fieldValue, modules, replaceModule } from '../lib/document';
  import { shown } from '../lib/format';
  import ValueField from './ValueField.svelte';

  /** One field of a source: the right editor for its role, built from the catalogue. */
  let { module, field }: { module: Module; field: FieldFacts } = $props();

  const value = $derived(fieldValue(module, field));
  const label = $derived(field.name.replace(/_(s|hz)$/, '').replaceAll('_', ' '));
  const moved = $derived(bench.sheet?.lanes[`${module.id}.${field.name}`]);
  const others = $derived([
    ...(bench.patch ? modules(bench.patch).map((m) => m.id) : []),
    ...Object.keys(bench.catalogue?.signals ?? {})
  ]);
  const listed = $derived(JSON.stringify(value ?? null));

  /** A drawn shape needs points: choosing it gives it some to begin with. */
  const FIRST_POINTS = [
    [0, 0],
    [0.5, 1],
    [1, 0]
  ];

  function set(next: unknown, merge = ''): void {
    if (next === 'drawn' && (fieldOf('points') as unknown[]).length < 2 && bench.patch) {
      bench.edit(`${module.id} drawn`, replaceModule(bench.patch, module.id, { shape: next, points: FIRST_POINTS }));
      return;
    }
    const said =
      typeof next === 'number' || typeof next === 'string' ? shown(next, field.unit ?? '') : JSON.stringify(next);
    bench.setField(module.id, field.name, next, `${module.id} ${label} ${said}`.slice(0, 60), merge);
  }

  function setCount(input: HTMLInputElement): void {
    const text = input.value.trim();
    if (text === '' && field.default === null) set(null);
    else if (/^\d{1,6}$/.test(text)) set(Number(text));
    else bench.say(`${module.id} ${label}: found "${text.slice(0, 40)}"; it must be a whole number.`, true);
    input.value = String(fieldValue(module, field) ?? '');
  }

  function setList(text: string): void {
    if (text.trim() === listed) return;
    try {
      set(JSON.parse(text));
    } catch {
      bench.say(`${label}: found "${text.slice(0, 40)}"; it must be a list such as [[0, 0], [1, 1]].`, true);
    }
  }

  function fieldOf(name: string): unknown {
    return (module as unknown as Record<string, unknown>)[name] ?? [];
  }

  const choiceText = (choice: unknown): string => (choice === null ? 'none' : String(choice).replaceAll('_', ' '));
</script>

<div class="field-row">
  <span class="label" title={field.help}>{label}</span>
  <div class="editor">
    {#if field.role === 'number'}
      <ValueField
        value={value as number | string}
        unit={field.unit ?? 'signal'}
        label="{module.id} {label}"
        title={field.help}
        low={field.low}
        high={field.high}
        noteValues={field.note_values ?? false}
        width="100%"
        oncommit={set}
      />
    {:else if field.role === 'choice' && (field.choices ?? []).length > 0}
      <select
        class="field"
        aria-label="{module.id} {label}"
        title={field.help}
        value={String(value)}
        onchange={(event) => set((field.choices ?? []).find((c) => String(c) === event.currentTarget.value))}
      >
        {#each field.choices ?? [] as choice (String(choice))}<option value={String(choice)}
            >{choiceText(choice)}</option
          >{/each}
      </select>
    {:else if field.role === 'choice' && typeof field.default === 'boolean'}
      <input
        type="checkbox"
        aria-label="{module.id} {label}"
        checked={Boolean(value)}
        onchange={(e) => set(e.currentTarget.checked)}
      />
    {:else if field.role === 'choice'}
      <input
        class="field"
        style="width: 100%"
        aria-label="{module.id} {label}"
        title={field.help}
        placeholder="none"
        inputmode="numeric"
        value={value ?? ''}
        onchange={(e) => setCount(e.currentTarget)}
      />
    {:else if field.role === 'signal'}
      <select
        class="field"
        aria-label="{module.id} {label}"
        title={field.help}
        value={String(value)}
        onchange={(e) => set(others.includes(e.currentTarget.value) ? e.currentTarget.value : 0)}
      >
        <option value="0">nothing</option>
        {#if typeof value === 'number' && value !== 0}<option value={String(value)}>{value}</option>{/if}
        {#each others as name (name)}<option value={name}>{name.replace('_', ' ')}</option>{/each}
      </select>
    {:else if field.role === 'text'}
      <input
        class="field"
        style="width: 100%"
        aria-label="{module.id} {label}"
        value={value ?? ''}
        onchange={(e) => set(e.currentTarget.value)}
      />
    {:else}
      <textarea
        class="field"
        rows="2"
        aria-label="{module.id} {label}"
        title={field.help}
        spellcheck="false"
        value={listed}
        onchange={(e) => setList(e.currentTarget.value)}></textarea>
    {/if}
  </div>
  {#if moved && moved.least !== moved.greatest}
    <p class="moved">moved over {shown(moved.least, moved.unit)} to {shown(moved.greatest, moved.unit)}</p>
  {/if}
</div>

<style>
  .field-row {
    display: grid;
    grid-template-columns: 6.6rem 1fr;
    align-items: center;
    gap: 2px 8px;
  }
  .label {
    color: var(--faint);
    font-size: 13.5px;
  }
  .editor {
    min-width: 0;
  }
  select.field,
  textarea.field {
    width: 100%;
  }
  .moved {
    grid-column: 2;
    margin: 0;
    font-size: 12px;
    color: var(--faint);
  }
</style>
