<script lang="ts">
  import Button from '../common/Button.svelte';
  import type { FieldFacts, Module, Patch } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import { joinStream } from '../state/actions';
  import { draws, modules, streamOf } from '../state/document';
  import { figure, noteName, shown } from '../common/format';
  import { cut } from '../common/text';
  import { usefulText } from '../range/range';
  import Choice from '../common/Choice.svelte';
  import CurveEditor from './CurveEditor.svelte';
  import Labelled from '../common/Labelled.svelte';
  import MixInputs from './MixInputs.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import ScaleKeys from './ScaleKeys.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** One field of a source or of the voice: the right editor for its role, built from the catalogue. */
  interface Props {
    field: FieldFacts;
    value: unknown;
    /** Whose field it is, as it is said in labels and in Undo. */
    owner: string;
    /** What stands under it: how far it is moved. */
    under?: string;
    module?: Module;
    onset: (value: unknown, label: string, merge: string, draft?: boolean) => void;
  }
  let { field, value, owner, under = '', module, onset }: Props = $props();

  const label = $derived(field.name.replace(/_(s|hz|bpm)$/, '').replaceAll('_', ' '));
  const said = $derived(`${owner} ${label}`);
  const others = $derived([
    ...(workbench.patch ? modules(workbench.patch).map((m) => m.id) : []),
    ...workbench.signals
  ]);
  /** The same value said the other way: beats beside a time, a note beside a frequency. */
  const beside = $derived.by(() => {
    if (typeof value === 'string' && module) {
      const all = workbench.judging.judgement?.figures ?? [];
      return all.find((r) => r.kind === 'note_values' && r.about.id === module.id && r.name === field.name)?.said ?? '';
    }
    if (typeof value !== 'number' || value <= 0) return '';
    if (field.unit === 's') return `${figure((value * workbench.tempo) / 60, 3)} beats`;
    if (field.unit !== 'Hz') return '';
    return value >= 16
      ? noteName(69 + 12 * Math.log2(value / 440))
      : `every ${figure(workbench.tempo / 60 / value, 3)} beats`;
  });
  /** Between which values it is useful, where that is kept. */
  const kept = $derived.by(() => {
    const ranges = workbench.patch?.useful_ranges;
    const ends =
      module &&
      (ranges?.[`${module.id}.${field.name}`] ?? (field.name === 'value' ? ranges?.[`macro:${module.id}`] : undefined));
    return ends ? `useful ${usefulText(ends, field.unit ?? 'signal')}` : '';
  });
  /** The other sources of chance, whose numbers this one may draw. */
  const chances = $derived.by(() => {
    const { patch, catalogue } = workbench;
    if (!patch || !catalogue) return [];
    return modules(patch).filter((one) => one.id !== module?.id && draws(one, catalogue));
  });
  const streams = $derived([
    ['', 'its own numbers'] as const,
    ...chances.map((one) => [one.id, `joined with ${one.id}`] as const)
  ]);
  const joined = $derived(
    (module as { joined?: boolean } | undefined)?.joined
      ? (chances.find((one) => module && streamOf(one) === streamOf(module))?.id ?? '')
      : ''
  );
  const listed = $derived(JSON.stringify(value ?? null));
  const tables = $derived([
    ...Object.keys(workbench.catalogue?.tables ?? {}).map((name) => [name, name] as const),
    ...(workbench.patch?.voice?.oscillators?.tables ?? []).map((own) => [own.name, `${own.name} (own)`] as const)
  ]);

  /** What the field of this source is in a patch. */
  function partOf(patch: Patch): number | string | undefined {
    const found = modules(patch).find((one) => one.id === module?.id) as unknown as Record<string, number> | undefined;
    return found && (found[field.name] ?? (field.default as number));
  }

  function set(next: unknown, merge = '', draft = false): void {
    const reads =
      typeof next === 'number' || typeof next === 'string'
        ? shown(next, field.unit ?? '')
        : Array.isArray(next)
          ? 'drawn'
          : JSON.stringify(next);
    onset(next, cut(`${said} ${reads}`, 60), merge, draft);
  }

  function setCount(typed: string): string | void {
    const text = typed.trim();
    if (text === '' && field.default === null) set(null);
    else if (/^\d{1,6}$/.test(text)) set(Number(text));
    else return `${said}: found "${cut(text, 40)}"; it must be a whole number.`;
  }

  function setList(text: string): string | void {
    try {
      set(JSON.parse(text));
    } catch {
      return `${said}: found "${cut(text, 40)}"; it must be a list such as [[0, 0], [1, 1]].`;
    }
  }

  const choices = $derived(
    (field.choices ?? []).map((c) => [String(c), c === null ? 'none' : String(c).replaceAll('_', ' ')] as const)
  );
  const A_NUMBER = 'a number';
  /** What an input may read: nothing, a number, or any signal. */
  const signals = $derived([
    ['0', 'nothing'] as const,
    [A_NUMBER, typeof value === 'number' && value !== 0 ? 'number' : 'a number…'] as const,
    ...others.map((name) => [name, name.replace('_', ' ')] as const)
  ]);
</script>

{#if field.role === 'mix_inputs'}
  <div class="wide" data-hint={field.help}>
    <span>{label}</span>
    <MixInputs inputs={(value as { source: string }[] | null) ?? []} {owner} onset={set} />
  </div>
{:else if field.role === 'points' || field.role === 'numbers'}
  <div class="wide" data-hint={field.help}>
    <span>{label}</span>
    <CurveEditor {field} {owner} {value} {module} onset={set} />
  </div>
{:else}
  <Labelled name={label} help={field.help} under={[under || beside, kept].filter((text) => text).join(' · ')}>
    {#if field.role === 'number'}
      <ValueField
        value={value as number | string}
        unit={field.unit ?? 'signal'}
        label={said}
        part={module && partOf}
        low={field.low}
        high={field.high}
        noteValues={field.note_values ?? false}
        reset={field.default as number | string | undefined}
        width="100%"
        oncommit={(v, merge) => set(field.unit === 'count' ? Math.round(Number(v)) : v, merge)}
      />
    {:else if choices.length > 0}
      <Choice
        label={said}
        value={String(value)}
        options={choices}
        onchoose={(text) => set((field.choices ?? []).find((c) => String(c) === text))}
      />
    {:else if field.role === 'choice' && typeof field.default === 'boolean'}
      <Tick label={said} checked={Boolean(value)} onset={(to) => set(to)} />
    {:else if field.role === 'choice'}
      <TextField label={said} placeholder="none" inputmode="numeric" value={String(value ?? '')} onset={setCount} />
    {:else if field.role === 'signal'}
      <div class="pair">
        <Choice
          label={said}
          value={typeof value === 'number' ? (value === 0 ? '0' : A_NUMBER) : String(value)}
          options={signals}
          onchoose={(name) => set(name === '0' ? 0 : name === A_NUMBER ? 0.5 : name)}
        />
        {#if typeof value === 'number' && value !== 0}
          <ValueField {value} unit="signal" label="Number of {said}" width="4.2rem" oncommit={(v) => set(Number(v))} />
        {/if}
      </div>
    {:else if field.role === 'table'}
      <Choice
        label={said}
        hint={workbench.catalogue?.tables[String(value)]}
        value={String(value)}
        options={tables}
        onchoose={(name) => set(name)}
      />
    {:else if field.role === 'pair'}
      <div class="pair">
        {#if Array.isArray(value)}
          {#each ['Least', 'Greatest'] as end, i (end)}
            <ValueField
              value={(value as number[])[i] ?? 0}
              unit="signal"
              label="{end} of {said}"
              width="4.2rem"
              oncommit={(v, merge) =>
                set(
                  (value as number[]).map((old, n) => (n === i ? Number(v) : old)),
                  merge
                )}
            />
          {/each}
          <Button look="bare" aria-label="No {said}" onclick={() => set(null)}>✕</Button>
        {:else}
          <Button look="bare" aria-label="Set {said}" onclick={() => set([0, 1])}>none; set it</Button>
        {/if}
      </div>
    {:else if field.role === 'scale'}
      <ScaleKeys value={value as string | number[]} {said} onset={set} />
    {:else if field.role === 'stream'}
      <Choice
        label={said}
        value={joined}
        options={streams}
        onchoose={(other) => module && joinStream(module.id, other)}
      />
    {:else if field.role === 'text'}
      <TextField label={said} value={String(value ?? '')} onset={(text) => set(text)} />
    {:else}
      <TextField rows={2} label={said} spellcheck="false" value={listed} onset={setList} />
    {/if}
  </Labelled>
{/if}

<style>
  .pair {
    display: flex;
    gap: 5px;
    align-items: center;
    font-size: 13px;
    color: var(--faint);
  }
  .wide {
    margin: 2px 0 8px;
  }
  .wide > span {
    display: block;
    color: var(--faint);
    font-size: 13.5px;
    margin-bottom: 3px;
  }
</style>
