<script lang="ts">
  import TextField from '../common/TextField.svelte';
  import Wrong from '../common/Wrong.svelte';
  import { sayRoute } from '../state/actions';

  /** A route said as a sentence; what was not understood stays to be fixed. */
  let text = $state('');
  let wrong = $state('');

  async function say(): Promise<void> {
    if (!text.trim()) return;
    try {
      await sayRoute(text);
      text = wrong = '';
    } catch (error) {
      wrong = error instanceof Error ? error.message : String(error);
    }
  }
</script>

<TextField
  class="say"
  label="Say a route"
  aria-invalid={wrong !== ''}
  hint="Who moves what, and how far: swell raises cutoff 22 st, scaled by velocity"
  placeholder="say it: swell raises cutoff 22 st"
  maxlength={300}
  spellcheck="false"
  bind:value={text}
  oninput={() => (wrong = '')}
  onkeydown={(event) => {
    // In an empty field Escape is the page's.
    if (event.key === 'Escape' && !text && !wrong) return (event.currentTarget as HTMLElement).blur();
    event.stopPropagation();
    if (event.key === 'Enter') void say();
    else if (event.key === 'Escape') text = wrong = '';
  }}
  onblur={() => (wrong = '')}
/>
{#if wrong}<Wrong text={wrong} />{/if}

<style>
  :global(.field.say) {
    flex: 1;
    margin: 0 6px;
    padding: 0 6px;
    font-size: 12.5px;
    line-height: 17px;
    border-color: var(--rule);
    min-width: 0;
  }
</style>
