<script lang="ts">
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf } from '../state/document';
  import { ground, inkOf, inks, labelled, line, ruled, type Surface } from '../draw/draw';
  import { signalShown } from '../common/format';
  import { signalStaveScale } from '../draw/scale';
  import { settings } from '../state/settings.svelte';
  import { columnAt, extentOf } from '../api/sheet';
  import Plot from '../common/Plot.svelte';
  import Swatch from '../common/Swatch.svelte';

  /** Signals laid over each other on one scale: raw, processed, sum. A pattern and a label say which is which. */
  let { names }: { names: string[] } = $props();

  const rows = $derived(names.map((name) => ({ name, row: workbench.sheet!.signals[name]!.row })));
  const extent = $derived.by(() => {
    const ends = rows.map(({ row }) => extentOf(row));
    return [Math.min(0, ...ends.map(([low]) => low)), Math.max(0.1, ...ends.map(([, high]) => high))] as const;
  });
  const scale = $derived(signalStaveScale(extent[0], extent[1], settings.now.signals));

  function draw(on: Surface): void {
    if (!workbench.sheet || !workbench.patch) return;
    const ink = inks();
    ground(on, workbench.sheet, ink);
    ruled(on, scale, ink);
    for (const { name, row } of rows) {
      const dye = dyeOf(workbench.patch, name);
      line(on, row, scale, inkOf(dye.colour), 1.8, dye.dash);
    }
    labelled(on, scale, ink);
  }

  function reads(name: string): string {
    const { sheet, cursor } = workbench;
    const row = rows.find((r) => r.name === name)?.row;
    if (!sheet || !row) return '';
    if (workbench.posts && cursor === null) {
      const [a, b] = workbench.posts.map((post) => row.first[columnAt(sheet, post)]!) as [number, number];
      return `${signalShown(a, settings.now.signals)} → ${signalShown(b, settings.now.signals)} between posts`;
    }
    if (cursor !== null) return signalShown(row.first[columnAt(sheet, cursor)]!, settings.now.signals);
    const [low, high] = extentOf(row);
    return `${signalShown(low, settings.now.signals)} to ${signalShown(high, settings.now.signals)}`;
  }
</script>

<!-- As tall as its list, so that nothing laid on it is out of sight. -->
<section
  class="stave"
  aria-label="Signals laid over each other"
  style:min-height="{Math.max(110, 32 + 20 * names.length)}px"
>
  <div class="left">
    <div class="title"><b>Signals</b></div>
    {#each names as name (name)}
      {@const dye = workbench.patch ? dyeOf(workbench.patch, name) : { colour: 'faint', dash: [] }}
      <div class="legend">
        <Swatch dye={dye.colour} dash={dye.dash} />
        <Button
          look="bare"
          style="color: var(--{dye.colour})"
          onclick={() => (workbench.chosen = { what: 'source', id: name })}><b>{name}</b></Button
        >
        <span>{reads(name)}</span>
        <Button look="bare" aria-label="Take {name} off the stave" onclick={() => workbench.pin(name)}>✕</Button>
      </div>
    {/each}
  </div>
  <div class="right"><Plot {draw} /></div>
</section>

<style>
  .stave {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    flex: 1.2 1 0;
    border-bottom: 1px solid var(--rule);
  }
  .left {
    padding: 4px 8px 2px 14px;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  .title b {
    font-size: 14.5px;
  }
  .legend {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 13px;
    line-height: 20px;
    white-space: nowrap;
  }
  .legend :global(button:nth-of-type(1)) {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .legend span {
    margin-left: auto;
    color: var(--faint);
    white-space: nowrap;
  }
  .right {
    position: relative;
  }
</style>
