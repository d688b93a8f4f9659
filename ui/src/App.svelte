<script lang="ts">
  import Button from './common/Button.svelte';
  import Guarded from './common/Guarded.svelte';
  import { onMount } from 'svelte';
  import { messages } from './state/messages.svelte';
  import { WHOLE, workbench } from './state/workbench.svelte';
  import { newPatch } from './state/library';
  import HarmonicBuilder from './sheet/HarmonicBuilder.svelte';
  import Keyboard from './shell/Keyboard.svelte';
  import { settings } from './state/settings.svelte';
  import { shortcuts } from './shell/shortcuts';
  import { keyListener } from './state/key-bindings';
  import Hints from './common/Hints.svelte';
  import Toasts from './shell/Toasts.svelte';
  import Views from './shell/Views.svelte';
  import StatusBar from './shell/StatusBar.svelte';
  import Help from './shell/Help.svelte';
  import PhrasePage from './phrase/PhrasePage.svelte';
  import PatchPage from './sheet/PatchPage.svelte';
  import StavePage from './sheet/StavePage.svelte';
  import RoutePage from './sheet/RoutePage.svelte';
  import SourcePage from './sheet/SourcePage.svelte';
  import PrintPage from './live/PrintPage.svelte';
  import TakesPage from './live/TakesPage.svelte';
  import { taking } from './live/playing-live';
  import TopBar from './shell/TopBar.svelte';
  import WavFiles from './library/WavFiles.svelte';
  import JobsPage from './library/JobsPage.svelte';
  import Versions from './library/Versions.svelte';

  let versions = $state(false);
  let help = $state(false);
  let jobs = $state(false);
  const module = $derived(workbench.chosenModule());
  const route = $derived(workbench.chosenRoute());

  onMount(() => void workbench.start().then(() => taking.lookBehind()));

  const keys = shortcuts({ help: () => (help = true) });

  const onkeydown = keyListener(keys);

  /** What is an edit already is kept in this browser; only what is still on its way to be one is asked about. */
  function onbeforeunload(event: BeforeUnloadEvent): void {
    void workbench.drafts.flush();
    void workbench.phrasing.drafts.flush();
    if (workbench.onTheWay) event.preventDefault();
  }
  /** Shows what other windows did while this one was not looked at. */
  function onfocus(): void {
    void workbench.drafts.catchUp();
    void workbench.phrasing.drafts.catchUp();
  }
  const toPatch = (): void => void (workbench.chosen = WHOLE);
</script>

<svelte:window {onkeydown} {onbeforeunload} {onfocus} />

<div class="page">
  <TopBar onversions={() => (versions = true)} onhelp={() => (help = true)} onjobs={() => (jobs = true)} />
  {#if workbench.patch}
    <Views />
    <aside
      aria-label={module
        ? `Source ${module.id}`
        : route
          ? `Route ${route.id}`
          : workbench.chosen.what === 'stave'
            ? `Stave ${workbench.chosen.id}`
            : workbench.chosen.what === 'phrase'
              ? 'The phrase'
              : workbench.chosen.what === 'takes'
                ? 'Takes'
                : 'The patch'}
    >
      {#if workbench.chosen.what !== 'patch'}
        <Button look="bare" class="up" data-hint="What belongs to no source and no stave (Esc)" onclick={toPatch}
          >‹ The patch</Button
        >
      {/if}
      <Guarded what="This page">
        {#if module}
          {#key module.id}<SourcePage {module} />{/key}
        {:else if route}
          {#key route.id}<RoutePage {route} />{/key}
        {:else if workbench.chosen.what === 'stave'}
          {#key workbench.chosen.id}<StavePage name={workbench.chosen.id} />{/key}
        {:else if workbench.chosen.what === 'phrase' && workbench.phrasing.phrase}
          <PhrasePage phrase={workbench.phrasing.phrase} />
        {:else if workbench.chosen.what === 'takes'}
          <TakesPage />
        {:else}<PatchPage patch={workbench.patch} />{/if}
      </Guarded>
    </aside>
  {:else}
    <main class="empty">
      {#if workbench.loading}
        <p>Opening…</p>
      {:else if workbench.failure}
        <p>{workbench.failure}</p>
        <Button onclick={() => location.reload()}>Try again</Button>
      {:else}
        <p>There are no patches yet.</p>
        <Button onclick={() => void messages.attempt(newPatch)}>Make the first one</Button>
      {/if}
    </main>
  {/if}
  {#if settings.now.keys}<Keyboard />{/if}
  <StatusBar />
</div>

<WavFiles bind:open={workbench.files} />
<Versions bind:open={versions} />
<PrintPage />
<JobsPage bind:open={jobs} />
<Help bind:open={help} {keys} />
<HarmonicBuilder />
<Toasts />
<Hints />

<style>
  aside :global(.up) {
    margin: -4px 0 4px -2px;
    font-size: 12.5px;
    color: var(--faint);
  }
  .page {
    height: 100%;
    display: grid;
    grid-template:
      'first first first' auto
      'tabs back back' auto
      'view view aside' minmax(0, 1fr)
      'keys keys keys' auto
      'foot foot foot' auto / auto minmax(0, 1fr) 270px;
    gap: 8px 10px;
    padding: 8px 12px 10px;
    box-sizing: border-box;
  }
  .page > :global(.tabs) {
    grid-area: tabs;
  }
  .page > :global(.view) {
    grid-area: view;
  }
  .page > :global(.playing) {
    grid-area: keys;
  }
  .page > :global(footer) {
    grid-area: foot;
    min-width: 0;
  }
  aside {
    grid-area: aside;
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
    grid-row: 3;
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
      grid-template:
        'first' auto
        'tabs' auto
        'back' auto
        'view' 640px
        'aside' auto
        'keys' auto
        'foot' auto / minmax(0, 1fr);
    }
    :global(body) {
      overflow: auto;
    }
  }
</style>
