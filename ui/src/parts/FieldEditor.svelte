<script lang="ts">
  import type { FieldFacts, Module } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { fieldValue, modules, replaceModule } from '../lib/document';
  import { shown } from '../lib/format';
  import Choice from './Choice.svelte';
  import Labelled from './Labelled.svelte';
  import ValueField from './ValueField.svelte';

  /** One field of a source: the right editor for its role, built from the catalogue. */
  let { module, field }: { module: Module; field: FieldFacts } = $props();

  const value = $derived(fieldValue(module, field));
  const label = $derived(field.name.replace(/_(s|hz)$/, '').replaceAll('_', ' '));
  const said = $derived(`${module.id} ${label}`);
  const moved = $derived(bench.sheet?.lanes[`${module.id}.${field.name}`]);
  const others = $derived([
    ...(bench.patch ? modules(bench.patch).map((m) => m.id) : []),
    ...Object.keys(bench.catalogue?.signals ?? {})
  ]);
  const movedOver = $derived(
    moved && moved.least !== moved.greatest
      ? `moved over ${shown(moved.least, moved.unit)} to ${shown(moved.greatest, moved.unit)}`
      : ''
  );
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
    const reads =
      typeof next === 'number' || typeof next === 'string' ? shown(next, field.unit ?? '') : JSON.stringify(next);
    bench.setField(module.id, field.name, next, `${module.id} ${label} ${reads}`.slice(0, 60), merge);
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

  const choices = $derived(
    (field.choices ?? []).map((c) => [String(c), c === null ? 'none' : String(c).replaceAll('_', ' ')] as const)
  );
  /** What an input may read: nothing, the number that it reads now, or any signal. */
  const signals = $derived([
    ['0', 'nothing'] as const,
    ...(typeof value === 'number' && value !== 0 ? [[String(value), String(value)] as const] : []),
    ...others.map((name) => [name, name.replace('_', ' ')] as const)
  ]);
</script>

<Labelled name={label} help={field.help} under={movedOver}>
  {#if field.role === 'number'}
    <ValueField
      value={value as number | string}
      unit={field.unit ?? 'signal'}
      label={said}
      title={field.help}
      low={field.low}
      high={field.high}
      noteValues={field.note_values ?? false}
      width="100%"
      oncommit={set}
    />
  {:else if choices.length > 0}
    <Choice
      label={said}
      title={field.help}
      value={String(value)}
      options={choices}
      onchoose={(text) => set((field.choices ?? []).find((c) => String(c) === text))}
    />
  {:else if field.role === 'choice' && typeof field.default === 'boolean'}
    <input type="checkbox" aria-label={said} checked={Boolean(value)} onchange={(e) => set(e.currentTarget.checked)} />
  {:else if field.role === 'choice'}
    <input
      class="field"
      aria-label={said}
      title={field.help}
      placeholder="none"
      inputmode="numeric"
      value={value ?? ''}
      onchange={(e) => setCount(e.currentTarget)}
    />
  {:else if field.role === 'signal'}
    <Choice
      label={said}
      title={field.help}
      value={String(value)}
      options={signals}
      onchoose={(name) => set(others.includes(name) ? name : Number(name))}
    />
  {:else if field.role === 'text'}
    <input class="field" aria-label={said} value={value ?? ''} onchange={(e) => set(e.currentTarget.value)} />
  {:else}
    <textarea
      class="field"
      rows="2"
      aria-label={said}
      title={field.help}
      spellcheck="false"
      value={listed}
      onchange={(e) => setList(e.currentTarget.value)}></textarea>
  {/if}
</Labelled>
