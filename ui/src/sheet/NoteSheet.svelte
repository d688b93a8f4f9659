<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { onMount } from 'svelte';
  import { addSource } from '../state/actions';
  import { lateness } from '../state/late.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { modules } from '../state/document';
  import { figure, hertz, laneText, seconds } from '../common/format';
  import { player } from '../state/playing';
  import { timeTicks } from '../draw/scale';
  import { columnAt, placeOf, timeAt } from '../api/sheet';
  import HeardStaves from './HeardStaves.svelte';
  import { HEARD } from './heard';
  import SignalStave from './SignalStave.svelte';
  import SentenceField from './SentenceField.svelte';
  import SourceRow from './SourceRow.svelte';
  import Stave from './Stave.svelte';
  import { barAndBeat, beatS } from '../phrase/phrase';
  import { settings } from '../state/settings.svelte';
  import PhraseStrip from '../phrase/PhraseStrip.svelte';
  import { zooms } from './zooms';
  import TimeAxis from './TimeAxis.svelte';

  let plotWidth = $state(0);
  const voiceLanes = $derived(workbench.standing.map((name) => [name, workbench.sheet!.lanes[name]!] as const));
  const raised = $derived(workbench.pinned.filter((name) => name in (workbench.sheet?.signals ?? {})));
  const listened = $derived(HEARD.filter((name) => workbench.pinned.includes(`heard:${name}`)));
  const phrase = $derived(workbench.phrasing.phrase);
  /** Seconds of what the axis counts: a beat of the phrase, where it is read in bars and beats. */
  const unit = $derived(phrase && settings.now.axis === 'beats' ? beatS(phrase) : 1);
  const ticks = $derived.by(() => {
    const { sheet } = workbench;
    return sheet ? timeTicks(sheet.from_s / unit, sheet.to_s / unit, plotWidth).map((tick) => tick * unit) : [];
  });
  const asBeats = (time: number): string => barAndBeat(phrase!, time / beatS(phrase!));
  const place = (time: number): number => (workbench.sheet ? placeOf(workbench.sheet, time) * 100 : 0);
  const shows = (time: number): boolean => place(time) >= 0 && place(time) <= 100;
  /** In per cent of the sheet: a post is named where its name has room before the next one. */
  const NAME_SHARE = 8;
  const nextOn = (i: number): number => {
    const next = workbench.sheet?.notes[i + 1];
    return next ? place(next.on_s) : 100 + NAME_SHARE;
  };
  const between = $derived.by(() => {
    const { posts, tempo } = workbench;
    if (!posts) return '';
    const gap = Math.abs(posts[1] - posts[0]);
    return `${seconds(gap)} · ${figure((gap * tempo) / 60, 4)} beats · ${gap > 0 ? hertz(1 / gap) : '–'}`;
  });
  // The moment that another view stood at stands here too.
  onMount(() => (workbench.cursor ??= workbench.moment));

  const cursorSays = $derived.by(() => {
    const { sheet, cursor } = workbench;
    if (!sheet || cursor === null) return '';
    const column = columnAt(sheet, cursor);
    const parts = voiceLanes.map(
      ([, lane]) => `${lane.title} ${laneText(lane, lane.value.first[column]!, workbench.keyAt(cursor))}`
    );
    return `At ${seconds(sheet.starts[column]!)}: ${parts.join('; ')}`;
  });

  $effect(() => {
    const columns = Math.floor(plotWidth);
    if (columns > 0 && columns !== workbench.tracing.columns) {
      workbench.tracing.columns = columns;
      workbench.tracing.ask();
    }
  });

  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!workbench.sheet || event.buttons > 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    const at = (event.clientX - (box.right - plotWidth)) / plotWidth;
    workbench.cursor = at >= 0 && at <= 1 ? timeAt(workbench.sheet, at) : null;
  }

  /** A drag over the axis sets the two posts; a click takes them away. */
  let from: number | null = $state(null);
  function postAt(event: PointerEvent & { currentTarget: HTMLElement }): number {
    const box = event.currentTarget.getBoundingClientRect();
    return timeAt(workbench.sheet!, Math.max(0, Math.min(1, (event.clientX - box.left) / box.width)));
  }
  function startPosts(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!workbench.sheet) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    from = postAt(event);
    workbench.posts = null;
  }
  function movePosts(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (from === null || !workbench.sheet) return;
    const to = postAt(event);
    const wide = Math.abs(placeOf(workbench.sheet, to) - placeOf(workbench.sheet, from)) * plotWidth > 3;
    workbench.posts = wide ? (from < to ? [from, to] : [to, from]) : null;
  }

  function step(event: KeyboardEvent): void {
    if (!workbench.sheet || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
    event.preventDefault();
    if (event.altKey && workbench.cursor !== null) {
      workbench.posts =
        event.key === 'ArrowLeft'
          ? [workbench.cursor, workbench.posts?.[1] ?? workbench.cursor]
          : [workbench.posts?.[0] ?? workbench.cursor, workbench.cursor];
      return;
    }
    const size =
      ((workbench.sheet.to_s - workbench.sheet.from_s) / 200) *
      (event.shiftKey ? 0.2 : 1) *
      (event.key === 'ArrowLeft' ? -1 : 1);
    workbench.cursor = Math.max(
      workbench.sheet.from_s,
      Math.min(workbench.sheet.to_s, (workbench.cursor ?? workbench.sheet.from_s) + size)
    );
  }

  const kinds = $derived(
    ['source', 'processor', 'control'].map((role) => ({
      title: role === 'control' ? 'controls' : `${role}s`,
      options: (workbench.catalogue?.kinds ?? [])
        .filter((kind) => kind.role === role)
        .map((k) => [k.kind, k.title] as const)
    }))
  );
  const others = $derived([
    {
      title: 'destinations',
      options: (workbench.catalogue?.destinations ?? [])
        .filter((at) => !(at.name in (workbench.sheet?.lanes ?? {})))
        .map((at) => [at.name, at.title] as const)
    },
    {
      title: 'as it is heard',
      options: HEARD.filter((name) => !workbench.pinned.includes(`heard:${name}`)).map(
        (name) => [`heard:${name}`, `heard ${name}`] as const
      )
    },
    {
      title: 'signals, laid over each other',
      options: (workbench.patch ? modules(workbench.patch) : [])
        .filter((module) => !workbench.pinned.includes(module.id))
        .map((module) => [module.id, module.id] as const)
    }
  ]);

  function raise(name: string): void {
    workbench.pin(name);
    if (name.startsWith('heard:')) return;
    if (!(name in (workbench.sheet?.signals ?? {}))) workbench.chosen = { what: 'stave', id: name };
  }

  const late = lateness(() => workbench.tracing.isOld);
</script>

<div
  class="sheet panel"
  class:late={late.isLate}
  aria-busy={late.isLate}
  onpointermove={point}
  onpointerleave={() => (workbench.cursor = null)}
  {@attach zooms(() => plotWidth)}
  role="presentation"
>
  <div class="axis">
    <div class="label">
      Sources
      <Choice look="link" label="Add a source" prompt="+ add a source" options={kinds} onchoose={addSource} />
    </div>
    <TimeAxis
      label="Time cursor"
      length={workbench.sheet?.seconds ?? 0}
      cursor={workbench.cursor}
      says={cursorSays || 'no cursor; arrow keys set one'}
      {ticks}
      {place}
      shown={phrase && settings.now.axis === 'beats' ? asBeats : undefined}
      bind:width={plotWidth}
      onkeydown={step}
      onpointerdown={startPosts}
      onpointermove={movePosts}
      onpointerup={() => (from = null)}
    >
      {#if workbench.posts}
        {@const [a, b] = workbench.posts}
        {@const whole = from === null && shows((a + b) / 2)}
        <span
          class="at"
          style:background="var(--lichen)"
          style:left="{whole ? place((a + b) / 2) : Math.max(20, Math.min(80, place(b)))}%">{between}</span
        >
      {/if}
    </TimeAxis>
  </div>
  {#if workbench.phrasing.phrase && workbench.sheet}
    <PhraseStrip phrase={workbench.phrasing.phrase} sheet={workbench.sheet} />
  {/if}
  <div class="sources">
    {#each workbench.patch ? modules(workbench.patch) : [] as module (module.id)}
      <SourceRow {module} />
    {:else}
      <p class="none">Nothing moves yet. Add a source, then let it move a stave below.</p>
    {/each}
  </div>
  <div class="axis low">
    <div class="label">
      What they move
      <Choice look="link" label="Show another stave" prompt="+ show a stave" options={others} onchoose={raise} />
    </div>
    <div class="spans">
      {#if workbench.sheet}
        {@const off = workbench.sheet.notes.at(-1)?.off_s ?? 0}
        <Button
          look="bare"
          aria-pressed={workbench.tracing.span === null}
          onclick={() => workbench.tracing.zoom(0, workbench.sheet!.seconds)}
          >{phrase ? 'all' : 'whole note'} (0)</Button
        >
        <Button
          look="bare"
          onclick={() =>
            workbench.tracing.zoom(workbench.sheet!.notes[0]!.on_s, workbench.sheet!.notes[0]!.on_s + 0.05)}
          >first 50 ms (1)</Button
        >
        <Button look="bare" onclick={() => workbench.tracing.zoom(off, workbench.sheet!.seconds)}>tail (2)</Button>
        {#if phrase}
          <Button
            look="bare"
            data-hint="Whether the axis counts seconds, or bars and beats"
            onclick={() => settings.set({ axis: settings.now.axis === 'beats' ? 'seconds' : 'beats' })}
            >in {settings.now.axis === 'beats' ? 'seconds' : 'beats'}</Button
          >
        {/if}
        {#if workbench.tracing.ghost}<span class="ghost"
            >behind: {workbench.tracing.ghost.label}
            <Button look="bare" aria-label="Let the ghost go" onclick={() => workbench.tracing.drop()}>✕</Button></span
          >{/if}
      {/if}
      <div class="say"><SentenceField /></div>
    </div>
  </div>
  <div class="staves">
    {#if raised.length > 0}<SignalStave names={raised} />{/if}
    {#if listened.length > 0}<HeardStaves names={listened} />{/if}
    {#each voiceLanes as [name, lane] (name)}
      <Stave {name} {lane} />
    {/each}
  </div>
  <div class="over" aria-hidden="true">
    {#if workbench.sheet}
      {#each workbench.sheet.notes as note, i (i)}
        {#if shows(note.on_s) && place(note.off_s) - place(note.on_s) > NAME_SHARE}<i
            class="post-name"
            style:left="{place(note.on_s)}%">note on</i
          >{/if}
        {#if shows(note.off_s) && nextOn(i) - place(note.off_s) > NAME_SHARE}<i
            class="post-name"
            style:left="{place(note.off_s)}%">note off</i
          >{/if}
      {/each}
      {#each workbench.posts ?? [] as post, i (i)}
        {#if shows(post)}<div class="line post" style:left="{place(post)}%"></div>{/if}
      {/each}
      {#if workbench.cursor !== null && shows(workbench.cursor)}<div
          class="line"
          style:left="{place(workbench.cursor)}%"
        ></div>{/if}
      {#if player.head !== null && shows(player.head)}<div
          class="line head"
          style:left="{place(player.head)}%"
        ></div>{/if}
    {/if}
  </div>
</div>

<style>
  .late :global(output) {
    color: var(--faint);
  }
  .sheet {
    --left: 268px;
  }
  .axis {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    height: 26px;
    flex: none;
    border-bottom: 1px solid var(--rule);
  }
  .axis.low {
    height: 24px;
  }
  .spans {
    min-width: 0;
    overflow: hidden;
    display: flex;
    gap: 14px;
    align-items: center;
    font-size: 12px;
    color: var(--faint);
    padding-left: 6px;
  }
  .spans > :global(*) {
    white-space: nowrap;
  }
  .ghost {
    overflow: hidden;
    text-overflow: ellipsis;
    min-width: 0;
  }
  .say {
    margin-left: auto;
    flex: 0 1 290px;
    display: flex;
    min-width: 120px;
  }
  .label {
    white-space: nowrap;
    gap: 10px;
  }
  .label {
    padding: 3px 8px 0 14px;
    font-size: 13px;
    font-weight: 600;
    color: var(--faint);
    display: flex;
    justify-content: space-between;
  }
  .sources {
    flex: 0 1 auto;
    overflow: hidden auto;
    scrollbar-width: thin;
    min-height: 38px;
    max-height: 44%;
  }
  /* A curve that is drawn on the note's own time has the room that it takes. */
  .sources:has(:global(.row.drawn)) {
    max-height: 58%;
  }
  .none {
    margin: 0;
    padding: 8px 14px;
    color: var(--faint);
  }
  .staves {
    flex: 1 1 0;
    display: flex;
    flex-direction: column;
    overflow: hidden auto;
    scrollbar-width: thin;
    min-height: 0;
  }
  .over {
    position: absolute;
    left: var(--left);
    right: 0;
    top: 26px;
    bottom: 0;
    pointer-events: none;
  }
  .line {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 1px;
    background: var(--madder);
    opacity: 0.75;
  }
  .line.post {
    background: var(--lichen);
    opacity: 1;
    width: 0;
    border-left: 1px dashed var(--lichen);
  }
  .line.head {
    width: 2px;
    background: var(--woad);
    opacity: 1;
  }
  .post-name {
    position: absolute;
    bottom: 1px;
    margin-left: 4px;
    font-style: normal;
    font-size: 11.5px;
    color: var(--faint);
  }
</style>
