<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { answer, sweepsOf } from './compared';
  import { comparing } from './comparing-now';
  import { BESIDE, MOST_OTHERS, TEST_NOTE } from './comparing.svelte';
  import { inkOf, inks, labelled, line, ruled, type Surface } from '../draw/draw';
  import { keepVariant } from '../state/library';
  import { messages } from '../state/messages.svelte';
  import { player } from '../state/playing';
  import { laneScale } from '../draw/scale';
  import { extentOf, type Lane } from '../api/sheet';
  import ComparedFigures from './ComparedFigures.svelte';
  import ComparedSettings from './ComparedSettings.svelte';
  import SweepCurve from './SweepCurve.svelte';
  import Plot from '../common/Plot.svelte';
  import Swatch from '../common/Swatch.svelte';

  /** The same patch at a sweep of something, or beside versions and other patches: staves, figures, differences. */
  const DASHES: number[][] = [[], [8, 3], [2, 3], [9, 3, 2, 3], [12, 4], [4, 2]];
  const DYES = ['woad', 'weld', 'madder', 'lichen', 'walnut'];
  /** With more steps than this they are told apart by how dark they are, soft to hard. */
  const TOLD_APART = 6;

  let stave = $state('cutoff');
  let apart = $state(false);
  const many = $derived(comparing.steps.length > TOLD_APART);
  const steps = $derived(comparing.steps.map(({ facts }) => facts));
  const longest = $derived(Math.max(...comparing.steps.map(({ facts }) => facts.seconds)));

  $effect(() => {
    void [workbench.patch, workbench.performed, comparing.chosen, comparing.others];
    void comparing.refresh().then(() => {
      if (!comparing.names.includes(stave)) stave = comparing.names[0] ?? stave;
    });
  });

  const colour = (i: number): string => DYES[i % DYES.length]!;
  const dash = (i: number): number[] => (many ? [] : DASHES[i % DASHES.length]!);

  /** The scale that all steps of a stave share. */
  function scaleOf(name: string) {
    const ends = comparing.steps.flatMap(({ lanes }) => (lanes[name] ? [extentOf(lanes[name])] : []));
    const at = workbench.catalogue?.destinations.find((d) => d.name === name);
    const lane = {
      unit: at?.unit ?? 'ratio',
      reads_as: at?.reads_as ?? 'value',
      low: at?.low ?? 0,
      high: at?.high ?? 1,
      least: Math.min(...ends.map(([low]) => low)),
      greatest: Math.max(...ends.map(([, high]) => high)),
      set_value: ends[0]?.[0] ?? 0
    } as Lane;
    return laneScale(lane, workbench.key);
  }

  /** Draws a stave of all steps over each other, or of one alone. */
  function draw(on: Surface, name: string, only?: number): void {
    const scale = scaleOf(name);
    ruled(on, scale, inks());
    comparing.steps.forEach(({ lanes, facts }, i) => {
      const row = lanes[name];
      if (!row || (only !== undefined && only !== i)) return;
      const wide = { ...on, width: (on.width * facts.seconds) / longest };
      on.context.globalAlpha = many && only === undefined ? 0.35 + (0.65 * i) / comparing.steps.length : 1;
      line(wide, row, scale, inkOf(many ? 'ink' : colour(i)), i === comparing.steps.length - 1 ? 2 : 1.6, dash(i));
    });
    on.context.globalAlpha = 1;
    const { moment } = workbench;
    if (moment !== null && moment <= longest) {
      on.context.fillStyle = inkOf('faint');
      on.context.fillRect((on.width * moment) / longest, 0, 1, on.height);
    }
    if (only === undefined || only === comparing.steps.length - 1) labelled(on, scale, inks());
  }

  /** Plays a step at the loudness of the quietest one. */
  function play(i: number): void {
    const step = comparing.steps[i]!;
    void messages.attempt(async () => player.sound(step.patch, await comparing.gainOf(step), step.performed));
  }
  function hold(i: number): void {
    const { label, patch, performed } = comparing.steps[i]!;
    // A step of a sweep differs in what is played; another patch is laid behind what is played now.
    const by = comparing.over?.by.replace(/_.*/, '');
    const isPlayed = by !== undefined || comparing.chosen === 'phrases';
    workbench.tracing.hold(by ? `${by} ${label}` : label, patch, isPlayed ? performed : undefined);
    workbench.view = 'note';
  }
  const keep = (i: number): void => {
    const { label, patch } = comparing.steps[i]!;
    void messages.attempt(() => keepVariant(patch, label));
  };
  function beside(id: string): void {
    comparing.others = [...comparing.others.filter((other) => other !== id), id].slice(-MOST_OTHERS);
  }
</script>

<div class="panel">
  <div class="bar">
    <span>Compare</span>
    <Choice
      look="quiet"
      label="What is compared"
      value={comparing.chosen}
      options={[
        ...sweepsOf(workbench.playedModules).map(({ name }) => [name, name] as const),
        ...BESIDE.map((what) => [what, what === 'versions' ? 'saved versions' : `other ${what}`] as const)
      ]}
      onchoose={(what) => {
        comparing.others = [];
        comparing.chosen = what;
      }}
    />
    {#if comparing.chosen === 'patches' || comparing.chosen === 'phrases'}
      {@const one = comparing.chosen === 'patches' ? 'patch' : 'phrase'}
      <Choice
        look="quiet"
        label="Add a {one} to compare with"
        prompt="+ a {one}…"
        options={one === 'patch'
          ? workbench.heads
              .filter((head) => head.id !== workbench.drafts.head?.id)
              .map((head) => [head.id, head.name] as const)
          : [
              ...(workbench.phrasing.phrase ? [[TEST_NOTE, TEST_NOTE] as const] : []),
              ...workbench.phrasing.heads
                .filter((head) => head.id !== workbench.phrasing.id)
                .map((head) => [head.id, head.name] as const)
            ]}
        onchoose={beside}
      />
      {#if comparing.others.length > 0}
        <Button look="bare" onclick={() => (comparing.others = [])}>none of them</Button>
      {/if}
    {/if}
    <Button onclick={() => (apart = !apart)}>{apart ? 'Over each other' : 'Side by side'}</Button>
    {#if comparing.busy}<span class="busy" role="status"
        >Tracing… <Button look="bare" onclick={() => comparing.stop()}>stop</Button></span
      >{/if}
    {#if !many}
      <span class="legend">
        {#each comparing.steps as { label }, i (label)}
          <span><Swatch dye={colour(i)} dash={dash(i)} /> {label}</span>
        {/each}
      </span>
    {/if}
  </div>
  {#if comparing.trouble}
    <p class="trouble" role="alert">{comparing.trouble}</p>
  {/if}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div
    class="staves"
    class:is-old={comparing.busy}
    aria-busy={comparing.busy}
    role="region"
    aria-label="Staves of every step"
    tabindex="0"
  >
    {#each comparing.names as name (name)}
      <div class="stave" class:on={name === stave}>
        <div class="left">
          <Button look="bare" aria-pressed={name === stave} onclick={() => (stave = name)}
            ><b>{comparing.titles[name]}</b></Button
          >
          <small>{answer(steps, name, comparing.units[name] ?? '')}</small>
        </div>
        <div class="right" role="img" aria-label="{comparing.titles[name]} at every step">
          {#if apart}
            {#each comparing.steps as { label }, i (label)}
              <div class="cell"><Plot draw={(on) => draw(on, name, i)} /></div>
            {/each}
          {:else}
            <div class="cell"><Plot draw={(on) => draw(on, name)} /></div>
          {/if}
        </div>
      </div>
    {:else}
      {#if !comparing.busy && !comparing.trouble}<p class="none">
          Nothing moves, so there is nothing to compare yet.
        </p>{/if}
    {/each}
  </div>
  {#if comparing.steps.length > 0}
    <div class="lower" class:is-old={comparing.busy}>
      <ComparedFigures of={comparing} {stave} onplay={play} onhold={hold} onkeep={keep} />
      {#if comparing.over}<SweepCurve of={comparing} sweep={comparing.over} {stave} />{:else}<ComparedSettings
          of={comparing}
        />{/if}
    </div>
  {/if}
</div>

<style>
  .legend {
    display: flex;
    flex-wrap: wrap;
    gap: 0 14px;
    margin-left: auto;
  }
  .staves {
    flex: 1.5 1 0;
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow: auto;
  }
  .stave {
    flex: 1 0 78px;
    display: grid;
    grid-template-columns: 170px 1fr;
    border-bottom: 1px solid var(--rule);
  }
  .stave.on .left {
    background: var(--chosen);
  }
  .left {
    padding: 5px 14px;
  }
  .left :global(button) {
    display: block;
  }
  small {
    font-size: 12px;
    color: var(--faint);
  }
  .right {
    display: flex;
  }
  .cell {
    position: relative;
    flex: 1;
  }
  .cell + .cell {
    border-left: 1px solid var(--rule);
  }
  .lower {
    flex: 1 1 0;
    min-height: 170px;
    display: grid;
    grid-template-columns: minmax(0, 1fr) 180px;
    border-top: 1px solid var(--edge);
  }
  .none {
    padding: 12px 14px;
    color: var(--faint);
  }
</style>
