<script lang="ts">
  import { onMount } from 'svelte';
  import { messages } from './lib/messages.svelte';
  import { duplicateSource } from './lib/actions';
  import { bench } from './lib/bench.svelte';
  import { copyChosen, paste } from './lib/clipboard';
  import { newPatch, save } from './lib/library';
  import { playedBy } from './lib/pianokeys';
  import { player } from './lib/player.svelte';
  import HarmonicBuilder from './parts/HarmonicBuilder.svelte';
  import Piano from './parts/Piano.svelte';
  import SoundView from './parts/SoundView.svelte';
  import { settings } from './lib/settings.svelte';
  import Foot from './parts/Foot.svelte';
  import Help from './parts/Help.svelte';
  import NoteSheet from './parts/NoteSheet.svelte';
  import PatchPage from './parts/PatchPage.svelte';
  import CompareView from './parts/CompareView.svelte';
  import MapView from './parts/MapView.svelte';
  import StavePage from './parts/StavePage.svelte';
  import RoutePage from './parts/RoutePage.svelte';
  import Shelf from './parts/Shelf.svelte';
  import SourcePage from './parts/SourcePage.svelte';
  import TopBar from './parts/TopBar.svelte';
  import WavFiles from './parts/WavFiles.svelte';
  import Versions from './parts/Versions.svelte';

  let shelf = $state(false);
  let versions = $state(false);
  let files = $state(false);
  let help = $state(false);
  const module = $derived(bench.chosenModule());
  const route = $derived(bench.chosenRoute());

  onMount(() => void bench.start());

  function inField(target: EventTarget | null): boolean {
    return target instanceof HTMLElement && target.closest('input, textarea, select, dialog') !== null;
  }

  function withControl(event: KeyboardEvent): (() => void) | undefined {
    const key = event.key.toLowerCase();
    if (key === 'z') return () => (event.shiftKey ? bench.redo() : bench.undo());
    if (key === 'y') return () => bench.redo();
    if (key === 'c' && !inField(event.target) && !getSelection()?.toString()) return () => void copyChosen();
    if (key === 'v' && !inField(event.target)) return () => void messages.attempt(paste);
    if (key === 'd' && module) return () => duplicateSource(module.id);
    if (key === 's') return () => void messages.attempt(() => save());
    return undefined;
  }

  function zoomBy(factor: number): void {
    const { sheet } = bench;
    if (!sheet) return;
    const length = (sheet.to_s - sheet.from_s) * factor;
    const middle = bench.cursor ?? (sheet.from_s + sheet.to_s) / 2;
    bench.tracing.zoom(middle - length / 2, middle + length / 2);
  }
  function slide(share: number): void {
    const { sheet } = bench;
    if (!sheet) return;
    const by = (sheet.to_s - sheet.from_s) * share;
    bench.tracing.zoom(sheet.from_s + by, sheet.to_s + by);
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
          bench.tracing.allThree = !bench.tracing.allThree;
          bench.tracing.ask();
        };
      case 'g':
        return () => (bench.tracing.ghost ? bench.tracing.drop() : bench.tracing.hold());
      case 'k':
        return () => settings.set({ keys: !settings.now.keys });
      case '0':
        return () => bench.tracing.zoom(0, bench.sheet?.seconds ?? 1);
      case '1':
        return () => bench.tracing.zoom(bench.sheet?.notes[0]?.on_s ?? 0, (bench.sheet?.notes[0]?.on_s ?? 0) + 0.05);
      case '2':
        return () => bench.tracing.zoom(bench.sheet?.notes.at(-1)?.off_s ?? 0, bench.sheet?.seconds ?? 1);
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
        return () => (bench.chosen = { what: 'patch' });
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
    void bench.keeper.flush();
    if (bench.onTheWay) event.preventDefault();
  }
</script>

<svelte:window {onkeydown} {onbeforeunload} />

<div class="page">
  <TopBar onshelf={() => (shelf = true)} onversions={() => (versions = true)} onhelp={() => (help = true)} />
  <main>
    {#if bench.patch}
      <div class="work">
        {#if bench.view === 'sound'}<SoundView />{:else if bench.view === 'compare'}<CompareView
          />{:else if bench.view === 'map'}<MapView />{:else}<NoteSheet />{/if}
      </div>
      <aside
        aria-label={module
          ? `Source ${module.id}`
          : route
            ? `Route ${route.id}`
            : bench.chosen.what === 'stave'
              ? `Stave ${bench.chosen.id}`
              : 'The patch'}
      >
        {#if module}
          {#key module.id}<SourcePage {module} />{/key}
        {:else if route}
          {#key route.id}<RoutePage {route} />{/key}
        {:else if bench.chosen.what === 'stave'}
          {#key bench.chosen.id}<StavePage name={bench.chosen.id} />{/key}
        {:else}<PatchPage patch={bench.patch} />{/if}
      </aside>
    {:else}
      <div class="empty">
        {#if bench.loading}
          <p>Opening…</p>
        {:else if bench.failure}
          <p>{bench.failure}</p>
          <button class="quiet" onclick={() => location.reload()}>Try again</button>
        {:else}
          <p>There are no patches yet.</p>
          <button class="quiet" onclick={() => void messages.attempt(newPatch)}>Make the first one</button>
        {/if}
      </div>
    {/if}
  </main>
  {#if settings.now.keys}<Piano />{/if}
  <Foot />
</div>

<Shelf bind:open={shelf} bind:files />
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
