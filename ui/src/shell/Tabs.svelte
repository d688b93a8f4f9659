<script lang="ts">
  import { workbench } from '../state/workbench.svelte';
  import { VIEWS } from './views';

  function onkeydown(event: KeyboardEvent): void {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    const at = VIEWS.findIndex((view) => view.id === workbench.view);
    workbench.view = VIEWS[(at + by + VIEWS.length) % VIEWS.length]!.id;
    (event.currentTarget as HTMLElement).querySelectorAll('button')[(at + by + VIEWS.length) % VIEWS.length]?.focus();
  }
</script>

<div class="tabs" role="tablist" aria-label="Views" tabindex="-1" {onkeydown}>
  {#each VIEWS as { id, title } (id)}
    <button
      role="tab"
      aria-selected={workbench.view === id}
      tabindex={workbench.view === id ? 0 : -1}
      onclick={() => (workbench.view = id)}>{title}</button
    >
  {/each}
</div>

<style>
  .tabs {
    display: flex;
    gap: 2px;
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
