<script lang="ts">
  /** A choice among a few: each option a value and how it reads. */
  interface Props {
    value: string;
    options: readonly (readonly [string, string])[];
    label: string;
    title?: string;
    onchoose: (value: string) => void;
  }
  let { value, options, label, title, onchoose }: Props = $props();
</script>

<select class="field" aria-label={label} {title} {value} onchange={(event) => onchoose(event.currentTarget.value)}>
  {#each options as [option, text] (option)}<option value={option}>{text}</option>{/each}
</select>
