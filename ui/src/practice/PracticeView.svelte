<script lang="ts">
  import { dayOf } from '../common/dates';
  import { untrack } from 'svelte';
  import Button from '../common/Button.svelte';
  import FileButton from '../common/FileButton.svelte';
  import Tick from '../common/Tick.svelte';
  import { saveDocument } from '../state/files';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import EarPart from './EarPart.svelte';
  import type { Dimension, Standing } from './practice.svelte';
  import { practice } from './practice-now';
  import TaskCard from './TaskCard.svelte';

  /** Tasks made fresh, marked by measured distance; what is sure and what is not; thresholds of one's own ear. */
  const shown = $derived(workbench.view === 'practice');
  const standing = $derived(practice.standing);
  $effect(() => {
    if (shown) untrack(() => attempt(() => practice.refresh()));
  });
  const attempt = (work: () => Promise<void>): void => void messages.attempt(work);

  type Skill = Standing['skills'][number];
  const kinds = $derived([...new Set((standing?.skills ?? []).map((skill) => skill.kind))]);
  const of = (kind: string): Skill[] => (standing?.skills ?? []).filter((skill) => skill.kind === kind);
  function says(skill: Skill): string {
    if (!skill.open) return 'opens after two good ones of the level before';
    if (!skill.done) return 'not done yet';
    const due = skill.due ? new Date(skill.due) : null;
    const marks = `${skill.done} done, ${Math.round(100 * (skill.marks ?? 0))} % of late`;
    return due && due.getTime() > Date.now() ? `${marks}; again ${dayOf(due)}` : `${marks}; due`;
  }
  async function readIn(file: File): Promise<void> {
    let document: unknown;
    try {
      document = JSON.parse(await file.text());
    } catch {
      throw new Error(`${file.name}: found no JSON; it must be what was taken out before.`);
    }
    await practice.readIn(document as Record<string, unknown>);
    messages.say(`${file.name} was read in.`);
  }
</script>

<div class="panel" role="group" aria-label="Practice">
  <div class="bar">
    <Button class="strong" onclick={() => attempt(() => practice.next())}>Next task</Button>
    <Button onclick={() => attempt(async () => saveDocument(await practice.takeOut(), 'practice'))}>Take it out</Button>
    <FileButton
      label="Choose a practice file"
      accept=".json,application/json"
      onfile={(file) => attempt(() => readIn(file))}>Read in…</FileButton
    >
  </div>
  <div class="body">
    <div class="task">
      {#if practice.dimension}<EarPart />
      {:else if practice.view}<TaskCard />
      {:else}
        <p class="none">
          Each task is made anew, marked by how far the answer is from what an ear can tell, and comes again when it is
          about to be forgotten. <em>Next task</em> begins.
        </p>
      {/if}
    </div>
    <div class="standing" role="region" aria-label="How far you are">
      {#each kinds as kind (kind)}
        <h4>{of(kind)[0]?.title}</h4>
        <div class="levels">
          {#each of(kind) as skill (skill.level)}
            <Button
              look="bare"
              disabled={!skill.open}
              data-hint={says(skill)}
              aria-label="{skill.title}, level {skill.level}: {skill.state}"
              onclick={() => attempt(() => practice.next({ kind, level: skill.level }))}
              >level {skill.level}{skill.state === 'sure' ? ' ✓' : ''}</Button
            >
          {/each}
        </div>
        {#each of(kind).filter((skill) => skill.done) as skill (skill.level)}
          <small class="said">level {skill.level}: {skill.state}; {says(skill)}</small>
        {/each}
      {/each}
      {#if standing}
        <h4>Your own ear</h4>
        {#each Object.entries(standing.thresholds) as [name, known] (name)}
          <div class="skill">
            <Button look="bare" onclick={() => attempt(() => practice.listen(name as Dimension))}>{name}</Button>
            <span
              >{known.trials
                ? `${known.value.toPrecision(2)} ${standing.units[name]}${known.sure ? '' : ' so far'}`
                : ''}</span
            >
            <small>
              {known.trials ? `${known.trials} ${known.trials === 1 ? 'pair' : 'pairs'}; ` : ''}most tell {standing
                .textbook[name]}
              {standing.units[name]}
              {#if known.trials}<Button
                  look="bare"
                  aria-label="Forget what is known of {name}"
                  onclick={() => attempt(() => practice.forget(name as Dimension))}>✕</Button
                >{/if}
            </small>
          </div>
        {/each}
        <Tick checked={standing.own_thresholds} onset={(on) => attempt(() => practice.own(on))}
          >findings go by my own, where it is known</Tick
        >
        {#if standing.latest.length}
          <h4>Of late</h4>
          <p class="late">
            {#each standing.latest.slice(0, 20) as one, n (n)}<span title="{one.kind}, level {one.level}"
                >{Math.round(100 * one.marks)}</span
              >
            {/each}
          </p>
        {/if}
      {/if}
    </div>
  </div>
</div>

<style>
  .body {
    display: grid;
    grid-template-columns: 1fr 260px;
    flex: 1;
    min-height: 0;
  }
  .task,
  .standing {
    overflow: hidden auto;
    scrollbar-width: thin;
    padding: 12px 16px;
  }
  .standing {
    border-left: 1px solid var(--rule);
    font-size: 13px;
  }
  h4 {
    margin: 10px 0 2px;
  }
  h4:first-child {
    margin-top: 0;
  }
  .skill {
    display: grid;
    grid-template-columns: 5.2rem 1fr;
    gap: 0 8px;
    align-items: baseline;
  }
  .skill small {
    grid-column: 1 / -1;
    color: var(--faint);
    margin: -2px 0 3px 0;
  }
  .levels {
    display: flex;
    gap: 10px;
  }
  .said {
    display: block;
    color: var(--faint);
  }
  .none {
    max-width: 34rem;
    color: var(--faint);
  }
  .late {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 8px;
    margin: 0;
    color: var(--faint);
  }
</style>
