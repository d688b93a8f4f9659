<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import FileButton from '../common/FileButton.svelte';
  import { fixed, hertz, shown } from '../common/format';
  import Swatch from '../common/Swatch.svelte';
  import JobProgress from '../common/JobProgress.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import TextField from '../common/TextField.svelte';
  import { HEARD } from '../sheet/heard';
  import MatchLane from './MatchLane.svelte';
  import { matching } from './matching-now';

  /** A recorded note as a target: what is found in it, and a patch brought near to it, heard beside each other. */
  let over = $state(false);
  const { found, match, running } = $derived({
    found: matching.found,
    match: matching.match,
    running: matching.running
  });

  $effect(() => {
    void [workbench.id, workbench.jobs.all.length];
    void messages.attempt(() => matching.show());
  });

  $effect(() => void messages.attempt(() => matching.refresh()));

  const kept = $derived(matching.heads.find((head) => head.id === matching.recording));
  /** Shows what is heard of the patch beside the recording, on the note's own time. */
  function onStaves(): void {
    for (const name of HEARD) if (!workbench.pinned.includes(`heard:${name}`)) workbench.pin(`heard:${name}`);
    workbench.view = 'note';
  }
  function take(file: File | undefined): void {
    if (file) void messages.attempt(() => matching.read(file));
  }
  function drop(event: DragEvent): void {
    event.preventDefault();
    over = false;
    take(event.dataTransfer?.files[0]);
  }

  const known = (values: readonly (number | null)[]): number[] => values.filter((value) => value !== null) as number[];
  const levels = $derived(known(found?.lanes.level_db ?? []));
  const loudest = $derived(Math.max(-60, ...levels));
  const cents = $derived(known(found?.lanes.pitch_cents ?? []).toSorted((a, b) => a - b));
  const reach = $derived(
    Math.max(50, ...[0.02, 0.98].map((q) => Math.abs(cents[Math.floor(q * (cents.length - 1))] ?? 0)))
  );
  const bright = $derived(known(found?.lanes.brightness_hz ?? []));
  const ownCents = $derived(
    (match?.fit.lanes.pitch_hz ?? []).map((hz) =>
      hz === null || !found?.pitch_hz ? null : 1200 * Math.log2(hz / found.pitch_hz)
    )
  );
  const inCents = (value: number): string => `${value >= 0.5 ? '+' : ''}${fixed(value, 0)} cents`;
  const inDb = (value: number): string => `${fixed(value, 0)} dB`;
  const distances = $derived.by(() => {
    if (!match) return [];
    const { distance, before } = match.fit;
    const text = (value: number | null | undefined, unit: string, digits: number): string =>
      value == null ? '–' : `${fixed(value, digits)} ${unit}`;
    const worst = (at: number | null): string => (at === null ? '–' : shown(Number(at.toFixed(3)), 's'));
    return [
      ['level', text(distance.level_db, 'dB', 1), text(before?.level_db, 'dB', 1), worst(distance.level_worst_s)],
      [
        'pitch',
        text(distance.pitch_cents, 'cents', 1),
        text(before?.pitch_cents, 'cents', 1),
        worst(distance.pitch_worst_s)
      ],
      [
        'brightness',
        text(distance.brightness_oct, 'octaves', 2),
        text(before?.brightness_oct, 'octaves', 2),
        worst(distance.brightness_worst_s)
      ]
    ] as const;
  });
</script>

<div
  class="panel"
  class:over
  role="group"
  aria-label="Match with a recording"
  ondragover={(event) => {
    event.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={drop}
>
  <div class="bar">
    <span>Match</span>
    <Choice
      look="quiet"
      label="What is brought near"
      value={matching.anew ? 'new' : 'open'}
      options={[
        ['new', 'a new patch'],
        ['open', `this patch, ${workbench.patch?.name ?? 'Untitled'},`]
      ]}
      onchoose={(what) => (matching.anew = what === 'new')}
    />
    <span>with</span>
    <FileButton label="Choose a recorded note" accept=".wav,.flac,.ogg,audio/*" onfile={take}>a recording…</FileButton>
    {#if matching.heads.length > 0}
      <Choice
        look="quiet"
        label="Recordings that are kept"
        value={matching.recording}
        options={[['', 'a kept one…'], ...matching.heads.map((head) => [head.id, head.name] as const)]}
        onchoose={(id) => id && void messages.attempt(() => matching.choose(id))}
      />
    {/if}
    {#if found && matching.recording}
      <span>let go at</span>
      <ValueField
        value={matching.noteOff ?? found.note_off_s ?? found.seconds}
        unit="s"
        bare="s"
        label="When it is let go"
        low={0.1}
        high={30}
        width="5rem"
        oncommit={(value) => {
          matching.noteOff = Number(value);
          void messages.attempt(() => matching.again());
        }}
      />
    {/if}
    {#if running}
      <JobProgress job={running} says="The patch is brought near" oncancel={() => matching.cancel()} />
    {:else if matching.recording}
      <Button onclick={() => void messages.attempt(() => matching.again())}>Again</Button>
    {/if}
    {#if match}
      <span class="hear">
        <span><Swatch dye="ink" dash={[]} /> recorded</span>
        <span><Swatch dye="faint" dash={[6, 4]} /> the patch</span>
        {#if matching.blind && !matching.blind.told}
          <Button onclick={() => void messages.attempt(() => matching.playSide('A'))}>Play A</Button>
          <Button onclick={() => void messages.attempt(() => matching.playSide('B'))}>Play B</Button>
          <Button onclick={() => (matching.blind = { ...matching.blind!, told: true })}>Which was which?</Button>
        {:else}
          {#if matching.blind}<span>A was the {matching.blind.first}</span>{/if}
          <Button onclick={() => void messages.attempt(() => matching.play('recording'))}>Play recording</Button>
          <Button onclick={() => void messages.attempt(() => matching.play('patch'))}>Play patch</Button>
          <Button data-hint="Both at one loudness, without saying which is which" onclick={() => matching.hide()}
            >Blind</Button
          >
        {/if}
      </span>
    {/if}
  </div>
  {#if matching.trouble}<p class="trouble" role="alert">{matching.trouble}</p>{/if}
  {#if found}
    <div class="lanes">
      <MatchLane
        title="level"
        recorded={found.lanes.level_db}
        own={match?.fit.lanes.level_db ?? []}
        on={found.note_on_s}
        off={found.note_off_s}
        seconds={found.seconds}
        reads={inDb}
        least={loudest - 54}
        greatest={loudest + 2}
      />
      {#if found.pitch_hz}
        <MatchLane
          title="pitch, from {hertz(found.pitch_hz, 4)}"
          recorded={found.lanes.pitch_cents}
          own={ownCents}
          on={found.note_on_s}
          off={found.note_off_s}
          seconds={found.seconds}
          reads={inCents}
          least={-1.15 * reach}
          greatest={1.15 * reach}
        />
      {/if}
      <MatchLane
        title="brightness"
        recorded={found.lanes.brightness_hz}
        own={match?.fit.lanes.brightness_hz ?? []}
        on={found.note_on_s}
        off={found.note_off_s}
        seconds={found.seconds}
        at={(value) => Math.log2(Math.max(value, 20))}
        reads={(value) => hertz(value, 2)}
        least={Math.max(20, Math.min(...bright) / 1.5)}
        greatest={Math.max(...bright) * 1.5}
      />
    </div>
    <div class="lower">
      <div>
        {#if kept}
          <div class="acts kept">
            <TextField
              label="Name of the recording"
              value={kept.name}
              onset={(name) => void messages.attempt(() => matching.rename(name))}
            />
            <Button look="bare" onclick={() => void messages.attempt(() => matching.remove())}>delete it</Button>
          </div>
        {/if}
        <ul aria-label="What was found in the recording">
          {#each found.sentences as sentence, i (i)}<li>{sentence}</li>{/each}
        </ul>
      </div>
      <div class="fit">
        {#if match}
          <table class="figures">
            <caption>Left over the note</caption>
            <thead
              ><tr
                ><th></th><th>now</th>{#if match.fit.before}<th>before</th>{/if}<th>most at</th></tr
              ></thead
            >
            <tbody>
              {#each distances as [name, now, before, worst] (name)}
                <tr
                  ><td>{name}</td><td><b>{now}</b></td>{#if match.fit.before}<td>{before}</td>{/if}<td>{worst}</td></tr
                >
              {/each}
            </tbody>
          </table>
          <div class="acts">
            {#if !matching.isNew}<Button onclick={() => matching.accept()}>Take it</Button>{/if}
            <Button onclick={() => void messages.attempt(() => matching.keep())}>Keep as a new patch</Button>
            <Button onclick={() => matching.ghost()}>As ghost</Button>
            <Button
              data-hint="Level, brightness and pitch as they are heard, the recording's behind them"
              onclick={onStaves}>On the staves</Button
            >
          </div>
          <ul aria-label="What was changed">
            {#each match.fit.changes as change, i (i)}<li>{change}</li>{/each}
          </ul>
        {:else}
          <p class="help">The patch is being brought near…</p>
        {/if}
      </div>
    </div>
  {:else if running}
    <p class="none">The recording is being read…</p>
  {:else}
    <div class="none">
      <p>
        Drop the recording of one note here: WAV, FLAC or OGG, 30 s at most. Its level, pitch and brightness are read,
        with how sure each is, and a patch is brought near to it: its envelopes, its vibrato, its cutoff.
      </p>
      <FileButton label="Choose the recording of a note" accept=".wav,.flac,.ogg,audio/*" onfile={take}
        >Choose a recording…</FileButton
      >
    </div>
  {/if}
</div>

<style>
  .panel.over {
    outline: 2px dashed var(--woad);
    outline-offset: -6px;
  }
  .hear {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-left: auto;
  }
  .lanes {
    flex: 1 1 0;
    display: flex;
    flex-direction: column;
    min-height: 270px;
  }
  .lower {
    display: flex;
    height: 215px;
    border-top: 1px solid var(--edge);
  }
  .lower > * {
    flex: 1 1 0;
    min-width: 0;
    overflow: auto;
    scrollbar-width: thin;
  }
  .fit {
    border-left: 1px solid var(--rule);
  }
  .fit table {
    width: auto;
  }
  .fit td:first-child {
    text-align: left;
    padding-left: 12px;
  }
  .help,
  .acts {
    padding: 0 14px;
    font-size: 13px;
  }
  .help {
    margin: 4px 0;
    color: var(--faint);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin: 6px 0;
  }
  ul {
    margin: 0;
    padding: 7px 14px;
    list-style: none;
    font-size: 13px;
    line-height: 18px;
  }
  li + li {
    margin-top: 3px;
  }
</style>
