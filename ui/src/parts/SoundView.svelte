<script lang="ts">
  import { bench } from '../lib/bench.svelte';
  import { inkOf, inks, labelled, ruled, type Surface } from '../lib/draw';
  import { decibelsOf, figure, hertz, noteName, seconds } from '../lib/format';
  import { lookInto, type Look } from '../lib/look';
  import { player } from '../lib/player.svelte';
  import { decibelScale, hertzAxis, timeTicks } from '../lib/scale';
  import type { Lane } from '../lib/sheet';
  import Plot from './Plot.svelte';

  let look = $state.raw<Look | null>(null);
  let behind = $state.raw<Look | null>(null);
  let trouble = $state('');
  let width = $state(0);
  let at = $state(0.3);
  let busy = false;
  let again = false;

  const BANDS = ['Low', 'Middle', 'High'] as const;
  const BAND_RANGE = ['20–200 Hz', '200–2 000 Hz', 'over 2 kHz'];
  const DASHES: number[][] = [[], [7, 4], [2, 3]];
  const DYES = ['walnut', 'lichen', 'woad'];
  const level = decibelScale(-84, 0);
  const axis = hertzAxis(20, 20000);
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
      const { patch, ghost } = bench;
      if (!patch || width < 10) break;
      try {
        const columns = Math.min(600, Math.round(width / 2));
        look = await lookInto(patch, at, columns);
        behind = ghost ? await lookInto({ ...ghost.patch, performance: patch.performance }, at, columns) : null;
        trouble = '';
        performance.mark('jorvik:look');
      } catch (error) {
        trouble = error instanceof Error ? error.message : String(error);
      }
    } while (again);
    busy = false;
  }

  $effect(() => {
    void [bench.patch, bench.ghost?.patch, at, width > 10];
    void refresh();
  });

  function drawWave(on: Surface, look: Look | null): void {
    if (!look) return;
    const { context, width: w, height: h } = on;
    const y = (value: number): number => (h / 2) * (1 - value);
    context.fillStyle = inkOf('rule');
    context.fillRect(0, h / 2, w, 1);
    context.fillStyle = inkOf('ink');
    const count = look.least.length;
    for (let i = 0; i < count; i++) {
      const top = y(look.greatest[i]!);
      context.fillRect((i * w) / count, top, Math.max(1, w / count), Math.max(1, y(look.least[i]!) - top));
    }
  }

  function drawGram(on: Surface, look: Look | null, lane = bench.sheet?.lanes['cutoff']): void {
    if (!look) return;
    const tile = document.createElement('canvas');
    tile.width = look.columns;
    tile.height = look.rows;
    const brush = tile.getContext('2d')!;
    const image = brush.createImageData(look.columns, look.rows);
    const ground = rgb(inkOf('paper'));
    const ink = rgb(inkOf('ink'));
    for (let row = 0; row < look.rows; row++)
      for (let column = 0; column < look.columns; column++) {
        const share = Math.max(0, (look.spectrogram[row * look.columns + column]! - 51) / 204) ** 1.4;
        const to = ((look.rows - 1 - row) * look.columns + column) * 4;
        for (let c = 0; c < 3; c++) image.data[to + c] = ground[c]! + (ink[c]! - ground[c]!) * share;
        image.data[to + 3] = 255;
      }
    brush.putImageData(image, 0, 0);
    on.context.imageSmoothingEnabled = true;
    on.context.drawImage(tile, 0, 0, on.width, on.height);
    drawCutoff(on, look, lane);
  }

  function drawCutoff(on: Surface, look: Look, lane: Lane | undefined): void {
    if (!lane || !bench.sheet || lane.value.first.length !== bench.sheet.starts.length) return;
    const { context, width: w, height: h } = on;
    const octaves = Math.log2(look.high_hz / look.low_hz);
    context.beginPath();
    lane.value.first.forEach((value, i) => {
      const x = (bench.sheet!.starts[i]! / look.seconds) * w;
      context.lineTo(x, h * (1 - Math.log2(value / look.low_hz) / octaves));
    });
    context.strokeStyle = inkOf('madder');
    context.lineWidth = 2;
    context.setLineDash([6, 3]);
    context.stroke();
    context.setLineDash([]);
  }

  function rgb(colour: string): number[] {
    return [1, 3, 5].map((i) => parseInt(colour.slice(i, i + 2), 16));
  }

  function drawBands(on: Surface): void {
    if (!look) return;
    ruled(on, level, inks());
    behind?.bands.forEach((band) => trace(on, band, inkOf('faint'), [1, 3]));
    look.bands.forEach((band, i) => trace(on, band, inkOf(DYES[i]!), DASHES[i]!));
    labelled(on, level, inks());
  }

  function trace(on: Surface, row: Float32Array, colour: string, dash: number[]): void {
    const { context, width: w, height: h } = on;
    context.beginPath();
    row.forEach((value, i) => context.lineTo((i * w) / row.length, h * (1 - level.at(Math.max(-90, value)))));
    context.strokeStyle = colour;
    context.lineWidth = 1.8;
    context.setLineDash(dash);
    context.stroke();
    context.setLineDash([]);
  }

  function drawSpectrum(on: Surface): void {
    if (!look) return;
    const ink = inks();
    ruled(on, level, ink);
    const { context, width: w, height: h } = on;
    context.font = "11.5px 'Atkinson Hyperlegible Next Variable', sans-serif";
    context.textAlign = 'center';
    for (const tick of axis.ticks) {
      const x = axis.at(tick.value) * w;
      context.fillStyle = ink.rule;
      context.fillRect(x, 0, 1, h);
      context.fillStyle = ink.faint;
      context.fillText(tick.label, x, h - 3);
    }
    if (behind) curve(on, behind, ink.faint, [6, 4], 1.4);
    curve(on, look, ink.ink, [], 1.8);
    context.fillStyle = inkOf('madder');
    let before = -20;
    for (const partial of look.partials) {
      const x = axis.at(partial.hz) * w;
      if (partial.db < -72 || x - before < 15) continue;
      before = x;
      context.fillText(String(partial.number), x, Math.max(11, h * (1 - level.at(partial.db)) - 5));
    }
    labelled(on, level, ink);
  }

  function curve(on: Surface, of: Look, colour: string, dash: number[], weight: number): void {
    const { context, width: w, height: h } = on;
    context.beginPath();
    of.hz.forEach((hz, i) => context.lineTo(axis.at(hz) * w, h * (1 - level.at(Math.max(-90, of.db[i]!)))));
    context.strokeStyle = colour;
    context.lineWidth = weight;
    context.setLineDash(dash);
    context.stroke();
    context.setLineDash([]);
  }

  const FIGURES: { name: string; key: keyof Look['levels']; unit: string; help: string }[] = [
    { name: 'loudness', key: 'loudness_lufs', unit: 'LUFS', help: 'Integrated loudness, ITU-R BS.1770.' },
    { name: 'peak', key: 'peak_db', unit: 'dBFS', help: 'Highest sample.' },
    {
      name: 'true peak',
      key: 'true_peak_db',
      unit: 'dBTP',
      help: 'Highest point between samples, at four times the rate.'
    },
    { name: 'rms', key: 'rms_db', unit: 'dB', help: 'Root of the mean square.' },
    { name: 'crest', key: 'crest_db', unit: 'dB', help: 'Peak over rms.' }
  ];

  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    if (!look || (event.type === 'pointermove' && event.buttons === 0)) return;
    const box = event.currentTarget.getBoundingClientRect();
    at = Math.max(0, Math.min(look.seconds, ((event.clientX - box.left) / box.width) * look.seconds));
    bench.cursor = at;
  }
  function step(event: KeyboardEvent): void {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by || !look) return;
    event.preventDefault();
    at = Math.max(0, Math.min(look.seconds, at + by * look.seconds * (event.shiftKey ? 0.002 : 0.01)));
    bench.cursor = at;
  }
  $effect(() => {
    if (bench.cursor !== null && !look) at = bench.cursor;
  });
</script>

<div class="sound">
  <div class="over-time">
    <div class="axis">
      <span class="name">Sound</span>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div
        class="times"
        bind:clientWidth={width}
        tabindex="0"
        role="slider"
        aria-label="Moment of the spectrum"
        aria-valuemin={0}
        aria-valuemax={look?.seconds ?? 0}
        aria-valuenow={at}
        aria-valuetext={seconds(at)}
        onkeydown={step}
        onpointerdown={point}
        onpointermove={point}
      >
        {#each ticks as tick (tick)}<span style:left="{place(tick)}%">{tick === 0 ? '0' : seconds(tick)}</span>{/each}
        <span class="now" style:left="{place(at)}%">{seconds(at)}</span>
      </div>
    </div>
    <div class="row wave">
      <div class="left">
        <b>Waveform</b>
        {#if look}<span>peak {figure(look.levels.peak_db)} dBFS, true peak {figure(look.levels.true_peak_db)} dBTP</span
          ><span>{Math.abs(look.levels.dc) < 0.001 ? 'no DC' : `DC ${figure(look.levels.dc * 100, 2)} %`}</span>{/if}
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}>
        <div class="half"><Plot draw={(on) => drawWave(on, look)} /></div>
        {#if behind}<div class="half" role="img" aria-label="Waveform of the ghost">
            <Plot draw={(on) => drawWave(on, behind)} />
          </div>{/if}
      </div>
    </div>
    <div class="row gram">
      <div class="left">
        <b>Spectrogram</b>
        <span>30 Hz at the foot, 18 kHz at the top</span>
        <span class="cut">– – cutoff</span>
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}>
        <div class="half"><Plot draw={(on) => drawGram(on, look)} /></div>
        {#if behind}<div class="half" role="img" aria-label="Spectrogram of the ghost">
            <Plot draw={(on) => drawGram(on, behind, bench.ghost?.sheet?.lanes['cutoff'])} /><em
              >{bench.ghost?.label}</em
            >
          </div>{/if}
      </div>
    </div>
    <div class="row bands">
      <div class="left">
        <b>Bands</b>
        {#each BANDS as band, i (band)}
          <span title="{BAND_RANGE[i]}: how much its level moves while it sounds"
            ><svg width="24" height="7" aria-hidden="true"
              ><line
                x1="0"
                x2="24"
                y1="4"
                y2="4"
                stroke="var(--{DYES[i]})"
                stroke-width="2"
                stroke-dasharray={DASHES[i]!.join(' ')}
              /></svg
            >
            {band} moves {look ? figure(look.unsteadiness_db[i]!, 2) : '–'} dB{behind
              ? `, ghost ${figure(behind.unsteadiness_db[i]!, 2)}`
              : ''}</span
          >
        {/each}
      </div>
      <div class="right" role="presentation" onpointerdown={point} onpointermove={point}><Plot draw={drawBands} /></div>
    </div>
    <div class="cursor" aria-hidden="true">
      {#if look}<i style:left="{place(at)}%"></i>{#if player.head !== null}<i
            class="head"
            style:left="{place(player.head)}%"
          ></i>{/if}{/if}
    </div>
  </div>
  <div class="at">
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="figures-of" role="region" aria-label="Table of harmonics" tabindex="0">
      <table>
        <caption>Harmonics at {seconds(at)}</caption>
        <thead
          ><tr
            ><th>No.</th><th>Hz</th><th>note</th><th>dB</th>{#if behind}<th title={bench.ghost?.label}>ghost</th
              >{/if}</tr
          ></thead
        >
        <tbody>
          {#each (look?.partials ?? []).filter((p) => p.db > -100) as partial, i (partial.number)}
            <tr class:quiet-row={partial.db < -72}>
              <td>{partial.number}</td>
              <td>{hertz(partial.hz)}</td>
              <td>{noteName(partial.key)}</td>
              <td>{figure(partial.db)}</td>
              {#if behind}<td>{decibelsOf(behind.partials[i]?.db)}</td>{/if}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <div class="spectrum" role="img" aria-label="Spectrum at {seconds(at)}, harmonics numbered">
      <Plot draw={drawSpectrum} />
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="figures" role="region" aria-label="Levels" tabindex="0">
      <table>
        <caption>Levels</caption>
        <thead class:sr-only={!behind}
          ><tr
            ><th></th><th>now</th>{#if behind}<th>ghost</th>{/if}</tr
          ></thead
        >
        <tbody>
          {#each FIGURES as item (item.key)}
            <tr title={item.help}>
              <td>{item.name}</td>
              <td>{look ? figure(look.levels[item.key]) : '–'} {item.unit}</td>
              {#if behind}<td>{figure(behind.levels[item.key])}</td>{/if}
            </tr>
          {/each}
          <tr title="The middle of the spectrum's power over the loudest half second">
            <td>sharpness</td><td>{look ? hertz(look.sharpness_hz, 3) : '–'}</td>
            {#if behind}<td>{hertz(behind.sharpness_hz, 3)}</td>{/if}
          </tr>
          <tr title="The most that the limiter took">
            <td>limiter</td><td>{look ? figure(look.limited_db, 2) : '–'} dB</td>
            {#if behind}<td>{figure(behind.limited_db, 2)}</td>{/if}
          </tr>
        </tbody>
      </table>
      <div class="acts">
        {#if bench.ghost}
          <button class="quiet" onclick={() => void player.compare(false)}>A against B</button>
          <button class="quiet" onclick={() => void player.compare(true)}>Blind</button>
          {#if player.comparing === 'blind'}
            <p>
              Sounding: {player.side}. <button class="bare" onclick={() => player.reveal()}>Say which is which</button>
            </p>
          {:else if player.comparing === 'open'}
            <p>{player.side}: {player.sideIs(player.side)}, at one loudness.</p>
          {/if}
        {:else}
          <button
            class="quiet"
            title="Hold this version, then change something: both are shown, and heard at one loudness (G)"
            onclick={() => bench.holdGhost()}>Hold as ghost</button
          >
        {/if}
        <button class="quiet" onclick={() => (bench.building = true)}>Harmonics…</button>
      </div>
    </div>
  </div>
  {#if trouble}<p class="trouble" role="alert">{trouble}</p>{/if}
  {#if !look && !trouble}<p class="waiting">Making the sound…</p>{/if}
</div>

<style>
  .sound {
    --left: 200px;
    height: 100%;
    display: grid;
    grid-template-rows: minmax(0, 1.15fr) minmax(0, 1fr);
    background: var(--paper);
    border: 1px solid var(--rule);
    border-radius: 7px;
    overflow: hidden;
    position: relative;
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
  .times {
    position: relative;
    cursor: col-resize;
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
  .left svg {
    display: inline;
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
  .figures-of {
    padding-right: 12px;
    overflow: auto;
    scrollbar-width: thin;
    border-right: 1px solid var(--rule);
  }
  table {
    width: 100%;
    font-size: 12.5px;
    border-collapse: collapse;
  }
  caption {
    text-align: left;
    font-weight: 600;
    color: var(--faint);
    padding: 4px 12px 2px;
    font-size: 13px;
  }
  th {
    font-weight: 400;
    color: var(--faint);
    text-align: right;
    padding: 0 8px;
  }
  td {
    text-align: right;
    padding: 0 8px;
    line-height: 18px;
    white-space: nowrap;
  }
  .quiet-row {
    color: var(--faint);
  }
  .figures {
    border-left: 1px solid var(--rule);
    overflow: auto;
  }
  .figures td:first-child {
    text-align: left;
    color: var(--faint);
    padding-left: 12px;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding: 6px 12px;
    font-size: 13px;
  }
  .acts p {
    margin: 0;
    width: 100%;
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
