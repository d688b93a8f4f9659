<script lang="ts">
  import { shown } from '../common/format';
  import FieldEditor from '../sheet/FieldEditor.svelte';
  import { applies } from '../state/document';
  import { workbench } from '../state/workbench.svelte';

  /** The fields of a part of a phrase, as the catalogue has them: of the phrase itself, a note, a hit, a strike. */
  interface Props {
    part: 'phrase' | 'note' | 'hit' | 'strike' | 'pattern';
    /** Whose fields they are, as it is said in labels and in Undo. */
    owner: string;
    values: Readonly<Record<string, unknown>>;
    onset: (changed: Record<string, unknown>, label: string, merge: string) => void;
  }
  let { part, owner, values, onset }: Props = $props();
  const all = $derived(workbench.catalogue?.phrase[part] ?? []);
  const fields = $derived(all.filter((field) => applies(field, values, all)));
  const valueOf = (name: string): unknown => values[name] ?? fields.find((field) => field.name === name)?.default;
</script>

{#each fields as field (field.name)}
  {@const value = valueOf(field.name)}
  <FieldEditor
    {field}
    {owner}
    {value}
    under={field.unit === 'beats' ? shown(Number(value) * workbench.phrasing.beatS, 's') : ''}
    onset={(next, label, merge) => onset({ [field.name]: next }, label, merge)}
  />
{/each}
