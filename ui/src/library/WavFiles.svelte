<script lang="ts">
  import Button from '../common/Button.svelte';
  import { Modal } from 'flowbite-svelte';
  import { titleOf } from '../state/wording';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { modules } from '../state/document';
  import { asBody, type Job } from '../api/api';
  import { saveResult } from '../state/files';
  import Choice from '../common/Choice.svelte';
  import Labelled from '../common/Labelled.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** Sound as WAV, or any signal or lane as control voltage, with the caution that DC needs. */
  let { open = $bindable() }: { open: boolean } = $props();

  let what = $state('sound');
  let depth = $state('24');
  let rate = $state('48000');
  let mono = $state('stereo');
  let volts = $state(5);
  let said = $state('');
  const voltage = $derived(what !== 'sound');
  const options = $derived([
    ['sound', 'the sound'] as const,
    ...(workbench.patch ? modules(workbench.patch) : []).map((m) => [`signal.${m.id}`, `${m.id}, as voltage`] as const),
    ...Object.keys(workbench.sheet?.lanes ?? {})
      .filter((name) => name in (workbench.judging.judgement?.measures.lanes ?? {}))
      .map((name) => [`lane.${name}`, `${titleOf(name)}, as voltage`] as const)
  ]);
  const DEPTHS = [
    ['16', '16 bit'],
    ['24', '24 bit'],
    ['32f', '32 bit float']
  ] as const;
  const RATES = ['44100', '48000', '88200', '96000'].map((r) => [r, `${Number(r) / 1000} kHz`] as const);

  async function make(): Promise<void> {
    await workbench.settled();
    if (!workbench.patch) return;
    const how = { document: asBody(workbench.patch), ...workbench.performed, depth: depth as '24', rate: Number(rate) };
    said = 'It is being made; this page may be closed.';
    await workbench.jobs.ask(
      voltage
        ? { kind: 'voltage', ...how, name: what, volts }
        : { kind: 'sound', ...how, mono: mono === 'mono', with_hits: true },
      ended
    );
  }

  function ended(job: Job): void {
    if (job.state === 'done') saveResult(job);
    said = sentence(job);
    if (!open) messages.say(said, job.state === 'failed');
  }

  function sentence({ state, title, said, facts, file_name: file }: Job): string {
    if (state === 'failed') return `${title}: ${said}`;
    if (state === 'cancelled') return `${title} was cancelled.`;
    if ('least_v' in facts)
      return `${title}: from ${facts['least_v']} V to ${facts['greatest_v']} V; full scale is 10 V.`;
    return `${file}: ${facts['loudness_lufs']} LUFS; the limiter took ${facts['limited_db']} dB.`;
  }
</script>

<Modal bind:open title="Sound or voltage as WAV" size="sm" outsideclose>
  <Labelled name="what"><Choice label="What is written" value={what} {options} onchoose={(v) => (what = v)} /></Labelled
  >
  <Labelled name="depth"
    ><Choice label="Depth of the file" value={depth} options={DEPTHS} onchoose={(v) => (depth = v)} /></Labelled
  >
  <Labelled name="rate"
    ><Choice label="Rate of the file" value={rate} options={RATES} onchoose={(v) => (rate = v)} /></Labelled
  >
  {#if voltage}
    <Labelled name="1.0 is" under="pitches and frequencies stand at 1 V an octave">
      <ValueField
        value={volts * 1000}
        unit="count"
        label="Millivolts of a signal of 1"
        low={100}
        high={10000}
        width="100%"
        oncommit={(v) => (volts = Number(v) / 1000)}
      />
    </Labelled>
    <p class="caution" role="note">
      <b>DC.</b> Control voltage holds DC: never play this file through loudspeakers or headphones, and keep to the input
      range in the maker's manual. The file says so too.
    </p>
  {:else}
    <Labelled name="channels"
      ><Choice
        label="Channels of the file"
        value={mono}
        options={[
          ['stereo', 'stereo'],
          ['mono', 'mono']
        ]}
        onchoose={(v) => (mono = v)}
      /></Labelled
    >
  {/if}
  <div class="acts">
    <Button onclick={() => void messages.attempt(make)}>Write the file</Button>
    <span role="status">{said}</span>
  </div>
</Modal>

<style>
  .caution {
    border-left: 4px solid var(--madder);
    padding-left: 10px;
    font-size: 13px;
    margin: 4px 0;
  }
  .acts {
    display: flex;
    gap: 10px;
    align-items: center;
    font-size: 13px;
  }
</style>
