<script lang="ts">
  import { FULL_RATE } from '../api/facts.gen';
  import type { Patch } from '../api/api';
  import Button from '../common/Button.svelte';
  import FileButton from '../common/FileButton.svelte';
  import Fold from '../common/Fold.svelte';
  import Labelled from '../common/Labelled.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { shown } from '../common/format';
  import { readRecording } from '../state/files';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';

  /** A recorded sound as a tone of the patch: which one, at which key it sounds as recorded, once or round a loop. */
  let { patch, open = $bindable() }: { patch: Patch; open: boolean } = $props();
  const voice = $derived(patch.voice ?? {});
  const recording = $derived(voice.oscillators?.recording ?? null);
  type Recording = NonNullable<typeof recording>;
  /** Two bytes a sample, in base64. */
  const lasts = $derived(recording ? (recording.samples.length * 3) / 8 / (recording.rate ?? FULL_RATE) : 0);

  function put(next: Recording | null, label: string, merge = '', level?: number): void {
    const base = level === undefined ? voice.base : { ...voice.base, recording_level: level };
    const oscillators = { ...voice.oscillators, recording: next };
    workbench.edit(label, { ...patch, voice: { ...voice, base, oscillators } as Patch['voice'] }, merge);
  }
  const set = (fields: Partial<Recording>, label: string, merge = ''): void =>
    put({ ...recording!, ...fields }, label, merge);

  async function read(file: File): Promise<void> {
    const name = file.name.replace(/\.[^.]*$/, '');
    const { recording: found } = await readRecording(file, name, workbench.key);
    put(found as unknown as Recording, `${name} as a tone`, '', voice.base?.['recording_level'] || 1);
  }
  const tidy = (seconds: number): number => Number(seconds.toFixed(6));
</script>

<Fold title="Recording" hint="A recorded sound as a tone, heard by the recording level." bind:open>
  {#if recording}
    <p class="help">{recording.name ?? 'recording'}, {shown(tidy(lasts), 's')}</p>
    <Labelled name="recorded at" help="The key at which it sounds as it was recorded.">
      <ValueField
        value={recording.key ?? 60}
        unit="key"
        label="Key of the recording"
        low={0}
        high={127}
        width="100%"
        oncommit={(v, merge) => set({ key: Number(v) }, `recorded at ${shown(Number(v), 'key')}`, merge)}
      />
    </Labelled>
    <Tick
      checked={Boolean(recording.loop)}
      onset={(is) =>
        set(
          { loop: is ? [tidy(lasts * 0.25), tidy(Math.floor(lasts * 1e6) / 1e6)] : null },
          is ? 'round a loop' : 'once'
        )}>goes round a loop</Tick
    >
    {#if recording.loop}
      {#each ['from', 'to'] as const as end, i (end)}
        <Labelled name="loop {end}">
          <ValueField
            value={recording.loop[i] ?? 0}
            unit="s"
            bare="s"
            label="Loop {end}"
            low={0}
            high={lasts}
            width="100%"
            oncommit={(v, merge) =>
              set(
                { loop: i === 0 ? [Number(v), recording.loop![1]!] : [recording.loop![0]!, Number(v)] },
                `loop ${end} ${shown(Number(v), 's')}`,
                merge
              )}
          />
        </Labelled>
      {/each}
      <Labelled name="fades over">
        <ValueField
          value={recording.fade_s ?? 0.01}
          unit="s"
          bare="s"
          label="Fade of the loop"
          low={0}
          high={2}
          width="100%"
          oncommit={(v, merge) => set({ fade_s: Number(v) }, `loop fades over ${shown(Number(v), 's')}`, merge)}
        />
      </Labelled>
    {/if}
  {:else}
    <p class="help">None yet. What was printed can be filtered again this way.</p>
  {/if}
  <div class="acts">
    <FileButton
      label="Choose a recorded sound"
      accept=".wav,.flac,.ogg,audio/*"
      onfile={(file) => void messages.attempt(() => workbench.settling(read(file)))}>Read a sound…</FileButton
    >
    {#if recording}<Button onclick={() => put(null, 'no recording')}>Remove</Button>{/if}
  </div>
</Fold>
