<script lang="ts">
  import { onDestroy } from 'svelte';
  import Button from '../common/Button.svelte';
  import { Live } from '../live/live.svelte';
  import { live } from '../live/playing-live';
  import { player } from '../state/playing';
  import type { Patch } from '../api/api';
  import { settings } from '../state/settings.svelte';
  import CurvePlot from './CurvePlot.svelte';
  import { playedCurve } from './curves';
  import { Pad } from './pad';
  import { practice } from './practice-now';

  /** A beat that counts, and a macro that rises while it is pressed: it is heard, and kept as a lane. */
  const COUNT_IN = 4;
  const MACRO = 'macro:swell';
  const task = $derived(practice.task);
  const beat = $derived(60 / (task?.tempo_bpm ?? 96));
  const ends = $derived(Math.max(...(task?.strokes ?? [1])) + beat);
  const right = $derived(practice.showing ? (practice.marked?.marked.lane ?? []) : []);
  let running = $state(false);
  let pad = new Pad();
  let pressed = $state(false);
  let value = $state(1);
  let now = $state(0);
  let frame = 0;
  let began = 0;
  let context: AudioContext | null = null;
  /** What all clicks of this turn go through: it closes softly where they are stopped. */
  let out: GainNode | null = null;
  /** The patch of the task, played live; the one on the bench is silent meanwhile. */
  const voice = new Live(player);
  const note = $derived((task?.patch as Patch | undefined)?.performance?.notes?.[0]);
  let struck = false;

  function start(): void {
    stop();
    live.end();
    struck = false;
    if (task?.patch) void voice.begin(task.patch as Patch);
    practice.lane = [];
    pad = new Pad();
    value = pad.value;
    context ??= new AudioContext();
    void context.resume();
    out = context.createGain();
    out.connect(context.destination);
    // The clicks are set on the clock of the sound, and the lane is read by the same clock.
    began = context.currentTime + 0.1 + COUNT_IN * beat;
    for (let count = 0; count < COUNT_IN; count++) click(began - (COUNT_IN - count) * beat, 660, 0.3);
    for (const stroke of task?.strokes ?? []) click(began + stroke, 990, 0.5);
    running = true;
    frame = requestAnimationFrame(step);
  }
  /** Sounds a click, no louder than what is played. */
  function click(at: number, hertz: number, share: number): void {
    if (!context || !out) return;
    const level = share * settings.now.level ** 2;
    const [tone, gain] = [context.createOscillator(), context.createGain()];
    tone.frequency.value = hertz;
    gain.gain.setValueAtTime(0, at);
    gain.gain.linearRampToValueAtTime(level, at + 0.003);
    gain.gain.exponentialRampToValueAtTime(Math.max(level / 1000, 1e-6), at + 0.06);
    gain.gain.linearRampToValueAtTime(0, at + 0.07);
    tone.connect(gain).connect(out);
    tone.start(at);
    tone.stop(at + 0.08);
  }
  /** Goes on to this moment, as the clock of the sound has it. */
  function advance(): void {
    if (!context) return;
    now = context.currentTime - began;
    pad.advance(now);
    value = pad.value;
    if (now < 0 || voice.state !== 'on' || !note) return;
    if (!struck) voice.strike(note.key ?? 60, note.velocity ?? 96);
    struck = true;
    if (voice.lanes[MACRO] !== value) voice.turn(MACRO, value);
  }
  function step(): void {
    advance();
    if (now > ends) finish();
    else frame = requestAnimationFrame(step);
  }
  function finish(): void {
    stop();
    practice.lane = pad.points.slice(0, 8000);
  }
  function stop(): void {
    cancelAnimationFrame(frame);
    running = pressed = false;
    voice.end();
    if (context) out?.gain.setTargetAtTime(0, context.currentTime, 0.01);
    out = null;
  }
  function press(on: boolean): void {
    if (!running || pressed === on || !context) return;
    pad.press(on, context.currentTime - began);
    pressed = on;
  }
  onDestroy(() => {
    stop();
    // After the clicks have died away.
    const ended = context;
    setTimeout(() => void ended?.close(), 100);
  });
</script>

<CurvePlot
  curve={playedCurve(practice.lane, ends)}
  behind={right.length ? playedCurve(right, ends) : undefined}
  marks={task?.strokes ?? []}
  pointed={running && now >= 0 ? now : (practice.pointed?.at ?? null)}
/>
{#if !practice.marked}
  <div class="pad">
    <Button onclick={() => (running ? finish() : start())}
      >{running ? 'Stop' : practice.lane.length ? 'Play it again' : 'Count in'}</Button
    >
    <Button
      class={pressed ? 'press on' : 'press'}
      aria-label="Press and it rises, let go and it falls"
      disabled={!running}
      onpointerdown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        press(true);
      }}
      onpointerup={() => press(false)}
      onkeydown={(event) => {
        if (event.key !== ' ' || event.repeat) return;
        event.preventDefault();
        event.stopPropagation();
        press(true);
      }}
      onkeyup={(event) => event.key === ' ' && press(false)}
    >
      <span class="level" style:height="{100 * value}%"></span>
      <span class="says"
        >{running ? (now < 0 ? `in ${Math.ceil(-now / beat)}` : `${now.toFixed(1)} s`) : 'press here, or Space'}</span
      >
    </Button>
    <span class="says">{practice.lane.length ? 'Played: hand it in, or play it again.' : ''}</span>
  </div>
{/if}

<style>
  .pad {
    display: flex;
    align-items: center;
    gap: 12px;
    margin: 8px 0;
  }
  .pad :global(.press) {
    position: relative;
    width: 180px;
    height: 90px;
    border: 1px solid var(--edge);
    border-radius: 6px;
    background: var(--paper);
    overflow: hidden;
    touch-action: none;
  }
  .pad :global(.press.on) {
    border-color: var(--ink);
  }
  .level {
    position: absolute;
    inset: auto 0 0;
    background: var(--weld);
    opacity: 0.5;
  }
  .says {
    position: relative;
    color: var(--faint);
    font-size: 13px;
  }
</style>
