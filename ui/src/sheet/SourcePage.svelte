<script lang="ts">
  import Aged from '../common/Aged.svelte';
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { untrack } from 'svelte';
  import type { FieldFacts, Module } from '../api/api';
  import { titleOf } from '../state/wording';
  import {
    addRoute,
    duplicateSource,
    eachChoice,
    handOver,
    muteSource,
    splitSource,
    removeSource,
    setField,
    solo
  } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import {
    dyeOf,
    fieldValue,
    applies,
    modules,
    renameModule,
    replaceModule,
    routes,
    shownName
  } from '../state/document';
  import { shown } from '../common/format';
  import { copyChosen } from '../state/clipboard';
  import Figures from './Figures.svelte';
  import MacroTable from './MacroTable.svelte';
  import Between from './Between.svelte';
  import PlacedFigures from './PlacedFigures.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import FieldEditor from './FieldEditor.svelte';
  import RouteSentence from './RouteSentence.svelte';

  let { module: given }: { module: Module } = $props();

  /** The page is of one source for as long as it lives, so that what is typed here lands here. */
  const id = untrack(() => given.id);
  let known = untrack(() => given);
  const module = $derived.by(
    () => (known = (workbench.patch && modules(workbench.patch).find((m) => m.id === id)) ?? known)
  );

  const kind = $derived(workbench.catalogue?.kinds.find((facts) => facts.kind === module.kind));
  const dye = $derived(workbench.patch ? dyeOf(workbench.patch, module.id) : { colour: 'faint', dash: [] });
  const mine = $derived(workbench.patch ? routes(workbench.patch).filter((route) => route.source === module.id) : []);
  const muted = $derived(mine.length > 0 && mine.every((route) => route.enabled === false));
  let handed: string[] = $state([]);
  const measured = $derived(workbench.judging.judgement?.measures.signals[module.id]);
  const sources = $derived([
    ...(workbench.patch ? modules(workbench.patch).map((m) => m.id) : []),
    ...workbench.signals
  ]);
  const others = $derived(workbench.patch ? routes(workbench.patch).filter((route) => route.source !== module.id) : []);
  const alone = $derived(others.length > 0 && others.every((route) => route.enabled === false) && !muted);
  const own = $derived(
    (kind?.fields ?? [])
      .filter((field) => field.movable)
      .map((field) => ({
        name: `${module.id}.${field.name}`,
        label: field.name.replace(/_(s|hz)$/, '').replaceAll('_', ' ')
      }))
  );
  /** What the source can be laid beside itself in: choices few enough to be seen at once. */
  const comparable = $derived(
    (kind?.fields ?? []).filter((field) => (field.choices ?? []).length > 1 && field.choices!.length <= 6)
  );
  const otherFields = $derived(
    (workbench.patch ? modules(workbench.patch) : []).flatMap((other) =>
      (workbench.catalogue?.kinds.find((k) => k.kind === other.kind)?.fields ?? [])
        .filter((field) => field.movable)
        .map((field) => `${other.id}.${field.name}`)
    )
  );

  /** Points of a repeating shape stand only where the shape is drawn. */
  function stands(field: FieldFacts): boolean {
    // The choice of the stream says it.
    if (field.role === 'joined') return false;
    // A macro has one name: the field at the top is it.
    if (field.role === 'text' && field.name === 'name') return false;
    return !field.with_points && applies(field, module, kind?.fields ?? []);
  }

  function movedOver(field: FieldFacts): string {
    const moved = workbench.sheet?.lanes[`${module.id}.${field.name}`];
    if (!moved || moved.least === moved.greatest) return '';
    return `moved over ${shown(moved.least, moved.unit)} to ${shown(moved.greatest, moved.unit)}`;
  }

  /** A drawn shape needs points: choosing it gives it some to begin with. */
  function change(field: FieldFacts, value: unknown, label: string, merge: string, draft = false): void {
    const points = (module as unknown as Record<string, unknown>)['points'] as unknown[] | undefined;
    if (value === 'drawn' && (points?.length ?? 0) < 2 && workbench.patch) {
      const drawn = {
        shape: value,
        points: [
          [0, 0],
          [0.5, 1],
          [1, 0]
        ]
      };
      workbench.edit(label, replaceModule(workbench.patch, id, drawn));
    } else setField(id, field.name, value, label, merge, draft);
  }

  const title = $derived(shownName(module));
  function rename(text: string): string | void {
    const to = text.trim();
    if (!workbench.patch || !workbench.catalogue || to === title || !to) return;
    if (modules(workbench.patch).some((other) => other.id === to && other !== module))
      return `The name: found "${to}"; it must be one that no other source has.`;
    const next = renameModule(workbench.patch, module.id, to, workbench.catalogue);
    workbench.edit(`rename ${module.id} to ${to}`, next);
    workbench.chosen = { what: 'source', id: to };
  }

  const movable = $derived([
    {
      title: 'the voice',
      options: (workbench.catalogue?.destinations ?? []).map((at) => [at.name, at.title] as const)
    },
    { title: 'other sources', options: otherFields.map((name) => [name, titleOf(name)] as const) },
    {
      title: 'how far a route goes',
      options: (workbench.patch ? routes(workbench.patch) : []).map((r) => [`route:${r.id}.amount`, r.id] as const)
    }
  ]);
  const movedBy = $derived(
    [...(workbench.patch ? modules(workbench.patch).map((m) => m.id) : []), ...workbench.signals].map(
      (source) => [source, source.replace('_', ' ')] as const
    )
  );
</script>

<header>
  <i style:background="var(--{dye.colour})"></i>
  <TextField class="id" label="Name of the source" value={title} onset={rename} />
  <span>{kind?.title}</span>
</header>
<p class="help">{kind?.help.split('\n')[0]}</p>

{#each (kind?.fields ?? []).filter(stands) as field (field.name)}
  <FieldEditor
    {field}
    {module}
    owner={id}
    value={fieldValue(module, field)}
    under={movedOver(field)}
    onset={(value, label, merge, draft) => change(field, value, label, merge, draft)}
  />
{/each}

{#if kind?.lane}<MacroTable {module} />{/if}

{#if measured}
  <h3>It makes</h3>
  <Aged old={workbench.judging.isOld}><Figures of={measured} unit="signal" /></Aged>
  <Between name="signal.{module.id}" unit="signal" />
  <PlacedFigures about={{ what: 'source', id: module.id }} />
{/if}

<h3>It moves</h3>
{#each mine as route (route.id)}
  <div class="mine">
    {#if mine.length > 1}
      <Tick
        label="Choose {route.id} to hand over"
        checked={handed.includes(route.id)}
        onset={(chosen) => (handed = chosen ? [...handed, route.id] : handed.filter((id) => id !== route.id))}
      />
    {/if}
    <RouteSentence {route} from="source" />
  </div>
{:else}
  <p class="help">Nothing yet.</p>
{/each}
<div class="acts">
  <Choice
    look="quiet"
    label="Let {module.id} move something"
    prompt="Move something…"
    options={movable}
    onchoose={(destination) => addRoute(module.id, destination)}
  />
  {#if new Set(mine.map((route) => route.destination)).size > 1}
    <Button
      data-hint="A copy for each destination: what is changed of one then changes one only"
      onclick={() => splitSource(module.id)}>One for each</Button
    >
  {/if}
  {#if mine.length > 0}
    <Button onclick={() => muteSource(module.id, muted)}>{muted ? 'Unmute' : 'Mute'} it</Button>
    {#if alone}
      <Button onclick={() => solo(null, 'let all sound')}>Let all sound</Button>
    {:else}
      <Button
        data-hint="Mute every route that is not from it"
        onclick={() => solo((route) => route.source === module.id, `only ${module.id}`)}>Only it</Button
      >
    {/if}
    <Choice
      look="quiet"
      label="Hand the routes of {module.id} over"
      prompt="Hand {handed.length ? `${handed.length} route${handed.length > 1 ? 's' : ''}` : 'all'} over to…"
      options={sources.filter((name) => name !== module.id).map((name) => [name, name.replace('_', ' ')] as const)}
      onchoose={(to) => {
        handOver(module.id, to, handed.length ? handed : undefined);
        handed = [];
      }}
    />
  {/if}
  {#if comparable.length > 0}
    <Choice
      look="quiet"
      label="Lay {module.id} beside copies of itself"
      prompt="Side by side…"
      hint="A copy for each other choice, on the same random numbers, each as a stave"
      options={comparable.map((field) => [field.name, `every ${field.name}`] as const)}
      onchoose={(name) =>
        eachChoice(
          module.id,
          comparable.find((field) => field.name === name)!
        )}
    />
  {/if}
  <Button data-hint="With its routes (Ctrl-D)" onclick={() => duplicateSource(module.id)}>Duplicate</Button>
  <Button onclick={() => void copyChosen()}>Copy</Button>
  <Button aria-pressed={workbench.pinned.includes(module.id)} onclick={() => workbench.pin(module.id)}
    >{workbench.pinned.includes(module.id) ? 'Off the stave' : 'As a stave'}</Button
  >
  <Button onclick={() => removeSource(module.id)}>Remove it</Button>
</div>

{#if own.length > 0}
  <h3>What moves it</h3>
  {#each workbench.patch ? routes(workbench.patch).filter( (route) => route.destination.startsWith(`${module.id}.`) ) : [] as route (route.id)}
    <div class="on">
      <span>{own.find((field) => field.name === route.destination)?.label}</span>
      <RouteSentence {route} from="destination" />
    </div>
  {/each}
  <div class="acts">
    {#each own as field (field.name)}
      <Choice
        look="link"
        label="Add what moves {module.id} {field.label}"
        prompt="+ move {field.label}"
        options={movedBy}
        onchoose={(source) => addRoute(source, field.name)}
      />
    {/each}
  </div>
{/if}

<style>
  header {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  header i {
    width: 11px;
    height: 11px;
    border-radius: 50%;
    flex: none;
  }
  header span {
    color: var(--faint);
    font-size: 13px;
    white-space: nowrap;
  }
  header :global(.field.id) {
    font-weight: 700;
    font-size: 15px;
    border-color: transparent;
    background: none;
    flex: 1;
    width: 4rem;
  }
  header :global(.field.id:hover),
  header :global(.field.id:focus) {
    border-color: var(--edge);
  }
  .acts :global(select) {
    max-width: 9.5rem;
  }
  .mine {
    display: flex;
    gap: 5px;
    align-items: center;
  }
  .mine > :global(.sentence) {
    flex: 1;
  }
  .on > span {
    font-size: 12.5px;
    color: var(--faint);
  }
</style>
