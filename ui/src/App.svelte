<script lang="ts">
  import { onMount } from 'svelte';
  import { messages } from './state/messages.svelte';
  import { duplicateSource } from './state/actions';
  import { workbench } from './state/workbench.svelte';
  import { copyChosen, paste } from './state/clipboard';
  import { newPatch, save } from './state/library';
  import { playedBy } from './shell/computer-keys';
  import { player } from './state/player.svelte';
  import HarmonicBuilder from './sheet/HarmonicBuilder.svelte';
  import Keyboard from './shell/Keyboard.svelte';
  import SoundView from './sound/SoundView.svelte';
  import { settings } from './state/settings.svelte';
  import StatusBar from './shell/StatusBar.svelte';
  import Help from './shell/Help.svelte';
  import NoteSheet from './sheet/NoteSheet.svelte';
  import PatchPage from './sheet/PatchPage.svelte';
  import CompareView from './compare/CompareView.svelte';
  import MapView from './map/MapView.svelte';
  import StavePage from './sheet/StavePage.svelte';
  import RoutePage from './sheet/RoutePage.svelte';
  import Library from './library/Library.svelte';
  import SourcePage from './sheet/SourcePage.svelte';
  import TopBar from './shell/TopBar.svelte';
  import WavFiles from './library/WavFiles.svelte';
  import Versions from './library/Versions.svelte';

  let shelf = $state(false);
  let versions = $state(false);
  let files = $state(false);
  let help = $state(false);
  const module = $derived(workbench.chosenModule());
  const route = $derived(workbench.chosenRoute());

  onMount(() => void workbench.start());

  function inField(target: EventTarget | null): boolean {
    return target instanceof HTMLElement && target.closest('input, textarea, select, dialog') !== null;
  }

  function withControl(event: KeyboardEvent): (() => void) | undefined {
    const key = event.key.toLowerCase();
    if (key === 'z') return () => (event.shiftKey ? workbench.redo() : workbench.undo());
    if (key === 'y') return () => workbench.redo();
    if (key === 'c' && !inField(event.target) && !getSelection()?.toString()) return () => void copyChosen();
    if (key === 'v' && !inField(event.target)) return () => void messages.attempt(paste);
    if (key === 'd' && module) return () => duplicateSource(module.id);
    if (key === 's') return () => void messages.attempt(() => save());
    return undefined;
  }

  function zoomBy(factor: number): void {
    const { sheet } = workbench;
    if (!sheet) return;
    const length = (sheet.to_s - sheet.from_s) * factor;
    const middle = workbench.cursor ?? (sheet.from_s + sheet.to_s) / 2;
    workbench.tracing.zoom(middle - length / 2, middle + length / 2);
  }
  function slide(share: number): void {
    const { sheet } = workbench;
    if (!sheet) return;
    const by = (sheet.to_s - sheet.from_s) * share;
    workbench.tracing.zoom(sheet.from_s + by, sheet.to_s + by);
  }

  /** What a key does where it does something of its own: a button is pressed by Space, a fold folds. */
  function hasOwnSpace(target: EventTarget | null): boolean {
    return target instanceof HTMLElement && target.closest('button, summary, a, [role="button"]') !== null;
  }

  function plainKey(event: KeyboardEvent): (() => void) | undefined {
    if (event.altKey) return undefined;
    // While the row of keys is shown its letters play, and do nothing else.
    if (settings.now.keys && playedBy(event.code) !== null) return undefined;
    if (!settings.now.letters && event.key.length === 1 && event.key !== ' ') return undefined;
    switch (event.key.toLowerCase()) {
      case ' ':
        return hasOwnSpace(event.target) ? undefined : () => void player.toggle();
      case 'l':
        return () => (player.loop = !player.loop);
      case 't':
        return () => {
          workbench.tracing.allThree = !workbench.tracing.allThree;
          workbench.tracing.ask();
        };
      case 'g':
        return () => (workbench.tracing.ghost ? workbench.tracing.drop() : workbench.tracing.hold());
      case 'k':
        return () => settings.set({ keys: !settings.now.keys });
      case '0':
        return () => workbench.tracing.zoom(0, workbench.sheet?.seconds ?? 1);
      case '1':
        return () =>
          workbench.tracing.zoom(workbench.sheet?.notes[0]?.on_s ?? 0, (workbench.sheet?.notes[0]?.on_s ?? 0) + 0.05);
      case '2':
        return () => workbench.tracing.zoom(workbench.sheet?.notes.at(-1)?.off_s ?? 0, workbench.sheet?.seconds ?? 1);
      case '+':
      case '=':
      case '-':
        return () => zoomBy(event.key === '-' ? 2 : 0.5);
      case '[':
      case ']':
        return () => slide(event.key === '[' ? -0.25 : 0.25);
      case 'p':
        return () => (shelf = true);
      case '?':
        return () => (help = true);
      case 'escape':
        return () => (workbench.chosen = { what: 'patch' });
    }
    return undefined;
  }

  function onkeydown(event: KeyboardEvent): void {
    const act =
      event.ctrlKey || event.metaKey ? withControl(event) : inField(event.target) ? undefined : plainKey(event);
    if (!act) return;
    event.preventDefault();
    act();
  }

  /** What is an edit already is kept in this browser; only what is still on its way to be one is asked about. */
  function onbeforeunload(event: BeforeUnloadEvent): void {
    void workbench.drafts.flush();
    if (workbench.onTheWay) event.preventDefault();
  }
</script>

<svelte:window {onkeydown} {onbeforeunload} />

<div class="page">
  <TopBar onshelf={() => (shelf = true)} onversions={() => (versions = true)} onhelp={() => (help = true)} />
  <main>
    {#if workbench.patch}
      <div class="work">
        {#if workbench.view === 'sound'}<SoundView />{:else if workbench.view === 'compare'}<CompareView
          />{:else if workbench.view === 'map'}<MapView />{:else}<NoteSheet />{/if}
      </div>
      <aside
        aria-label={module
          ? `Source ${module.id}`
          : route
            ? `Route ${route.id}`
            : workbench.chosen.what === 'stave'
              ? `Stave ${workbench.chosen.id}`
              : 'The patch'}
      >
        {#if module}
          {#key module.id}<SourcePage {module} />{/key}
        {:else if route}
          {#key route.id}<RoutePage {route} />{/key}
        {:else if workbench.chosen.what === 'stave'}
          {#key workbench.chosen.id}<StavePage name={workbench.chosen.id} />{/key}
        {:else}<PatchPage patch={workbench.patch} />{/if}
      </aside>
    {:else}
      <div class="empty">
        {#if workbench.loading}
          <p>Opening…</p>
        {:else if workbench.failure}
          <p>{workbench.failure}</p>
          <button class="quiet" onclick={() => location.reload()}>Try again</button>
        {:else}
          <p>There are no patches yet.</p>
          <button class="quiet" onclick={() => void messages.attempt(newPatch)}>Make the first one</button>
        {/if}
      </div>
    {/if}
  </main>
  {#if settings.now.keys}<Keyboard />{/if}
  <StatusBar />
</div>

<Library bind:open={shelf} bind:files />
<WavFiles bind:open={files} />
<Versions bind:open={versions} />
<Help bind:open={help} />
<HarmonicBuilder />

<style>
  .page {
    height: 100%;
    display: flex;
    flex-direction: column;
    gap: 8px;
    padding: 8px 12px 10px;
    box-sizing: border-box;
  }
  main {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: minmax(0, 1fr) 270px;
    gap: 10px;
  }
  .work {
    min-width: 0;
    min-height: 0;
  }
  aside {
    position: relative;
    background: var(--paper);
    border: 1px solid var(--rule);
    border-radius: 7px;
    padding: 11px 13px;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  aside :global(h3) {
    margin: 12px 0 5px;
    padding-top: 9px;
    border-top: 1px solid var(--rule);
    font-size: 13px;
    color: var(--faint);
    font-weight: 600;
  }
  aside :global(header) {
    font-weight: 700;
    font-size: 15px;
    line-height: 19px;
    margin-bottom: 9px;
  }
  aside :global(p) {
    margin: 0;
  }
  aside :global(.help) {
    margin: 4px 0 8px;
    font-size: 12.5px;
    color: var(--faint);
    line-height: 17px;
  }
  aside :global(.acts) {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 8px;
  }
  .empty {
    grid-column: 1 / -1;
    display: grid;
    place-content: center;
    gap: 10px;
    text-align: center;
    color: var(--faint);
  }
  /* At 200 % zoom, or in a small window, the parts stand under each other and the page scrolls. */
  @media (max-width: 900px), (max-height: 520px) {
    .page {
      height: auto;
      min-height: 100%;
    }
    main {
      grid-template-columns: minmax(0, 1fr);
      flex: none;
    }
    .work {
      height: 640px;
    }
    :global(body) {
      overflow: auto;
    }
  }
</style>
