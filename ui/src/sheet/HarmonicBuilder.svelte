<script lang="ts">
  import Button from '../common/Button.svelte';
  import { untrack } from 'svelte';
  import { Modal } from 'flowbite-svelte';
  import { api, asBody, unwrap } from '../api/api';
  import { Latest } from '../state/latest';
  import { messages } from '../state/messages.svelte';
  import { addTable } from '../state/actions';
  import { workbench } from '../state/workbench.svelte';
  import { inkOf, stroked, type Surface } from '../draw/draw';
  import { figure, hertz, noteName } from '../common/format';
  import type { components } from '../api/schema.gen';
  import { floats } from '../api/wire';
  import Bars from '../sound/Bars.svelte';
  import Plot from '../common/Plot.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** A tone built from harmonics 1 to 32 by number: level and phase of each, at the test key, frame by frame. */
  type Seen = components['schemas']['HarmonicsSeen'];
  const COUNT = 32;
  let frames: number[][][] = $state.raw([]);
  let frame = $state(0);
  let chosen = $state(0);
  let seen: Seen | null = $state.raw(null);
  let own = $state('');
  const asked = new Latest();

  const harmonics = $derived(frames[frame] ?? []);
  const wave = $derived.by(() => (seen ? floats(seen.wave) : null));

  async function see(harmonics: number[][] | null, table = '', position = 0): Promise<Seen | null> {
    if (!workbench.patch) return null;
    const isLast = asked.ask();
    const body = { document: asBody(workbench.patch), harmonics, table, position };
    const found = await unwrap(api.POST('/api/harmonics', { body }));
    if (!isLast()) return null;
    seen = found;
    return found;
  }

  /** Opens on the patch's own table where it has one made by hand, else on the frame that sounds. */
  async function open(): Promise<void> {
    const of = workbench.patch?.voice?.oscillators;
    const table = of?.osc1?.table ?? 'ladder';
    const known = of?.tables?.find((t) => t.name === table && t.frames);
    frame = chosen = 0;
    own = known ? table : '';
    if (known?.frames) {
      frames = known.frames.map(filled);
      await see(frames[0]!);
      return;
    }
    const found = await see(null, table, workbench.sheet?.lanes['wavetable_position']?.set_value ?? 0);
    if (found) frames = [filled(found.harmonics)];
  }
  $effect(() => {
    // Opening reads what it also sets; only being opened is what it is opened for.
    if (workbench.building) untrack(() => void messages.attempt(open));
  });

  const filled = (given: number[][]): number[][] => Array.from({ length: COUNT }, (_, i) => given[i] ?? [0, 0]);

  function set(index: number, level: number, phase = harmonics[index]?.[1] ?? 0): void {
    const tidy = [Number(Math.max(0, Math.min(1, level)).toFixed(4)), Number(phase.toFixed(4))];
    const next = harmonics.map((pair, i) => (i === index ? tidy : pair));
    frames = frames.map((f, i) => (i === frame ? next : f));
    void messages.attempt(async () => void (await see(next)));
  }

  /** A bar's height is its level on a scale of 60 dB. */
  const height = (level: number): number => (level <= 0.001 ? 0 : 1 + (20 * Math.log10(level)) / 60);
  const levelOf = (height: number): number => (height <= 0.01 ? 0 : 10 ** ((Math.min(1, height) - 1) * 3));

  function frameTo(next: number): void {
    frame = next;
    void messages.attempt(async () => void (await see(frames[next]!)));
  }
  function clear(): void {
    const silent = harmonics.map(([, phase]) => [0, phase!]);
    frames = frames.map((f, i) => (i === frame ? silent : f));
    void messages.attempt(async () => void (await see(silent)));
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
    own = addTable('built', { frames }, own);
    messages.say(`${own} is kept in the patch, and oscillator 1 plays it.`);
    workbench.building = false;
  }

  function drawWave(on: Surface): void {
    if (!wave) return;
    const { context, width, height: h } = on;
    context.fillStyle = inkOf('rule');
    context.fillRect(0, h / 2, width, 1);
    const most = Math.max(...wave.map(Math.abs), 1e-6);
    const y = (value: number): number => (h / 2) * (1 - (0.92 * value) / most);
    stroked(on, wave, (value, i) => [(i / (wave.length - 1)) * width, y(value)], inkOf('madder'), 2);
  }
</script>

<Modal bind:open={workbench.building} title="Build a tone from harmonics" size="xl" outsideclose>
  <div class="builder">
    <div>
      <Bars
        label="Levels of the harmonics, over 60 dB"
        heights={harmonics.map(([level]) => height(level!))}
        values={harmonics.map(([level]) => level!)}
        bind:chosen
        name={(i) => `Harmonic ${i + 1}`}
        numbered
        size="210px"
        nudges={{ plain: 1 / 60, fine: 1 / 240 }}
        onput={(index, height) => set(index, levelOf(height))}
      />
      <div class="wave"><Plot draw={drawWave} /></div>
    </div>
    <div class="side">
      <table class="figures">
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
    {#each [chosen] as index (index)}
      <ValueField
        value={harmonics[index]?.[0] ?? 0}
        unit="ratio"
        label="Level of harmonic {index + 1}"
        low={0}
        high={1}
        width="5rem"
        oncommit={(v) => set(index, Number(v))}
      />
      <span>phase</span>
      <ValueField
        value={harmonics[index]?.[1] ?? 0}
        unit="cycle"
        label="Phase of harmonic {index + 1}"
        low={-1}
        high={1}
        width="4.5rem"
        oncommit={(v) => set(index, harmonics[index]![0]!, Number(v))}
      />
    {/each}
    <Button onclick={clear}>Clear</Button>
    <span class="gap"></span>
    <span>frame</span>
    {#each frames as _, i (i)}
      <Button aria-pressed={i === frame} aria-label="Frame {i + 1}" onclick={() => frameTo(i)}>{i + 1}</Button>
    {/each}
    <Button disabled={frames.length >= 16} onclick={addFrame}>+ frame</Button>
    <Button disabled={frames.length <= 1} onclick={removeFrame}>Remove frame</Button>
    <Button class="strong" style="margin-left: auto" onclick={keep}>Keep it in the patch</Button>
  </div>
</Modal>

<style>
  .builder {
    display: grid;
    grid-template-columns: minmax(0, 1fr) max-content;
    gap: 14px;
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
    overflow: hidden auto;
    scrollbar-gutter: stable;
    scrollbar-width: thin;
  }
  td {
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
</style>
