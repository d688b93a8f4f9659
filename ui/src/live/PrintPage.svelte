<script lang="ts">
  import { FULL_RATE } from '../api/facts.gen';
  import { Modal } from 'flowbite-svelte';
  import Button from '../common/Button.svelte';
  import Labelled from '../common/Labelled.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { asBody, type Job } from '../api/api';
  import { readRecording, saveResult } from '../state/files';
  import { newFromRecording } from '../state/library';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { figure } from '../common/format';
  import { taking } from './playing-live';

  /** Prints takes, or the patch as it stands under its phrase, to WAV files. */
  const takes = $derived(taking.printing ?? []);
  const open = $derived(taking.printing !== null);
  const PARTS = [
    ['wet', 'with its effects'],
    ['dry', 'dry'],
    ['voices', 'each voice to a file, dry']
  ] as const;
  type Part = (typeof PARTS)[number][0];
  let parts: readonly Part[] = $state.raw(['wet']);
  let hits = $state(false);
  let matched = $state(true);
  let stretch = $state({ from: 0, to: 1 });
  let isStretch = $state(false);
  let said = $state('');
  /** What was printed last, where it is one sound. */
  let made: Job | null = $state.raw(null);
  let printedName = '';

  function close(): void {
    taking.printing = null;
    said = '';
    made = null;
  }

  async function again(): Promise<void> {
    const answer = await fetch(`/api/jobs/${made!.id}/result`);
    const { recording, seconds } = await readRecording(await answer.blob(), printedName, workbench.key);
    close();
    await newFromRecording(recording, seconds);
  }

  async function make(): Promise<void> {
    if (parts.length === 0) throw new Error('Nothing is picked to be printed: with effects, dry, or each voice.');
    await workbench.settled();
    const { patch, phrasing } = workbench;
    const printed =
      takes.length > 0
        ? await Promise.all(takes.map(async ({ id, name }) => ({ name, take: asBody(await taking.take(id)) })))
        : [
            {
              name: phrasing.phrase?.name ?? patch?.name ?? 'Untitled',
              document: asBody(patch!),
              ...(phrasing.phrase ? { phrase: asBody(phrasing.phrase) } : {})
            }
          ];
    printedName = printed[0]!.name;
    said = 'It is being printed; this page may be closed.';
    await workbench.jobs.ask(
      {
        kind: 'print',
        printed,
        parts: [...parts],
        with_hits: hits,
        matched: matched && takes.length > 1,
        from_s: isStretch ? stretch.from : 0,
        to_s: isStretch ? stretch.to : null,
        depth: '24',
        rate: FULL_RATE
      },
      ended
    );
  }

  function ended(job: Job): void {
    if (job.state === 'done') saveResult(job);
    made = open && job.state === 'done' && job.file_name.endsWith('.wav') ? job : null;
    const levels = Object.entries(
      (job.facts['printed'] ?? {}) as Record<string, { loudness_lufs: number; gain_db: number }>
    )
      .map(
        ([name, { loudness_lufs, gain_db }]) =>
          `${name} ${figure(loudness_lufs, 3)} LUFS${gain_db ? ` (${figure(gain_db, 2)} dB)` : ''}`
      )
      .join(', ');
    said =
      job.state === 'done'
        ? `${job.file_name}: ${levels}.`
        : job.state === 'failed'
          ? `${job.title}: ${job.said}`
          : `${job.title} was cancelled.`;
    if (!open) messages.say(said, job.state === 'failed');
  }
</script>

<Modal bind:open={() => open, (is) => is || close()} title="Print to WAV" size="sm" outsideclose>
  <p class="what">
    {takes.length > 0
      ? takes.map(({ name }) => name).join(', ')
      : 'the patch as it stands, under what it is played under'}
  </p>
  <div class="ticks">
    {#each PARTS as [part, name] (part)}
      <Tick
        checked={parts.includes(part)}
        onset={(is) => (parts = is ? [...parts, part] : parts.filter((one) => one !== part))}>{name}</Tick
      >
    {/each}
    <Tick checked={hits} onset={(is) => (hits = is)}>with the hits</Tick>
    <Tick checked={isStretch} onset={(is) => (isStretch = is)}>only a stretch of it</Tick>
    {#if takes.length > 1}
      <Tick checked={matched} onset={(is) => (matched = is)}>all as loud as the quietest</Tick>
    {/if}
  </div>
  {#if isStretch}
    {#each ['from', 'to'] as const as end (end)}
      <Labelled name={end}>
        <ValueField
          value={stretch[end]}
          unit="s"
          bare="s"
          label="Print {end}"
          low={0}
          high={240}
          width="100%"
          oncommit={(v) => (stretch[end] = Number(v))}
        />
      </Labelled>
    {/each}
  {/if}
  <div class="acts">
    <Button onclick={() => void messages.attempt(make)}>Print</Button>
    {#if made}
      <Button
        data-hint="It can be filtered and moved again, and printed once more"
        onclick={() => void messages.attempt(again)}>As the tone of a new patch</Button
      >
    {/if}
  </div>
  <p class="what" role="status">{said}</p>
</Modal>

<style>
  .what {
    margin: 0;
    color: var(--faint);
  }
  .ticks {
    display: grid;
    gap: 4px;
    font-size: 13px;
  }
  .acts {
    display: flex;
    gap: 10px;
    align-items: center;
    font-size: 13px;
  }
</style>
