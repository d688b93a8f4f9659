<script lang="ts">
  import { bench } from '../lib/bench.svelte';
  import { modules } from '../lib/document';
  import { reading, seconds } from '../lib/format';
  import { player } from '../lib/player.svelte';
  import { timeTicks } from '../lib/scale';
  import { columnAt } from '../lib/sheet';
  import SourceRow from './SourceRow.svelte';
  import Stave from './Stave.svelte';

  let plotWidth = $state(0);
  const voiceLanes = $derived(
    Object.entries(bench.sheet?.lanes ?? {}).filter(([name]) => !name.includes('.') && !name.includes(':'))
  );
  const ticks = $derived(bench.sheet ? timeTicks(bench.sheet.seconds, plotWidth) : []);
  const place = (time: number): number => (bench.sheet ? (time / bench.sheet.seconds) * 100 : 0);
  const cursorSays = $derived.by(() => {
    const { sheet, cursor } = bench;
    if (!sheet || cursor === null) return '';
    const column = columnAt(sheet, cursor);
    const parts = voiceLanes.map(
      ([name, lane]) => `${lane.title} ${reading(name, lane.value.first[column]!, lane.unit, bench.key)}`
    );
    return `At ${seconds(sheet.starts[column]!)}: ${parts.join('; ')}`;
  });

  $effect(() => {
    const columns = Math.floor(plotWidth);
    if (columns > 0 && columns !== bench.columns) {
      bench.columns = columns;
      bench.trace();
    }
  });

  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!bench.sheet || event.buttons > 0) return;
    const box = event.currentTarget.getBoundingClientRect();
    const left = box.right - plotWidth;
    const time = ((event.clientX - left) / plotWidth) * bench.sheet.seconds;
    bench.cursor = time >= 0 && time <= bench.sheet.seconds ? time : null;
  }

  function step(event: KeyboardEvent): void {
    if (!bench.sheet || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return;
    event.preventDefault();
    const size = (bench.sheet.seconds / 200) * (event.shiftKey ? 0.2 : 1) * (event.key === 'ArrowLeft' ? -1 : 1);
    bench.cursor = Math.max(0, Math.min(bench.sheet.seconds, (bench.cursor ?? 0) + size));
  }

  function addSource(event: Event & { currentTarget: HTMLSelectElement }): void {
    const kind = event.currentTarget.value;
    event.currentTarget.value = '';
    if (kind) bench.addSource(kind);
  }
</script>

<div class="sheet" onpointermove={point} onpointerleave={() => (bench.cursor = null)} role="presentation">
  <div class="axis">
    <div class="label">
      Sources
      <select class="link-select" aria-label="Add a source" onchange={addSource}>
        <option value="">+ add a source</option>
        {#each ['source', 'processor', 'control'] as role (role)}
          <optgroup label={role === 'control' ? 'controls' : `${role}s`}>
            {#each bench.catalogue?.kinds.filter((kind) => kind.role === role) ?? [] as kind (kind.kind)}
              <option value={kind.kind}>{kind.title}</option>
            {/each}
          </optgroup>
        {/each}
      </select>
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div
      class="times"
      bind:clientWidth={plotWidth}
      tabindex="0"
      role="slider"
      aria-label="Time cursor"
      aria-valuemin={0}
      aria-valuemax={bench.sheet?.seconds ?? 0}
      aria-valuenow={bench.cursor ?? 0}
      aria-valuetext={cursorSays || 'no cursor; arrow keys set one'}
      onkeydown={step}
    >
      {#each ticks as tick (tick)}<span style:left="{place(tick)}%">{tick === 0 ? '0' : seconds(tick)}</span>{/each}
      {#if bench.cursor !== null}<span class="now" style:left="{place(bench.cursor)}%">{seconds(bench.cursor)}</span
        >{/if}
    </div>
  </div>
  <div class="sources">
    {#each bench.patch ? modules(bench.patch) : [] as module (module.id)}
      <SourceRow {module} />
    {:else}
      <p class="none">Nothing moves yet. Add a source, then let it move a stave below.</p>
    {/each}
  </div>
  <div class="axis low"><div class="label">What they move</div></div>
  <div class="staves">
    {#each voiceLanes as [name, lane] (name)}
      <Stave {name} {lane} />
    {/each}
  </div>
  <div class="over" aria-hidden="true">
    {#if bench.sheet}
      {#each bench.sheet.notes as note, i (i)}
        <i class="post-name" style:left="{place(note.on_s)}%">note on</i>
        <i class="post-name" style:left="{place(note.off_s)}%">note off</i>
      {/each}
      {#if bench.cursor !== null}<div class="line" style:left="{place(bench.cursor)}%"></div>{/if}
      {#if player.head !== null}<div class="line head" style:left="{place(player.head)}%"></div>{/if}
    {/if}
  </div>
</div>

<style>
  .sheet {
    --left: 268px;
    position: relative;
    display: flex;
    flex-direction: column;
    height: 100%;
    background: var(--paper);
    border: 1px solid var(--rule);
    border-radius: 7px;
    overflow: hidden;
  }
  .axis {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    height: 26px;
    flex: none;
    border-bottom: 1px solid var(--rule);
  }
  .axis.low {
    height: 23px;
  }
  .label {
    padding: 3px 8px 0 14px;
    font-size: 13px;
    font-weight: 600;
    color: var(--faint);
    display: flex;
    justify-content: space-between;
  }
  .times {
    position: relative;
  }
  .times span {
    position: absolute;
    top: 4px;
    padding-left: 5px;
    font-size: 12px;
    color: var(--faint);
    border-left: 1px solid var(--edge);
    line-height: 16px;
    white-space: nowrap;
  }
  .times span.now {
    background: var(--ink);
    color: var(--paper);
    border: 0;
    border-radius: 3px;
    padding: 0 5px;
    transform: translateX(-50%);
    z-index: 2;
  }
  .sources {
    flex: 0 1 auto;
    overflow: hidden auto;
    scrollbar-width: thin;
    min-height: 38px;
    max-height: 44%;
  }
  .none {
    margin: 0;
    padding: 8px 14px;
    color: var(--faint);
  }
  .staves {
    flex: 1 1 0;
    display: flex;
    flex-direction: column;
    overflow: hidden auto;
    scrollbar-width: thin;
    min-height: 0;
  }
  .over {
    position: absolute;
    left: var(--left);
    right: 0;
    top: 26px;
    bottom: 0;
    pointer-events: none;
  }
  .line {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 1px;
    background: var(--madder);
    opacity: 0.75;
  }
  .line.head {
    width: 2px;
    background: var(--woad);
    opacity: 1;
  }
  .post-name {
    position: absolute;
    bottom: 1px;
    margin-left: 4px;
    font-style: normal;
    font-size: 11.5px;
    color: var(--faint);
  }
</style>
