<script lang="ts">
  import { FULL_RATE } from '../api/facts.gen';
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import Slider from '../common/Slider.svelte';
  import Tick from '../common/Tick.svelte';
  import { asBody } from '../api/api';
  import { figure, seconds } from '../common/format';
  import { barBeats, beatS, EMPTY, laneTitle } from '../phrase/phrase';
  import { shownName } from '../state/document';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { Controller } from './controller.svelte';
  import type { Write } from './live.svelte';
  import DirectionsPage from './DirectionsPage.svelte';
  import Pad from './Pad.svelte';
  import { controller, directions, live, taking } from './playing-live';

  /** What the hands have beside the keys: pad, wheel, bend, pedal, each macro; what is played over, and what is kept. */
  let giving = $state(false);
  const macros = $derived(Object.keys(live.lanes).filter((name) => name.includes(':')));
  /** The name that the player sees, or the id of the macro where none was given. */
  function macroTitle(name: string): string {
    const played = workbench.playedModules.find(([lane]) => lane === name);
    return played ? shownName(played[1]) : laneTitle(name);
  }
  const phrase = $derived(workbench.phrasing.phrase);

  const rangeOf = (name: string): readonly [number, number] => workbench.laneRange(name);
  const shareOf = (name: string): number => {
    const [low, high] = rangeOf(name);
    return ((live.lanes[name] ?? low) - low) / (high - low);
  };
  function turn(name: string, share: number): void {
    const [low, high] = rangeOf(name);
    live.turn(name, low + share * (high - low));
  }
  const MIDDLE = 0.5;
  /** A bend springs back to the middle. */
  function spring(): void {
    directions.move('bend', MIDDLE);
    directions.letGo('bend');
  }

  function over(): void {
    const of = phrase ?? EMPTY;
    const turnS = (of.bars ?? 2) * barBeats(of) * beatS(of);
    const rate = live.session?.rate ?? FULL_RATE;
    live.writes(taking.write);
    if (live.over) live.beat({ phrase: null, plays: false }, workbench.tempo, workbench.beatsPerBar, 0);
    else
      live.beat(
        { phrase: asBody(of), plays: taking.plays, clicks: taking.clicks },
        60 / beatS(of),
        barBeats(of),
        Math.round(turnS * rate)
      );
  }

  /** Where a recording is: bars that are counted in, then pass and bar. */
  const place = $derived.by(() => {
    const { session } = live;
    if (!taking.recording || !session) return '';
    const bar = (60 / session.tempo_bpm) * session.rate * session.beats_per_bar;
    const at = live.now - session.bars_from;
    if (at < 0) return `in ${Math.ceil(-at / (bar / session.beats_per_bar))}`;
    const pass = session.turn > 0 ? Math.floor(at / session.turn) : 0;
    return `${session.turn > 0 ? `pass ${pass + 1}, ` : ''}bar ${Math.floor((at - pass * session.turn) / bar) + 1}`;
  });
  async function keep(): Promise<void> {
    await taking.keep();
    workbench.chosen = { what: 'phrase', id: '' };
  }
  const learns = $derived(controller.names.length > 0);
  const WRITES = (['touch', 'latch', 'trim'] as const).map((name) => [name, name] as const);
  const COUNTS = [0, 1, 2].map(
    (bars) => [String(bars), bars === 0 ? 'no count' : `${bars} ${bars === 1 ? 'bar' : 'bars'} in`] as const
  );
</script>

{#snippet lane(name: string, label: string, value: number, onturn: (share: number) => void, onrest: () => void)}
  <div class="lane">
    <span>
      {label}
      {#if learns}
        <Button
          look="bare"
          aria-pressed={controller.learning === name}
          aria-label="Learn {label}"
          data-hint="Then move the knob that shall play it"
          onclick={() => controller.learn(name)}>{controller.learning === name ? 'move it…' : 'learn'}</Button
        >
      {/if}
    </span>
    <Slider {value} label="Play {label}" step={0.005} {onturn} {onrest} />
  </div>
{/snippet}

<div class="hands" role="group" aria-label="Hands">
  <Pad />
  <div class="lanes">
    {@render lane(
      'pitch_bend',
      'bend',
      directions.at.bend ?? MIDDLE,
      (share) => directions.move('bend', share),
      spring
    )}
    {@render lane(
      'mod_wheel',
      'wheel',
      directions.at.wheel ?? 0,
      (share) => directions.move('wheel', share),
      () => directions.letGo('wheel')
    )}
    {#each macros as name (name)}
      {@render lane(
        name,
        macroTitle(name),
        shareOf(name),
        (share) => turn(name, share),
        () => live.letGo(name)
      )}
    {/each}
  </div>
  <div class="acts">
    <Button
      aria-pressed={(directions.at.pedal ?? 0) >= 0.5}
      data-hint="Down until it is pressed again"
      onclick={() => directions.move('pedal', (directions.at.pedal ?? 0) >= 0.5 ? 0 : 1)}>Pedal</Button
    >
    <Button data-hint="What pad, wheel, bend, pedal and pressure move" onclick={() => (giving = true)}
      >Directions…</Button
    >
    {#if learns}
      <span class="faint">{controller.names.join(', ')}</span>
    {:else if Controller.isOffered}
      <Button
        data-hint="Keys, wheel, bend, pressure and knobs of what is connected"
        onclick={() => void messages.attempt(() => controller.begin())}>Controller…</Button
      >
    {/if}
    <Button data-hint="Let every key go, and be silent" onclick={() => live.panic()}>Panic</Button>
  </div>
  <div class="acts">
    {#if phrase}
      <Button
        aria-pressed={live.over}
        disabled={taking.recording}
        data-hint="The phrase in a loop, to be played over"
        onclick={over}>Beat</Button
      >
      <Tick checked={taking.plays} onset={(is) => (taking.plays = is)}>its notes too</Tick>
      <Choice
        look="quiet"
        label="How the hand writes over the phrase's lanes"
        value={taking.write}
        options={WRITES}
        hint="touch: while it holds; latch: from then on; trim: as much higher or lower"
        onchoose={(how) => live.writes((taking.write = how as Write))}
      />
    {/if}
    <Choice
      look="quiet"
      label="Bars counted in"
      value={String(taking.countIn)}
      options={COUNTS}
      onchoose={(bars) => (taking.countIn = Number(bars))}
    />
    <Tick checked={taking.clicks} onset={(is) => (taking.clicks = is)}>clicks</Tick>
  </div>
  <div class="acts">
    {#if taking.recording}
      <Button aria-pressed={true} onclick={() => taking.stop()}>Stop</Button>
      <output>{place}</output>
    {:else}
      <Button
        data-hint={phrase
          ? 'Begins anew; each turn of the phrase is a take'
          : 'Begins anew; one take until it is stopped'}
        onclick={() => void messages.attempt(() => taking.record())}>Record</Button
      >
    {/if}
    <Button
      data-hint="What was recorded and kept with this patch"
      onclick={() => (workbench.chosen = { what: 'takes', id: '' })}
      >Takes{taking.heads.length > 0 ? ` (${taking.heads.length})` : ''}</Button
    >
    <Button data-hint="The last two minutes, as a take" onclick={() => void messages.attempt(keep)}>Keep it</Button>
    {#if live.gaps > 0}<span class="faint"
        >{live.gaps} {live.gaps === 1 ? 'gap' : 'gaps'}, {seconds(live.missingS)}</span
      >{/if}
    {#if live.limitedDb > 0.05}<span class="faint">limiter −{figure(live.limitedDb, 2)} dB</span>{/if}
  </div>
</div>
<DirectionsPage bind:open={giving} />

<style>
  .hands {
    display: flex;
    align-items: stretch;
    gap: 14px;
    padding-top: 6px;
    overflow-x: auto;
    scrollbar-width: thin;
  }
  .lanes {
    flex: 1;
    display: grid;
    grid-template-rows: repeat(2, auto);
    grid-auto-flow: column;
    grid-auto-columns: minmax(5rem, 11rem);
    gap: 2px 12px;
    align-content: center;
    min-width: 5rem;
  }
  .lane {
    font-size: 12px;
    color: var(--faint);
  }
  .lane span {
    display: block;
    white-space: nowrap;
  }
  .acts {
    display: flex;
    flex-direction: column;
    flex-wrap: wrap;
    align-content: flex-start;
    justify-content: center;
    height: 72px;
    gap: 4px 8px;
    font-size: 12px;
  }
  .faint,
  output {
    font-size: 12px;
    color: var(--faint);
    white-space: nowrap;
  }
</style>
