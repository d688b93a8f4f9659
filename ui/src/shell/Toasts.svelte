<script lang="ts">
  import { Toast } from 'flowbite-svelte';
  import Button from '../common/Button.svelte';
  import { messages } from '../state/messages.svelte';

  /** What was said lately, over the foot of the page: nothing moves because something is said. */
</script>

<div class="toasts">
  {#each messages.all as message (message.id)}
    <Toast
      role={message.trouble ? 'alert' : 'status'}
      class="toast {message.trouble ? 'trouble' : ''}"
      classes={{ content: 'said' }}
      dismissable={false}
      params={{ duration: 0 }}
    >
      <span>{message.text}</span>
      {#if message.act}<Button
          onclick={() => {
            message.act?.run();
            messages.dismiss(message.id);
          }}>{message.act.label}</Button
        >{/if}
      <Button look="bare" aria-label="Dismiss" onclick={() => messages.dismiss(message.id)}>✕</Button>
    </Toast>
  {/each}
</div>

<style>
  .toasts {
    position: fixed;
    left: 50%;
    bottom: 54px;
    transform: translateX(-50%);
    width: min(46rem, calc(100% - 40px));
    display: flex;
    flex-direction: column;
    gap: 5px;
    z-index: 60;
    pointer-events: none;
  }
  .toasts :global(.toast) {
    pointer-events: auto;
    max-width: none;
    padding: 6px 12px;
    background: var(--raised);
    color: var(--ink);
    border: 1px solid var(--edge);
    border-left: 4px solid var(--weld);
    border-radius: 6px;
    box-shadow: 0 2px 10px rgb(0 0 0 / 0.16);
  }
  .toasts :global(.toast.trouble) {
    border-left-color: var(--madder);
  }
  .toasts :global(.said) {
    display: flex;
    align-items: center;
    gap: 10px;
    font-size: 13.5px;
  }
  span {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
  }
</style>
