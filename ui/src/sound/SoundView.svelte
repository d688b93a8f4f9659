<script lang="ts">
  import { lateness } from '../state/late.svelte';
  import { workbench, type Present } from '../state/workbench.svelte';
  import { BANDS, drawBands, drawGram, drawSpectrum, drawWave } from '../draw/draw-sound';
  import { figure, seconds } from '../common/format';
  import { lookInto, type Look } from '../api/look';
  import { player } from '../state/playing';
  import { timeTicks } from '../draw/scale';
  import Levels from './Levels.svelte';
  import Partials from './Partials.svelte';
  import Plot from '../common/Plot.svelte';
  import Swatch from '../common/Swatch.svelte';
  import TimeAxis from '../sheet/TimeAxis.svelte';

  let look = $state.raw<Look | null>(null);
  let behind = $state.raw<Look | null>(null);
  let of: Present | null = $state.raw(null);
  const old = $derived(workbench.isOld(of));
  const late = lateness(() => old);
  let trouble = $state('');
  let width = $state(0);
  let at = $state(workbench.moment ?? 0.3);
  let busy = false;
  let again = false;

  const place = (time: number): number => (look ? (time / look.seconds) * 100 : 0);
  const ticks = $derived(look ? timeTicks(0, look.seconds, width) : []);

  async function refresh(): Promise<void> {
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    do {
      again = false;
      const { patch, present } = workbench;
      if (!patch || width < 10) break;
      const held = workbench.tracing.behind(patch);
      try {
        const columns = Math.min(600, Math.round(width / 2));
        look = await lookInto(patch, at, columns, workbench.performed);
        behind = held && (await lookInto(held, at, columns, workbench.performed));
        of = present;
        trouble = '';
        performance.mark('jorvik:look');
      } catch (error) {
        trouble = error instanceof Error ? error.message : String(error);
      }
      // Another call sets it while this one waits.
      // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition
    } while (again);
    busy = false;
  }

  $effect(() => {
    void [workbench.patch, workbench.tracing.ghost?.patch, at, width > 10];
    void refresh();
  });

  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!look || (event.type === 'pointermove' && event.buttons === 0)) return;
    const box = event.currentTarget.getBoundingClientRect();
    at = Math.max(0, Math.min(look.seconds, ((event.clientX - box.left) / box.width) * look.seconds));
    workbench.cursor = at;
  }
  function step(event: KeyboardEvent): void {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by || !look) return;
    event.preventDefault();
    at = Math.max(0, Math.min(look.seconds, at + by * look.seconds * (event.shiftKey ? 0.002 : 0.01)));
    workbench.cursor = at;
  }
</script>

<div class="sound panel">
  <div class="over-time" class:is-old={old} aria-busy={late.isLate}>
    <div class="axis">
      <span class="name">Sound</span>
      <TimeAxis
        label="Moment of the spectrum"
        length={look?.seconds ?? 0}
        cursor={at}
        {ticks}
        {place}
        bind:width
        onkeydown={step}
        onpointerdown={point}
        onpointermove={point}
      />
    </div>
    <div class="row wave">
      <div class="left">
        <b>Waveform</b>
        {#if look}<span>peak {figure(look.levels.peak_db)} dBFS</span><span
            >{Math.abs(look.levels.dc) < 0.001 ? 'no DC' : `DC ${figure(look.levels.dc * 100, 2)} %`}</span
          >{/if}
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}>
        <div class="half"><Plot draw={(on) => look && drawWave(on, look)} /></div>
        {#if behind}<div class="half" role="img" aria-label="Waveform of the ghost">
            <Plot draw={(on) => behind && drawWave(on, behind)} />
          </div>{/if}
      </div>
    </div>
    <div class="row gram">
      <div class="left">
        <b>Spectrogram</b>
        <span>30 Hz at the foot, 18 kHz at the top{look ? `; blank from ${figure(look.floor_db)} dB down` : ''}</span>
        <span class="cut">– – cutoff</span>
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}>
        <div class="half"><Plot draw={(on) => look && drawGram(on, look, workbench.sheet)} /></div>
        {#if behind}<div class="half" role="img" aria-label="Spectrogram of the ghost">
            <Plot draw={(on) => behind && drawGram(on, behind, workbench.tracing.ghost?.sheet ?? null)} /><em
              >{workbench.tracing.ghost?.label}</em
            >
          </div>{/if}
      </div>
    </div>
    <div class="row bands">
      <div class="left">
        <b>Bands</b>
        {#each BANDS as band, i (band.name)}
          <span data-hint="{band.range}: how much its level moves while it sounds"
            ><Swatch dye={band.dye} dash={band.dash} />
            {band.name} moves {look ? figure(look.level_deviation_db[i]!, 2) : '–'} dB{behind
              ? `, was ${figure(behind.level_deviation_db[i]!, 2)}`
              : ''}</span
          >
        {/each}
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}>
        <Plot draw={(on) => look && drawBands(on, look, behind)} />
      </div>
    </div>
    <div class="cursor" aria-hidden="true">
      {#if look}<i style:left="{place(at)}%"></i>{#if player.head !== null}<i
            class="head"
            style:left="{place(player.head)}%"
          ></i>{/if}{/if}
    </div>
  </div>
  <div class="at" class:is-old={old}>
    <Partials {look} {behind} {at} ghost={workbench.tracing.ghost?.label ?? ''} />
    <div class="spectrum" role="img" aria-label="Spectrum at {seconds(at)}, harmonics numbered">
      <Plot draw={(on) => look && drawSpectrum(on, look, behind)} />
    </div>
    <Levels {look} {behind} />
  </div>
  {#if trouble}<p class="trouble" role="alert">{trouble}</p>{/if}
  {#if !look && !trouble}<p class="waiting">Making the sound…</p>{/if}
</div>

<style>
  .sound {
    --left: 200px;
    display: grid;
    grid-template-rows: minmax(0, 1.15fr) minmax(0, 1fr);
  }
  .over-time {
    position: relative;
    display: grid;
    grid-template-rows: 26px 0.8fr 1.9fr 1fr;
    min-height: 0;
    border-bottom: 1px solid var(--edge);
  }
  .axis,
  .row {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    border-bottom: 1px solid var(--rule);
    min-height: 0;
  }
  .axis .name {
    padding: 3px 14px;
    font-weight: 600;
    color: var(--faint);
    font-size: 13px;
  }
  .left {
    padding: 4px 8px 2px 14px;
    display: flex;
    flex-direction: column;
    font-size: 12.5px;
    line-height: 17px;
    color: var(--faint);
    overflow: hidden;
  }
  .left b {
    color: var(--ink);
    font-size: 14px;
  }
  .cut {
    color: var(--madder);
  }
  .right,
  .spectrum {
    position: relative;
    min-width: 0;
    min-height: 0;
  }
  .wave .right,
  .gram .right {
    display: flex;
    flex-direction: column;
    gap: 1px;
    background: var(--rule);
  }
  .half {
    position: relative;
    flex: 1;
    background: var(--paper);
  }
  .half em {
    position: absolute;
    right: 6px;
    top: 2px;
    font-size: 11.5px;
    color: var(--faint);
  }
  .cursor {
    position: absolute;
    left: var(--left);
    right: 0;
    top: 26px;
    bottom: 0;
    pointer-events: none;
  }
  .cursor i {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 1px;
    background: var(--madder);
  }
  .cursor i.head {
    width: 2px;
    background: var(--woad);
  }
  .at {
    display: grid;
    grid-template-columns: minmax(240px, max-content) minmax(0, 1fr) 225px;
    grid-template-rows: minmax(0, 1fr);
    min-height: 0;
  }
  .waiting,
  .trouble {
    position: absolute;
    left: 45%;
    top: 40%;
    background: var(--paper);
    padding: 6px 12px;
    border: 1px solid var(--rule);
    border-radius: 6px;
    color: var(--faint);
  }
  .trouble {
    color: var(--madder);
  }
</style>
