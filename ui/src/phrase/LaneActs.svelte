<script lang="ts">
  import { api, asBody, unwrap, type Phrase } from '../api/api';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import Labelled from '../common/Labelled.svelte';
  import ValueField from '../common/ValueField.svelte';
  import Slider from '../common/Slider.svelte';
  import { figure, shown } from '../common/format';
  import { modules } from '../state/document';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import type { components } from '../api/schema.gen';
  import { barAndBeat, laneTitle, withLane, withPoint, type LanePoint } from './phrase';

  /** A played lane against the beat: where it turns, how few of its points would do, and what can be done about it. */
  let { phrase, name, points }: { phrase: Phrase; name: string; points: LanePoint[] } = $props();
  const { phrasing } = workbench;
  type LaneRead = components['schemas']['LaneRead'];

  const GRIDS = ['1/4', '1/8', '1/8t', '1/16'].map((value) => [value, value] as const);
  /** The slider for the tolerance ends there; its first half is for a quarter of that. */
  const MOST_WITHIN = 0.4;
  const MILLISECOND = 0.001;
  /** The finest that a sequencer counts: 960 to a quarter note. */
  const TICK = 1 / 960;

  let grid = $state('1/8');
  let within = $state(0.02);
  let share = $state(1);
  /** Which turn is nudged. */
  let chosen = $state(0);
  let read = $state.raw<LaneRead | null>(null);
  let smooth = $state(0.25);
  let scale = $state(1);
  let shift = $state(0);
  const title = $derived(laneTitle(name));
  const curves = $derived(
    (workbench.patch ? modules(workbench.patch) : [])
      .filter((module) => workbench.isDrawnInTime(module))
      .map((module) => [module.id, module.id] as const)
  );
  const record = $derived(phrase.simplified?.[name]);
  const errorShown = (error = 0): string => shown(Number(error.toPrecision(3)), 'ratio');
  const range = $derived(workbench.laneRange(name));
  const turn = $derived(read?.turns[Math.min(chosen, read.turns.length - 1)]);

  const ask = (how: Record<string, unknown>, signal?: AbortSignal): Promise<LaneRead> =>
    unwrap(api.POST('/api/phrase/lane', { body: { phrase: asBody(phrase), lane: name, grid, ...how }, signal }));

  $effect(() => {
    const mine = new AbortController();
    // What is told is of the lane as it is, with how few of its points would do.
    void Promise.all([ask({}, mine.signal), ask({ within }, mine.signal)]).then(
      ([now, thin]) => {
        read = { ...thin, turns: now.turns };
        const lane = (thin.phrase as unknown as Phrase).controls?.[name] as LanePoint[] | undefined;
        phrasing.proposed = lane && lane.length < points.length ? { name, points: lane } : null;
      },
      () => {}
    );
    return () => {
      mine.abort();
      phrasing.proposed = null;
    };
  });

  /** Acts on the lane with what the fields say, once what was typed there has been understood. */
  const work = (label: string, how: () => Record<string, unknown>): void =>
    void messages.attempt(async () => {
      await workbench.settled();
      await workbench.settling(phrasing.work(label, () => ask(how())));
    });

  /** The lane as a drawn curve of the patch, ready to be routed. */
  const toCurve = (): Promise<void> =>
    workbench.work(`${title} as a curve`, (patch) =>
      unwrap(
        api.POST('/api/phrase/to-curve', { body: { phrase: asBody(phrase), lane: name, document: asBody(patch) } })
      )
    );
  const fromCurve = (curve: string): Promise<void> =>
    workbench.settling(
      phrasing.work(`${title} as ${curve} goes`, () =>
        unwrap(
          api.POST('/api/phrase/from-curve', {
            body: { phrase: asBody(phrase), lane: name, document: asBody(workbench.patch!), curve }
          })
        )
      )
    );

  function nudge(number: number, beats: number, what: string): void {
    const [at, value] = points[number]!;
    const moved = withPoint(phrase, name, number, [at + beats, value], range);
    phrasing.edit(`${title} ${what}`, moved, `nudge ${name} ${number}`);
  }
</script>

<div class="head">
  <b>{title}</b><span>{points.length} {points.length === 1 ? 'point' : 'points'}</span>
  <Button
    look="bare"
    aria-label="Remove the lane {title}"
    onclick={() => phrasing.edit(`no ${title}`, withLane(phrase, name, [], range))}>✕</Button
  >
</div>
<Labelled name="grid">
  <Choice label="Grid of {title}" value={grid} options={GRIDS} onchoose={(value) => (grid = value)} />
</Labelled>
{#if read && read.turns.length > 0}
  <table class="figures" aria-label="Turning points of {title}">
    <thead><tr><th>turns at</th><th>to</th><th>off the beat</th></tr></thead>
    <tbody>
      {#each read.turns as turn, i (turn.number)}
        <tr>
          <td>
            <Button look="bare" aria-pressed={i === chosen} onclick={() => (chosen = i)}
              >{barAndBeat(phrase, turn.at)}</Button
            >
          </td>
          <td>{shown(turn.value, 'ratio')}</td>
          <td>{turn.off > 0 ? '+' : ''}{figure(1000 * turn.off * phrasing.beatS, 3)} ms</td>
        </tr>
      {/each}
    </tbody>
  </table>
  {#if turn}
    <div class="acts" role="group" aria-label="Nudge the turn at {barAndBeat(phrase, turn.at)}">
      {#each [['−1 ms', -MILLISECOND / phrasing.beatS], ['+1 ms', MILLISECOND / phrasing.beatS], ['−tick', -TICK], ['+tick', TICK], ['to the beat', turn.beat - turn.at]] as const as [what, beats] (what)}
        <Button look="bare" onclick={() => nudge(turn.number, beats, what)}>{what}</Button>
      {/each}
    </div>
  {/if}
  <div class="do" data-hint="Every turning point goes so much nearer to the grid, all between with them.">
    <Button aria-label="Pull {title}" onclick={() => work(`pull ${title}`, () => ({ pull: share }))}>Pull</Button>
    <span>all by</span>
    <ValueField
      value={share}
      unit="ratio"
      label="Pull {title} by"
      low={0}
      high={1}
      width="4.4rem"
      oncommit={(v) => (share = Number(v))}
    />
  </div>
{:else}
  <p class="help">It turns nowhere.</p>
{/if}
<div class="do" data-hint="Each moment becomes the mean of so many beats around it.">
  <Button aria-label="Smooth {title}" onclick={() => work(`smooth ${title}`, () => ({ smooth }))}>Smooth</Button>
  <span>over</span>
  <ValueField
    value={smooth}
    unit="beats"
    label="Smooth {title} over"
    low={0}
    high={64}
    width="6rem"
    oncommit={(v) => (smooth = Number(v))}
  />
</div>
<div class="do" data-hint="Every value is multiplied, then shifted, and kept in its range.">
  <Button aria-label="Scale {title}" onclick={() => work(`scale ${title}`, () => ({ scale, shift }))}>Scale</Button>
  <span>×</span>
  <ValueField
    value={scale}
    unit="count"
    label="Scale {title} by"
    low={-64}
    high={64}
    width="3.2rem"
    oncommit={(v) => (scale = Number(v))}
  />
  <span>+</span>
  <ValueField
    value={shift}
    unit="ratio"
    label="Shift {title} by"
    low={-2}
    high={2}
    width="4rem"
    oncommit={(v) => (shift = Number(v))}
  />
</div>
<div
  class="do"
  data-hint="Keeps the fewest points whose lines stay this near to all of them. Turning points keep their time."
>
  <Button
    aria-label="Thin {title}"
    disabled={read?.points_after === points.length}
    onclick={() => work(`thin ${title}`, () => ({ within }))}>Thin</Button
  >
  <span>within</span>
  <ValueField
    value={within}
    unit="ratio"
    label="Thin {title} within"
    low={0}
    high={1}
    width="4rem"
    oncommit={(v) => (within = Number(v))}
  />
  <div class="slide">
    <Slider
      value={Math.sqrt(within / MOST_WITHIN)}
      label="How far {title} may be off"
      onturn={(share) => (within = Number((MOST_WITHIN * share * share).toPrecision(3)))}
    />
  </div>
</div>
{#if read && read.points_after < points.length}
  <p class="help">
    {read.points_after} of {read.points_before} points, {errorShown(read.greatest_error)} off at most, at {barAndBeat(
      phrase,
      read.error_at
    )}
  </p>
{/if}
{#if record}
  <p class="help">
    Simplified from {record.points_before} to {record.points_after} points, at most {errorShown(record.greatest_error)} off
    what was recorded
  </p>
{/if}
<div class="do">
  <Button
    look="bare"
    data-hint="A source of the patch that goes as this lane does"
    onclick={() => void messages.attempt(toCurve)}>as a drawn curve</Button
  >
  {#if curves.length > 0}
    <Choice
      look="link"
      label="Play {title} as a curve goes"
      prompt="as a curve goes…"
      options={curves}
      onchoose={(curve) => void messages.attempt(() => fromCurve(curve))}
    />
  {/if}
</div>

<style>
  .head {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-bottom: 4px;
    font-size: 13px;
  }
  .head b {
    min-width: 3rem;
    font-weight: 500;
  }
  table {
    width: 100%;
    margin-bottom: 6px;
  }
  .do {
    display: flex;
    align-items: center;
    gap: 7px;
    margin-bottom: 5px;
    font-size: 13px;
    color: var(--faint);
  }
  .slide {
    flex: 1;
    min-width: 0;
  }
  .acts {
    gap: 10px;
    font-size: 13px;
  }
</style>
