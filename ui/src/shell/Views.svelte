<script lang="ts">
  import { TabItem, Tabs } from 'flowbite-svelte';
  import Guarded from '../common/Guarded.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { VIEWS } from './views';

  /** The views of the patch, each under its tab; the arrows move along them. */
  const at = $derived(VIEWS.findIndex((view) => view.id === workbench.view));

  function onkeydown(event: KeyboardEvent & { currentTarget: HTMLElement }): void {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by || !(event.target instanceof HTMLElement) || event.target.role !== 'tab') return;
    event.preventDefault();
    const next = (at + by + VIEWS.length) % VIEWS.length;
    workbench.view = VIEWS[next]!.id;
    event.currentTarget.querySelectorAll<HTMLElement>('[role="tab"]')[next]?.focus();
  }
</script>

<div class="views" role="presentation" {onkeydown}>
  <Tabs tabStyle="none" divider={false} class="tabs" classes={{ content: 'view' }} aria-label="Views">
    {#each VIEWS as { id, title, shows: Shown } (id)}
      <TabItem
        key={id}
        {title}
        classes={{ button: 'tab' }}
        bind:open={() => workbench.view === id, (open) => open && (workbench.view = id)}
        ><Guarded what="The view {title}"><Shown /></Guarded></TabItem
      >
    {/each}
  </Tabs>
</div>

<style>
  .views {
    display: contents;
  }
  .views :global(.tabs) {
    display: flex;
    flex-wrap: wrap;
    gap: 2px;
    align-items: center;
    margin: 0;
  }
  .views :global(.view) {
    grid-area: view;
    min-width: 0;
    min-height: 0;
    margin: 0;
    padding: 0;
    background: none;
  }
  .views :global(.tab) {
    border: 0;
    border-bottom: 2px solid transparent;
    border-radius: 0;
    background: none;
    color: var(--faint);
    font-size: 13px;
    font-weight: 400;
    line-height: 22px;
    padding: 1px 6px;
    cursor: pointer;
  }
  .views :global(.tab[aria-selected='true']) {
    color: var(--ink);
    font-weight: 700;
    border-bottom-color: var(--ink);
  }
</style>
