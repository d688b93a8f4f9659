<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import { fixed, hertz, noteName, shown } from '../common/format';
  import JobProgress from '../common/JobProgress.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { modules, routes } from '../state/document';
  import { messages } from '../state/messages.svelte';
  import { titleOf } from '../state/wording';
  import { workbench } from '../state/workbench.svelte';
  import RangeMap from './RangeMap.svelte';
  import RangePlot from './RangePlot.svelte';
  import RangeUses from './RangeUses.svelte';
  import { ranging } from './ranging-now';
  import type { Notes } from './ranging.svelte';

  /** Where a control starts to do something, stops, turns thin or harsh: computed, heard, kept and put to use. */
  const NOTES: readonly Notes[] = ['this note', 'three octaves', 'soft to hard', 'both'];

  $effect(() => {
    void [workbench.id, ranging.of, workbench.jobs.all.length];
    void messages.attempt(() => ranging.show());
  });

  const groups = $derived.by(() => {
    const { patch, catalogue } = workbench;
    if (!patch || !catalogue) return [];
    const moved = new Set(routes(patch).map((route) => route.destination));
    const voice = catalogue.destinations.map((at) => [at.name, at.title] as const);
    const parameters = modules(patch).flatMap((module) =>
      (catalogue.kinds.find((kind) => kind.kind === module.kind)?.fields ?? [])
        .filter((field) => field.role === 'number' && field.movable)
        .map((field) => [`${module.id}.${field.name}`, titleOf(`${module.id}.${field.name}`)] as const)
    );
    return [
      { title: 'macros', options: workbench.playedModules.map(([lane, module]) => [lane, module.id] as const) },
      { title: 'what is moved', options: voice.filter(([name]) => moved.has(name)) },
      { title: 'the voice', options: voice.filter(([name]) => !moved.has(name)) },
      { title: 'sources', options: parameters.filter(([name]) => !name.endsWith('.value')) }
    ];
  });
  const { range, running } = $derived({ range: ranging.range, running: ranging.running });
  const unit = $derived(
    range?.unit ?? workbench.catalogue?.destinations.find((at) => at.name === ranging.of)?.unit ?? 'signal'
  );
  /** What is kept, or else what was found. */
  const ends = $derived<readonly [number, number] | null>(
    ranging.kept ? [ranging.kept.low, ranging.kept.high] : ranging.unfinished ? null : (range?.useful ?? null)
  );
  const at = $derived(ranging.step === null ? undefined : range?.steps[ranging.step]);
  const atNotes = $derived((ranging.found?.ranges ?? []).length > 1 ? ranging.found!.ranges : []);
  const inUnit = (value: number): string => shown(Number(value.toPrecision(3)), unit);
  const old = $derived(ranging.isOld || ranging.behind > 0);
  const holds = $derived(ranging.found?.holds_for_all ?? null);

  function moveEnd(which: 0 | 1, value: number): void {
    if (!ends) return;
    const next: [number, number] = [...ends];
    next[which] = value;
    ranging.keep(...next, `useful end ${which}`);
  }
</script>

<div class="panel">
  <div class="bar">
    <span>Range of</span>
    <Choice
      look="quiet"
      label="What is swept"
      value={ranging.of}
      options={groups}
      onchoose={(name) => ranging.choose(name)}
    />
    <span>from</span>
    <ValueField
      value={ranging.low ?? range?.steps[0]?.value ?? 'its least'}
      {unit}
      label="Where the sweep begins"
      width="5.2rem"
      oncommit={(value) => (ranging.low = Number(value))}
    />
    <span>to</span>
    <ValueField
      value={ranging.high ?? range?.steps.at(-1)?.value ?? 'its most'}
      {unit}
      label="Where the sweep ends"
      width="5.2rem"
      oncommit={(value) => (ranging.high = Number(value))}
    />
    <Choice
      look="quiet"
      label="At which notes"
      value={ranging.notes}
      options={NOTES.map((name) => [name, `at ${name === 'both' ? 'keys and strengths' : name}`] as const)}
      onchoose={(name) => (ranging.notes = name as Notes)}
    />
    {#if running}
      <JobProgress job={running} says="The sweep is made" oncancel={() => ranging.cancel()} />
    {:else}
      <Button onclick={() => void messages.attempt(() => ranging.sweep())}>Sweep</Button>
    {/if}
    {#if range && !running}
      <Button
        data-hint="One long note that goes from end to end"
        onclick={() => void messages.attempt(() => ranging.glide())}>Play it through</Button
      >
    {/if}
    {#if ranging.behind > 0 && !running}
      <span class="behind">Swept {ranging.behind} {ranging.behind === 1 ? 'change' : 'changes'} ago</span>
    {:else if old}
      <span class="behind">Swept before the last change</span>
    {/if}
  </div>
  {#if ranging.trouble}<p class="trouble" role="alert">{ranging.trouble}</p>{/if}
  {#if range && range.steps.length > 1}
    <div class="picture">
      {#if ranging.map}
        <RangeMap map={ranging.map} />
      {:else}
        <RangePlot
          {range}
          {ends}
          step={ranging.step}
          onpoint={(step, hear) => ranging.point(step, hear)}
          onend={moveEnd}
        />
      {/if}
    </div>
    <output class="read" class:is-old={old}>
      {#if at}
        <b>{inUnit(at.value)}</b><span>{fixed(at.loudness_lufs, 1)} LUFS</span>
        <span>{hertz(at.centroid_hz, 3)} bright</span>
        <span>{at.sharpness_acum === null ? 'sharpness to come' : `${at.sharpness_acum.toFixed(2)} acum`}</span>
        <span>{fixed(at.low_db, 1)} dB under the octave</span>
        {#if at.change_db !== null}<span>{fixed(at.change_db, 1)} dB from the step before</span>{/if}
      {:else}
        <span
          >{ranging.map
            ? 'Point to read a pair, click to go there.'
            : 'Point to read a step, press to hear it, glide to hear the sweep.'}</span
        >
      {/if}
    </output>
    <div class="lower" class:is-old={old} aria-busy={running !== undefined}>
      <ul aria-label="What was found" class:unfinished={ranging.unfinished}>
        {#if ranging.unfinished}
          <li>
            <b>{running ? 'Still sweeping' : 'Stopped'}: {range.steps.length} steps so far. These figures can change.</b
            >
          </li>
        {/if}
        {#each range.sentences as sentence, i (i)}<li>{sentence}</li>{/each}
      </ul>
      {#if atNotes.length > 0}
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <div class="notes" role="region" aria-label="At other notes" tabindex="0">
          <table class="figures">
            <caption
              >At other notes{#if ranging.unfinished}: not all steps were swept{:else if ranging.found}: {holds
                  ? `${inUnit(holds[0])} to ${inUnit(holds[1])} holds for all`
                  : 'no range holds for all'}{/if}</caption
            >
            <thead><tr><th>note</th><th>starts</th><th>stops</th><th>useful</th></tr></thead>
            <tbody>
              {#each atNotes as one (`${one.key} ${one.velocity}`)}
                <tr>
                  <td>{noteName(one.key)}, {one.velocity}</td>
                  <td>{one.starts_at === null ? '–' : inUnit(one.starts_at)}</td>
                  <td>{one.stops_at === null ? '–' : inUnit(one.stops_at)}</td>
                  <td>{one.useful ? `${inUnit(one.useful[0])} to ${inUnit(one.useful[1])}` : '–'}</td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {/if}
      <RangeUses {range} {ends} {unit} options={groups} />
    </div>
  {:else if running}
    <p class="none">The first steps come in a moment…</p>
  {:else}
    <div class="none">
      <p>
        {titleOf(ranging.of)} was not swept yet. A sweep plays the test note at {48} values of it, and finds where it starts
        to be heard, where it stops, and where the sound turns thin or harsh.
      </p>
      <Button onclick={() => void messages.attempt(() => ranging.sweep())}>Find its useful range</Button>
    </div>
  {/if}
</div>

<style>
  .unfinished li + li {
    opacity: 0.55;
  }
  .behind {
    font-style: italic;
  }
  .picture {
    position: relative;
    flex: 1 1 0;
    min-height: 220px;
  }
  .read {
    display: flex;
    gap: 4px 18px;
    flex-wrap: wrap;
    padding: 4px 14px;
    min-height: 19px;
    font-size: 13px;
    border-top: 1px solid var(--rule);
    border-bottom: 1px solid var(--edge);
    color: var(--faint);
  }
  .read b {
    color: var(--ink);
  }
  .lower {
    display: flex;
    min-height: 150px;
    max-height: 210px;
  }
  .lower > :global(*) {
    flex: 1 1 0;
    min-width: 0;
    overflow: auto;
    scrollbar-width: thin;
  }
  .lower > :global(* + *) {
    border-left: 1px solid var(--rule);
  }
  ul {
    margin: 0;
    padding: 7px 14px;
    list-style: none;
    font-size: 13px;
    line-height: 18px;
  }
  li + li {
    margin-top: 3px;
  }
  li:first-child {
    font-weight: 700;
  }
  .none p::first-letter {
    text-transform: uppercase;
  }
</style>
