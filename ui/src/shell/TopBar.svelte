<script lang="ts">
  import { term } from '../common/hint';
  import Button from '../common/Button.svelte';
  import { messages } from '../state/messages.svelte';
  import { setNote } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { VELOCITIES } from '../api/facts.gen';
  import { shown } from '../common/format';
  import { save } from '../state/library';
  import { cut } from '../common/text';
  import { player } from '../state/playing';
  import { settings } from '../state/settings.svelte';
  import PhraseChoice from '../phrase/PhraseChoice.svelte';
  import Slider from '../common/Slider.svelte';
  import TextField from '../common/TextField.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** What the page itself opens. */
  interface Props {
    onversions: () => void;
    onhelp: () => void;
    onjobs: () => void;
  }
  let { onversions, onhelp, onjobs }: Props = $props();

  const drafts = workbench.drafts;
  const notes = $derived(workbench.patch?.performance?.notes?.length ?? 1);
  const status = $derived.by(() => {
    const version = drafts.head?.saved_number ?? 0;
    if (drafts.state === 'waiting') return 'not kept yet';
    if (drafts.state === 'refused') return 'not kept';
    if (drafts.state === 'keeping' || workbench.onTheWay) return 'keeping…';
    return drafts.head?.unsaved ? `draft kept · after version ${version}` : `saved · version ${version}`;
  });

  function rename(text: string): void {
    const name = cut(text.trim(), 120);
    if (workbench.patch && name) workbench.edit(`rename to ${name}`, { ...workbench.patch, name });
  }

  function setTempo(value: number | string, merge: string): void {
    if (!workbench.patch) return;
    const performance = { ...workbench.patch.performance, tempo_bpm: Number(value) };
    workbench.edit(`tempo ${shown(value, 'bpm')}`, { ...workbench.patch, performance }, merge);
  }
</script>

<header>
  <div class="who">
    <Button onclick={() => (workbench.view = 'library')} aria-label="Patches" data-hint="All patches (P)"
      >Patches</Button
    >
    <TextField
      class="title"
      label="Name of the patch"
      value={workbench.patch?.name ?? ''}
      maxlength={120}
      onset={rename}
    />
    <Button onclick={() => void messages.attempt(() => save())} data-hint="Save as a version (Ctrl-S)">Save</Button>
  </div>
  <!-- What is chosen before the patch is there would go as it comes. -->
  <div class="note" class:waits={!workbench.patch} role="group" aria-label="What is played">
    <PhraseChoice />
    {#if !workbench.phrasing.phrase}
      {#if notes > 1}
        <span
          class="row"
          {...term('The key moves all of them, so that the first has it; velocity and length are set for each')}
          >{notes} notes</span
        >
      {/if}
      <ValueField
        value={workbench.key}
        unit="key"
        label="Test key"
        low={0}
        high={127}
        width="3.4rem"
        oncommit={(v, m) => setNote(`test key ${shown(v, 'key')}`, { key: Number(v) }, m)}
      />
      <span class="three">
        {#each VELOCITIES as step (step.name)}
          <Button
            aria-pressed={workbench.velocity === step.velocity}
            onclick={() => setNote(`test velocity ${step.velocity}`, { velocity: step.velocity })}>{step.name}</Button
          >
        {/each}
      </span>
      <ValueField
        value={workbench.velocity}
        unit="velocity"
        label="Test velocity"
        low={0}
        high={127}
        width="3rem"
        oncommit={(v, m) => setNote(`test velocity ${v}`, { velocity: Number(v) }, m)}
      />
      <ValueField
        value={workbench.note.length_s ?? 1}
        unit="s"
        bare="s"
        label="Test length"
        low={0.001}
        high={60}
        width="4.2rem"
        oncommit={(v, m) => setNote(`test length ${shown(v, 's')}`, { length_s: Number(v) }, m)}
      />
      <ValueField
        value={workbench.tempo}
        unit="bpm"
        label="Tempo"
        low={10}
        high={999}
        width="4.6rem"
        oncommit={setTempo}
      />
    {/if}
  </div>
  <div class="play">
    <Button
      class="go"
      onclick={() => void player.toggle()}
      aria-label={player.playing || player.waiting ? 'Stop' : 'Play'}
      data-hint="Space"
    >
      {player.playing ? 'Stop' : player.waiting ? '…' : 'Play'}
    </Button>
    <Button
      aria-pressed={player.loop}
      onclick={() => (player.loop = !player.loop)}
      data-hint="Play again and again; changes are heard at the next pass (L)">Loop</Button
    >
    <Button
      aria-pressed={workbench.tracing.allThree}
      onclick={() => {
        workbench.tracing.allThree = !workbench.tracing.allThree;
        workbench.tracing.ask();
      }}
      data-hint="Soft, medium and hard at once on the sheet, and in turn by ear (T)">All three</Button
    >
    <div class="level" data-hint="Playback level; it starts low">
      <Slider label="Playback level" value={settings.now.level} onturn={(level) => player.setLevel(level)} />
    </div>
  </div>
</header>
<div class="back" role="group" aria-label="The patch and what is shown of it">
  <span
    class="light"
    class:on={player.limitedDb > 0}
    {...term('The limiter: how much it took off the loudest moment of what was played last')}
    >{player.limitedDb > 0 ? `limiter −${player.limitedDb.toFixed(1)} dB` : 'limiter'}</span
  >
  <Button
    aria-pressed={settings.now.keys}
    data-hint="A row of keys (K)"
    onclick={() => settings.set({ keys: !settings.now.keys })}>Keys</Button
  >
  <Button
    aria-pressed={workbench.tracing.ghost !== null}
    data-hint="Hold this version behind what you change next (G)"
    onclick={() => (workbench.tracing.ghost ? workbench.tracing.drop() : workbench.tracing.hold())}>Ghost</Button
  >
  <Button look="bare" class="status" onclick={onversions} data-hint="Versions of this patch" data-state={drafts.state}
    >{status}</Button
  >
  <Button
    disabled={!workbench.undoLabel}
    onclick={() => workbench.undo()}
    aria-label={workbench.undoLabel ? `Undo: ${workbench.undoLabel}` : 'Undo'}
    data-hint={workbench.undoLabel ? `Undo: ${workbench.undoLabel}` : 'Nothing to undo'}
    ><span class="cut">{workbench.undoLabel ? `Undo: ${workbench.undoLabel}` : 'Undo'}</span></Button
  >
  <Button
    disabled={!workbench.redoLabel}
    onclick={() => workbench.redo()}
    aria-label={workbench.redoLabel ? `Redo: ${workbench.redoLabel}` : 'Redo'}
    data-hint={workbench.redoLabel ? `Redo: ${workbench.redoLabel}` : 'Nothing to redo'}>Redo</Button
  >
  <Button
    onclick={() => settings.set({ theme: settings.dark ? 'light' : 'dark' })}
    aria-label="{settings.dark ? 'Light' : 'Dark'} theme"
    data-hint="{settings.dark ? 'Light' : 'Dark'} theme">{settings.dark ? 'Light' : 'Dark'}</Button
  >
  {#if workbench.jobs.all.length > 0}
    {@const { count, progress } = workbench.jobs.running}
    <Button onclick={onjobs} data-hint="What is made in the background, and the files that came of it"
      >{count > 0 ? `Files: ${Math.round(progress * 100)} %` : 'Files'}</Button
    >
  {/if}
  <Button onclick={onhelp} aria-label="Help" data-hint="Shortcuts and cautions (?)">?</Button>
</div>

<style>
  .waits {
    visibility: hidden;
  }
  header {
    grid-area: first;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px 18px;
  }
  .who,
  .note,
  .play,
  .back {
    display: flex;
    align-items: center;
    gap: 5px;
  }
  .who {
    flex: 1 1 18rem;
    min-width: 0;
  }
  .back {
    grid-area: back;
    min-width: 0;
  }
  /* What undoing would take back is told in full by its hint; where there is little room it gives way. */
  .back :global(button) {
    flex: none;
  }
  .back :global(button:has(.cut)) {
    flex: 0 1 auto;
    min-width: 4rem;
  }
  @media (max-width: 900px) {
    .who,
    .note,
    .play,
    .back {
      flex-wrap: wrap;
      min-width: 0;
    }
  }
  .back :global(button.status) {
    margin-right: auto;
    flex: 0 1 auto;
    min-width: 3rem;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .light {
    font-size: 12px;
    color: var(--faint);
    border: 1px solid var(--rule);
    border-radius: 9px;
    padding: 0 8px;
    white-space: nowrap;
  }
  .light.on {
    color: var(--on-signal);
    background: var(--signal);
    border-color: var(--signal);
  }
  .who :global(.field.title) {
    font-weight: 700;
    font-size: 18px;
    line-height: 24px;
    border-color: transparent;
    background: none;
    flex: 1 1 9rem;
    width: 9rem;
    text-overflow: ellipsis;
  }
  .who :global(.field.title:hover),
  .who :global(.field.title:focus) {
    border-color: var(--edge);
  }
  .back :global(.status) {
    color: var(--faint);
    font-size: 13px;
    white-space: nowrap;
  }
  .back :global(.status:is([data-state='conflict'], [data-state='refused'], [data-state='waiting'])) {
    color: var(--madder);
    font-weight: 600;
  }
  .row {
    font-size: 13px;
    color: var(--faint);
    white-space: nowrap;
  }
  .three {
    display: flex;
  }
  .three :global(button) {
    border-radius: 0;
    margin-left: -1px;
  }
  .three :global(button:first-child) {
    border-radius: 5px 0 0 5px;
  }
  .three :global(button:last-child) {
    border-radius: 0 5px 5px 0;
  }
  header :global(.go) {
    background: var(--signal);
    color: var(--on-signal);
    border: 0;
    border-radius: 5px;
    font-weight: 700;
    width: 4.6rem;
    line-height: 28px;
    cursor: pointer;
  }
  .level :global(input) {
    width: 5.5rem;
    accent-color: var(--ink);
    vertical-align: middle;
  }
  .cut {
    display: inline-block;
    max-width: min(26rem, 100%);
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    vertical-align: bottom;
  }
</style>
