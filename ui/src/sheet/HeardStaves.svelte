<script lang="ts">
  import { api, asBody, unwrap } from '../api/api';
  import { placeOf } from '../api/sheet';
  import Button from '../common/Button.svelte';
  import { shown } from '../common/format';
  import Plot from '../common/Plot.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { brokenLine, ground, inks, type Surface } from '../draw/draw';
  import { matching } from '../match/matching-now';
  import { workFor } from '../session/window';
  import { lateness } from '../state/late.svelte';
  import { workbench, type Present } from '../state/workbench.svelte';
  import { heardExtent, heardText, type HeardLanes, type HeardName } from './heard';

  /** Level, brightness and pitch of the rendered sound as staves, so that what was asked and what is heard compare. */
  let { names }: { names: readonly HeardName[] } = $props();

  const SOON_MS = 250;
  let lanes: HeardLanes | null = $state.raw(null);
  let of: Present | null = $state.raw(null);
  const old = $derived(workbench.isOld(of));
  const late = lateness(() => old);
  let trouble = $state('');
  let threshold = $state(-60);

  $effect(() => {
    const { patch, performed, performance } = workbench;
    const body = { document: asBody(patch!), ...performed, threshold_db: threshold };
    void performance;
    const abort = new AbortController();
    const soon = setTimeout(() => void ask(body, { patch, performed }, abort.signal), SOON_MS);
    return () => {
      clearTimeout(soon);
      abort.abort();
    };
  });

  async function ask(
    body: { document: Record<string, unknown>; threshold_db: number },
    asked: Present,
    signal: AbortSignal
  ): Promise<void> {
    try {
      lanes = await unwrap(api.POST('/api/heard', { body, signal, headers: workFor('heard') }));
      of = asked;
      trouble = '';
    } catch (error) {
      if (!signal.aborted) trouble = error instanceof Error ? error.message : String(error);
    }
  }

  /** The recording that the patch is matched with, on the same scales: what is aimed at. */
  const target = $derived.by(() => {
    const { found } = matching;
    if (!found || !lanes) return null;
    const { lanes: of, pitch_hz: hz, note_on_s: on } = found;
    const off = hz ? 12 * Math.log2(hz / 440) + 69 - lanes.key : 0;
    const pitch = of.pitch_cents.map((cents) => (cents === null || !hz ? null : cents / 100 + off));
    return { on, level: of.level_db, brightness: of.brightness_hz, pitch };
  });

  function reads(name: HeardName): string {
    const { cursor } = workbench;
    if (!lanes) return trouble || 'listening…';
    if (cursor === null) return '';
    const value = lanes[name][Math.round(cursor / lanes.hop_s)];
    return value == null ? '–' : heardText(name, value);
  }

  function draw(on: Surface, name: HeardName): void {
    const { sheet } = workbench;
    if (!sheet || !lanes) return;
    const { context, width, height } = on;
    const ink = inks();
    ground(on, sheet, ink);
    const log = name === 'brightness';
    const scaled = (value: number): number => (log ? Math.log2(Math.max(value, 1)) : value);
    const [least, greatest] = heardExtent(name, [...lanes[name], ...(target?.[name] ?? [])]);
    const [low, high] = [scaled(least), scaled(greatest)];
    const y = (value: number): number => height - 4 - ((scaled(value) - low) / (high - low || 1)) * (height - 8);
    const place =
      (from: number) =>
      (value: number, i: number): readonly [number, number] | null => {
        const x = placeOf(sheet, from + i * lanes!.hop_s) * width;
        return value < least || value > greatest || x < 0 || x > width ? null : [x, y(value)];
      };
    if (target) brokenLine(on, target[name], place(lanes.on_s - target.on), ink.faint, 1.6, [6, 4]);
    brokenLine(on, lanes[name], place(0), ink.ink, 1.6);
    context.fillStyle = ink.faint;
    context.textAlign = 'right';
    context.textBaseline = 'middle';
    context.fillText(heardText(name, greatest), width - 5, 10);
    context.fillText(heardText(name, least), width - 5, height - 9);
  }
</script>

{#each names as name (name)}
  <section class="stave" aria-label="Heard {name}">
    <div class="left">
      <div class="title">
        <b>Heard {name}</b>{#if target}<small>dashed: the recording</small>{/if}
        <output class:is-old={old}>{reads(name)}</output>
        <Button look="bare" aria-label="Put away heard {name}" onclick={() => workbench.pin(`heard:${name}`)}>✕</Button>
      </div>
      <dl class:is-old={old} aria-busy={late.isLate}>
        {#each (lanes?.figures ?? []).filter((figure) => figure.of === name) as figure, i (i)}
          <dt>{figure.name}</dt>
          <dd>{figure.value === null ? '–' : shown(Number(figure.value!.toPrecision(3)), figure.unit)}</dd>
        {/each}
        {#if name === 'level'}
          <dt>under</dt>
          <dd>
            <ValueField
              value={threshold}
              unit="dB"
              label="Under what the tail is inaudible"
              low={-100}
              high={-6}
              width="4.6rem"
              oncommit={(value) => (threshold = Number(value))}
            />
          </dd>
        {/if}
      </dl>
    </div>
    <div class="right" role="img" aria-label="Heard {name} over time"><Plot draw={(on) => draw(on, name)} /></div>
  </section>
{/each}

<style>
  .stave {
    display: grid;
    grid-template-columns: var(--left) 1fr;
    flex: 1 0 0;
    min-height: 84px;
    border-bottom: 1px solid var(--rule);
  }
  .left {
    padding: 4px 8px 2px 14px;
    overflow: hidden auto;
    scrollbar-width: thin;
  }
  .title {
    display: flex;
    gap: 8px;
    line-height: 19px;
  }
  .title b {
    font-size: 14.5px;
  }
  small {
    font-size: 12px;
    color: var(--faint);
  }
  output {
    margin-left: auto;
  }
  dl {
    display: grid;
    grid-template-columns: 1fr max-content;
    gap: 0 10px;
    margin: 2px 0 0;
    font-size: 13px;
    line-height: 18px;
    color: var(--faint);
  }
  dd {
    margin: 0;
    text-align: right;
    color: var(--ink);
  }
  .right {
    position: relative;
  }
</style>
