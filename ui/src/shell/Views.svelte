<script lang="ts">
  import { workbench } from '../state/workbench.svelte';
  import { VIEWS } from './views';

  /** The views of the patch, each under its tab; the arrows move along them. (Not Flowbite's: see decisions.md.) */
  const shown = $derived(VIEWS.find((view) => view.id === workbench.view)!);
  const Shown = $derived(shown.shows);

  function onkeydown(event: KeyboardEvent & { currentTarget: HTMLElement }): void {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    const at = (VIEWS.indexOf(shown) + by + VIEWS.length) % VIEWS.length;
    workbench.view = VIEWS[at]!.id;
    event.currentTarget.querySelectorAll('button')[at]?.focus();
  }
</script>

<div class="tabs" role="tablist" aria-label="Views" tabindex="-1" {onkeydown}>
  {#each VIEWS as { id, title } (id)}
    <button
      role="tab"
      id="tab-{id}"
      aria-controls="view"
      aria-selected={workbench.view === id}
      tabindex={workbench.view === id ? 0 : -1}
      onclick={() => (workbench.view = id)}>{title}</button
    >
  {/each}
</div>
<div class="view" role="tabpanel" id="view" aria-labelledby="tab-{shown.id}"><Shown /></div>

<style>
  .tabs {
    display: flex;
    gap: 2px;
    align-items: center;
  }
  .view {
    min-width: 0;
    min-height: 0;
  }
  button {
    border: 0;
    border-bottom: 2px solid transparent;
    background: none;
    color: var(--faint);
    font-size: 14px;
    line-height: 22px;
    padding: 1px 9px;
    cursor: pointer;
  }
  button[aria-selected='true'] {
    color: var(--ink);
    font-weight: 700;
    border-bottom-color: var(--ink);
  }
</style>
