<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import { fixed, hertz, shown } from '../common/format';
  import Plot from '../common/Plot.svelte';
  import { inkOf, inks, SMALL_FONT, type Surface } from '../draw/draw';
  import { messages } from '../state/messages.svelte';
  import type { FoundMap } from './range';
  import { ranging } from './ranging-now';

  /** A map of two controls: how bright, how loud or how unlike the present sound it is; a click goes there. */
  let { map }: { map: FoundMap } = $props();

  const FIGURES = {
    centroid_hz: ['brightness', (value: number) => hertz(value, 3)],
    loudness_lufs: ['loudness', (value: number) => `${fixed(value, 1)} LUFS`],
    change_db: ['change from now', (value: number) => `${fixed(value, 1)} dB`]
  } as const;
  type Figure = keyof typeof FIGURES;
  let figure: Figure = $state('centroid_hz');
  let at: [number, number] = $state([0, 0]);
  let pointed = $state(false);
  const FOOT = 20;
  const SIDE = 74;
  const QUIETEST = -60;

  const across = $derived(map.across.values.length);
  const upward = $derived(map.up.values.length);
  const value = $derived(map[figure][at[1]]?.[at[0]] ?? 0);
  const inUnit = (side: FoundMap['up'], i: number): string =>
    shown(Number((side.values[i] ?? 0).toPrecision(3)), side.unit);
  const said = $derived(
    `${map.across.title} ${inUnit(map.across, at[0])}, ${map.up.title.toLowerCase()} ${inUnit(map.up, at[1])}: ${FIGURES[figure][1](value)}`
  );

  /** As it is drawn: frequencies by octaves, silence no deeper than can be told. */
  const drawn = (one: number): number =>
    figure === 'centroid_hz'
      ? Math.log2(Math.max(one, 20))
      : figure === 'loudness_lufs'
        ? Math.max(one, QUIETEST)
        : one;

  function draw(on: Surface): void {
    const { context, width, height } = on;
    const ink = inks();
    const all = map[figure].flat().map(drawn);
    const [least, greatest] = [Math.min(...all), Math.max(...all)];
    const [w, h] = [(width - SIDE) / across, (height - FOOT) / upward];
    context.font = SMALL_FONT;
    context.textBaseline = 'middle';
    for (let row = 0; row < upward; row++) {
      for (let column = 0; column < across; column++) {
        const share = (drawn(map[figure][row]![column]!) - least) / (greatest - least || 1);
        context.fillStyle = inkOf('walnut');
        context.globalAlpha = 0.05 + 0.75 * share;
        context.fillRect(SIDE + column * w, height - FOOT - (row + 1) * h, w - 1, h - 1);
      }
    }
    context.globalAlpha = 1;
    context.fillStyle = ink.faint;
    context.textAlign = 'right';
    for (let row = 0; row < upward; row += 3)
      context.fillText(inUnit(map.up, row), SIDE - 6, height - FOOT - (row + 0.5) * h);
    context.textAlign = 'center';
    for (let column = 0; column < across; column += 2)
      context.fillText(inUnit(map.across, column), SIDE + (column + 0.5) * w, height - 8);
    if (pointed) {
      context.strokeStyle = inkOf('madder');
      context.lineWidth = 2;
      context.strokeRect(SIDE + at[0] * w, height - FOOT - (at[1] + 1) * h, w - 1, h - 1);
    }
  }

  function point(event: PointerEvent & { currentTarget: HTMLElement }): void {
    const box = event.currentTarget.getBoundingClientRect();
    const column = Math.floor(((event.clientX - box.left - SIDE) / (box.width - SIDE)) * across);
    const row = Math.floor((1 - (event.clientY - box.top) / (box.height - FOOT)) * upward);
    at = [Math.max(0, Math.min(across - 1, column)), Math.max(0, Math.min(upward - 1, row))];
    pointed = true;
  }
  const go = (): void => void messages.attempt(() => ranging.goTo(map.across.values[at[0]]!, map.up.values[at[1]]!));
  function onkeydown(event: KeyboardEvent): void {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (!by && event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation();
    pointed = true;
    if (event.key === 'Enter') go();
    else at = [Math.max(0, Math.min(across - 1, at[0] + by![0]!)), Math.max(0, Math.min(upward - 1, at[1] + by![1]!))];
  }
</script>

<div class="head">
  <Choice
    look="quiet"
    label="Figure of the map"
    value={figure}
    options={Object.entries(FIGURES).map(([key, [title]]) => [key, title] as const)}
    onchoose={(key) => (figure = key as Figure)}
  />
  <span>{map.up.title.toLowerCase()} upward, {map.across.title.toLowerCase()} across; darker is more.</span>
  <output>{pointed ? said : 'A click goes there.'}</output>
</div>
<div
  class="map"
  role="slider"
  tabindex="0"
  aria-label="Map of {map.across.title.toLowerCase()} and {map.up.title.toLowerCase()}"
  aria-valuenow={at[0] + across * at[1]}
  aria-valuetext={said}
  onpointermove={point}
  onclick={go}
  {onkeydown}
>
  <Plot {draw} />
</div>

<style>
  .head {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 4px 14px;
    font-size: 13px;
    color: var(--faint);
  }
  output {
    margin-left: auto;
    color: var(--ink);
  }
  .map {
    position: absolute;
    inset: 34px 14px 4px;
    cursor: crosshair;
  }
</style>
