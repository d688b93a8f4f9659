<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import type { Head } from '../api/api';
  import { EMPTY } from './phrase';

  /** What the patch is played under: its test note, or a phrase. */
  const { phrasing } = workbench;
  const NEW = 'new';
  /** The open one may have been renamed since the list was asked for. */
  const nameOf = (head: Head): string => (head.id === phrasing.id ? (phrasing.phrase?.name ?? head.name) : head.name);
  const options = $derived([
    ['', 'test note'] as const,
    { title: 'phrases', options: phrasing.heads.map((head) => [head.id, nameOf(head)] as const) },
    [NEW, 'new phrase…'] as const
  ]);

  function choose(id: string): void {
    const act = id === NEW ? phrasing.create(EMPTY) : phrasing.choose(id || null);
    workbench.chosen = id ? { what: 'phrase', id: '' } : { what: 'patch', id: '' };
    void messages.attempt(() => act);
  }
</script>

<Choice
  class="under"
  label="Played"
  value={phrasing.id}
  {options}
  hint="The test note alone, or a phrase: the whole sheet works on what is chosen here"
  onchoose={choose}
/>

<style>
  :global(.under) {
    max-width: 9.5rem;
    text-overflow: ellipsis;
  }
</style>
