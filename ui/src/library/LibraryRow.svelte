<script lang="ts">
  import { fixed } from '../common/format';
  import { dayOf } from '../common/dates';
  import Button from '../common/Button.svelte';
  import Tick from '../common/Tick.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { opened } from './opening';
  import { WRONG, type LibraryHead } from './shelf.svelte';
  import { shelf } from './shelf-now';
  import Thumbnail from './Thumbnail.svelte';

  /** One document of the library. */
  let { head }: { head: LibraryHead } = $props();
  const wanted = shelf.wanted;
  const when = (at: string | null): string => (at ? dayOf(at) : 'never');
</script>

<li class:here={head.id === workbench.drafts.head?.id}>
  <Tick checked={shelf.chosen.has(head.id)} label="Choose {head.name}" onset={(on) => shelf.choose(head.id, on)} />
  {#if head.kind === 'patch'}<Thumbnail picture={shelf.pictureOf(head) as never} name={head.name} />{/if}
  <Button
    look="bare"
    class="star"
    aria-pressed={head.starred}
    aria-label="Star {head.name}"
    onclick={() => void messages.attempt(() => shelf.act(head.starred ? 'unstar' : 'star', {}, [head.id]))}
    >{head.starred ? '★' : '☆'}</Button
  >
  <div class="what">
    <span
      ><Button look="bare" class="open" onclick={() => void messages.attempt(() => opened(head))}>{head.name}</Button>
      {#if !wanted.kind}<small>{head.kind}</small>{/if}
      {#if head.branch_reason}<small>· {head.branch_reason}</small>{/if}</span
    >
    <small
      >{head.tags.filter((tag) => tag !== WRONG).join(', ')}
      {#if head.loudness !== null}<span class="lufs">{fixed(head.loudness, 1)} LUFS</span>{/if}
      {#if head.found.length}<span class="rules">{head.found.join(', ').replaceAll('_', ' ')}</span>{/if}</small
    >
  </div>
  <span class="state"
    >version {head.saved_number}{head.unsaved ? ', draft since' : ''}{head.demo ? ' · demo' : ''}<br />
    <small>{wanted.sort === 'used' ? `used ${when(head.used_at)}` : `changed ${when(head.changed_at)}`}</small></span
  >
  <Button
    look="bare"
    aria-label="Delete {head.name}"
    onclick={() => void messages.attempt(() => shelf.remove([head.id], head.name))}>delete</Button
  >
</li>

<style>
  li {
    display: flex;
    gap: 9px;
    padding: 4px 12px;
    border-bottom: 1px solid var(--rule);
    align-items: center;
  }
  li.here {
    background: var(--chosen);
  }
  small {
    color: var(--faint);
    font-size: 12.5px;
  }
  .what {
    flex: 1;
    min-width: 0;
    display: flex;
    flex-direction: column;
  }
  li :global(.open) {
    margin-left: -2px;
    font-weight: 600;
    text-align: left;
  }
  li :global(.star) {
    color: var(--weld);
    font-size: 15px;
  }
  .lufs,
  .rules {
    margin-left: 8px;
  }
  .rules {
    color: var(--madder);
  }
  .state {
    color: var(--faint);
    font-size: 12.5px;
    line-height: 16px;
    text-align: right;
    white-space: nowrap;
  }
</style>
