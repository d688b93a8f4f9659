<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { api, plain, taken } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { inkOf, type Surface } from '../lib/draw';
  import { figure, hertz, noteName } from '../lib/format';
  import type { components } from '../lib/schema.gen';
  import Plot from './Plot.svelte';
  import ValueField from './ValueField.svelte';

  /** A tone built from harmonics 1 to 32 by number: level and phase of each, at the test key, frame by frame. */
  type Seen = components['schemas']['HarmonicsSeen'];
  const COUNT = 32;
  let frames: number[][][] = $state.raw([]);
  let frame = $state(0);
  let chosen = $state(0);
  let seen: Seen | null = $state.raw(null);
  let own = $state('');
  let drawing = $state(false);
  let bars: HTMLDivElement | undefined = $state();
  let reached = 0;

  const harmonics = $derived(frames[frame] ?? []);
  const wave = $derived.by(() => {
    if (!seen) return null;
    return new Float32Array(Uint8Array.from(atob(seen.wave), (c) => c.charCodeAt(0)).buffer);
  });

  async function see(harmonics: number[][] | null, table = '', position = 0): Promise<Seen | null> {
    if (!bench.patch) return null;
    const mine = ++reached;
    const body = { document: plain(bench.patch), harmonics, table, position };
    const found = await taken(api.POST('/api/harmonics', { body }));
    if (mine === reached) seen = found;
    return found;
  }

  /** Opens on the patch's own table where it has one made by hand, else on the frame that sounds. */
  async function open(): Promise<void> {
    const of = bench.patch?.voice?.oscillators;
    const table = of?.osc1?.table ?? 'ladder';
    const known = of?.tables?.find((t) => t.name === table && t.frames);
    frame = chosen = 0;
    own = known ? table : '';
    if (known?.frames) {
      frames = known.frames.map(filled);
      await see(frames[0]!);
      return;
    }
    const found = await see(null, table, bench.sheet?.lanes['wavetable_position']?.set_value ?? 0);
    if (found) frames = [filled(found.harmonics)];
  }
  $effect(() => {
    if (bench.building) void bench.attempt(open);
  });

  const filled = (given: number[][]): number[][] => Array.from({ length: COUNT }, (_, i) => given[i] ?? [0, 0]);

  function set(index: number, level: number, phase = harmonics[index]?.[1] ?? 0): void {
    const tidy = [Number(Math.max(0, Math.min(1, level)).toFixed(4)), Number(phase.toFixed(4))];
    const next = harmonics.map((pair, i) => (i === index ? tidy : pair));
    frames = frames.map((f, i) => (i === frame ? next : f));
    void bench.attempt(async () => void (await see(next)));
  }

  /** A bar's height is its level on a scale of 60 dB. */
  const height = (level: number): number => (level <= 0.001 ? 0 : 1 + (20 * Math.log10(level)) / 60);
  const levelOf = (height: number): number => (height <= 0.01 ? 0 : 10 ** ((Math.min(1, height) - 1) * 3));

  function put(event: PointerEvent): void {
    if (!bars) return;
    const box = bars.getBoundingClientRect();
    const index = Math.max(0, Math.min(COUNT - 1, Math.floor(((event.clientX - box.left) / box.width) * COUNT)));
    chosen = index;
    set(index, levelOf(1 - (event.clientY - box.top) / box.height));
  }

  function nudge(event: KeyboardEvent, index: number): void {
    const up = { ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (event.key === 'Delete') set(index, 0);
    else if (up) {
      const now = Math.max(height(harmonics[index]![0]!), 0);
      set(index, levelOf(now + up * (event.shiftKey ? 1 / 240 : 1 / 60)));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function frameTo(next: number): void {
    frame = next;
    void bench.attempt(async () => void (await see(frames[next]!)));
  }
  function addFrame(): void {
    frames = [...frames.slice(0, frame + 1), harmonics, ...frames.slice(frame + 1)];
    frameTo(frame + 1);
  }
  function removeFrame(): void {
    frames = frames.filter((_, i) => i !== frame);
    frameTo(Math.max(0, frame - 1));
  }
  function keep(): void {
    own = bench.addTable('built', { frames }, own);
    bench.say(`${own} is kept in the patch, and oscillator 1 plays it.`);
    bench.building = false;
  }

  function drawWave(on: Surface): void {
    if (!wave) return;
    const { context, width, height: h } = on;
    context.fillStyle = inkOf('rule');
    context.fillRect(0, h / 2, width, 1);
    const most = Math.max(...wave.map(Math.abs), 1e-6);
    context.beginPath();
    wave.forEach((value, i) => context.lineTo((i / (wave.length - 1)) * width, (h / 2) * (1 - (0.92 * value) / most)));
    context.strokeStyle = inkOf('madder');
    context.lineWidth = 2;
    context.stroke();
  }
</script>

<Modal bind:open={bench.building} title="Build a tone from harmonics" size="xl" outsideclose>
  <div class="builder">
    <div>
      <div
        class="bars"
        bind:this={bars}
        role="group"
        aria-label="Levels of the harmonics, over 60 dB"
        onpointerdown={(event) => {
          drawing = true;
          bars?.setPointerCapture(event.pointerId);
          put(event);
        }}
        onpointermove={(event) => drawing && put(event)}
        onpointerup={() => (drawing = false)}
      >
        {#each harmonics as [level], i (i)}
          <div
            class="bar"
            class:chosen={i === chosen}
            role="slider"
            tabindex="0"
            aria-label="Harmonic {i + 1}"
            aria-valuenow={level}
            aria-valuemin="0"
            aria-valuemax="1"
            onfocus={() => (chosen = i)}
            onkeydown={(event) => nudge(event, i)}
          >
            <i style:height="calc({Math.max(0, height(level!))} * (100% - 14px))"></i><span>{i + 1}</span>
          </div>
        {/each}
      </div>
      <div class="wave"><Plot draw={drawWave} /></div>
    </div>
    <div class="side">
      <table>
        <thead><tr><th>No.</th><th>Hz</th><th>note</th><th>dB</th></tr></thead>
        <tbody>
          {#each seen?.rows ?? [] as row, i (row.number)}
            <tr class:chosen={i === chosen} onclick={() => (chosen = i)}>
              <td>{row.number}</td><td>{hertz(row.hz)}</td><td>{noteName(row.key)}</td>
              <td>{row.db <= -119 ? '–' : figure(row.db)}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  </div>
  <div class="acts">
    <b>Harmonic {chosen + 1}</b>
    <span>level</span>
    <ValueField
      value={harmonics[chosen]?.[0] ?? 0}
      unit="ratio"
      label="Level of harmonic {chosen + 1}"
      low={0}
      high={1}
      width="5rem"
      oncommit={(v) => set(chosen, Number(v))}
    />
    <span>phase</span>
    <ValueField
      value={harmonics[chosen]?.[1] ?? 0}
      unit="cycle"
      label="Phase of harmonic {chosen + 1}"
      low={-1}
      high={1}
      width="4.5rem"
      oncommit={(v) => set(chosen, harmonics[chosen]![0]!, Number(v))}
    />
    <span class="gap"></span>
    <span>frame</span>
    {#each frames as _, i (i)}
      <button class="quiet" aria-pressed={i === frame} aria-label="Frame {i + 1}" onclick={() => frameTo(i)}
        >{i + 1}</button
      >
    {/each}
    <button class="quiet" disabled={frames.length >= 16} onclick={addFrame}>+ frame</button>
    <button class="quiet" disabled={frames.length <= 1} onclick={removeFrame}>Remove frame</button>
    <button class="quiet keep" onclick={keep}>Keep it in the patch</button>
  </div>
</Modal>

<style>
  .builder {
    display: grid;
    grid-template-columns: 1fr 250px;
    gap: 14px;
  }
  .bars {
    display: flex;
    gap: 2px;
    height: 210px;
    border: 1px solid var(--rule);
    border-radius: 5px;
    padding: 3px;
    background: var(--raised);
    touch-action: none;
    cursor: crosshair;
  }
  .bar {
    flex: 1;
    position: relative;
    display: flex;
    align-items: flex-end;
  }
  .bar i {
    width: 100%;
    background: var(--faint);
    border-radius: 2px 2px 0 0;
    margin-bottom: 14px;
  }
  .bar span {
    position: absolute;
    bottom: 0;
    width: 100%;
    text-align: center;
    font-size: 10.5px;
    color: var(--faint);
  }
  .bar.chosen i {
    background: var(--madder);
  }
  .wave {
    position: relative;
    height: 90px;
    margin-top: 8px;
    border: 1px solid var(--rule);
    border-radius: 5px;
  }
  .side {
    max-height: 310px;
    overflow: auto;
    scrollbar-width: thin;
  }
  table {
    width: 100%;
    font-size: 12.5px;
  }
  th {
    font-weight: 400;
    text-align: right;
    padding: 0 6px;
  }
  td {
    text-align: right;
    padding: 0 6px;
    line-height: 18px;
    cursor: pointer;
  }
  tr.chosen {
    background: var(--chosen);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 7px;
    font-size: 13.5px;
  }
  .gap {
    width: 12px;
  }
  .keep {
    margin-left: auto;
    background: var(--ink);
    color: var(--paper) !important;
  }
</style>
