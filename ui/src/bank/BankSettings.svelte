<script lang="ts">
  import { momentOf } from '../common/dates';
  import Choice from '../common/Choice.svelte';
  import Labelled from '../common/Labelled.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { machine } from '../machine/machine-now';
  import { messages } from '../state/messages.svelte';
  import type { Settings } from './bank.svelte';
  import { bank } from './bank-now';

  /** At which notes, and how: what the chosen work has to be told. */
  const LIKE = { keys: 'C2, C3', velocities: '40, 118', lengths: '500 ms, 2 s', seeds: '1, 2, 3' };
  const settings = $derived(bank.settings);
  const samples = $derived(settings.samples);

  const has = (option: string): boolean => (bank.facts.options as readonly string[]).includes(option);
  $effect(() => {
    if (bank.needsCard) void messages.attempt(() => machine.refresh());
  });
  $effect(() => {
    void machine.card;
    if (bank.needsCard) bank.planSoon();
  });
</script>

{#each bank.facts.notes as name (name)}
  <Labelled {name} help="As {LIKE[name]}, with commas between. Empty: the note of each patch.">
    <TextField
      label="At which {name}"
      placeholder="patch’s own"
      value={bank.notes[name]}
      onset={(text) => bank.setNotes({ [name]: text })}
    />
  </Labelled>
{/each}
{#if has('of')}
  <Labelled name="of">
    <TextField label="What is swept" value={settings.of ?? 'cutoff'} onset={(of) => bank.set({ of: of.trim() })} />
  </Labelled>
  <Labelled name="steps">
    <ValueField
      value={settings.steps ?? 24}
      unit="count"
      label="How many steps"
      low={2}
      high={256}
      width="100%"
      oncommit={(steps) => bank.set({ steps: Math.round(Number(steps)) })}
    />
  </Labelled>
{/if}
{#if bank.needsCard}
  <Labelled name="machine">
    <Choice
      label="On which machine"
      options={machine.heads.map((head) => [head.id, head.name])}
      value={machine.id}
      onchoose={(id) => void messages.attempt(() => machine.choose(id))}
    />
  </Labelled>
{/if}
{#if has('ending')}
  <Labelled name="as">
    <Choice
      label="What a sheet is written as"
      options={[
        ['pdf', 'PDF'],
        ['html', 'HTML'],
        ['svg', 'SVG, the staves']
      ]}
      value={settings.ending ?? 'pdf'}
      onchoose={(ending) => bank.set({ ending: ending as NonNullable<Settings['ending']> })}
    />
  </Labelled>
{/if}
{#if has('samples')}
  <Labelled name="in turn" help="How many samples of each key and velocity, each of another seed.">
    <ValueField
      value={samples?.round_robin ?? 1}
      unit="count"
      label="How many in turn"
      low={1}
      high={16}
      width="100%"
      oncommit={(count) => bank.setSamples({ round_robin: Math.round(Number(count)) })}
    />
  </Labelled>
  <Labelled name="names" help="Of the files: {'{patch} {key} {number} {velocity} {round}'}.">
    <TextField
      label="What files are called"
      value={samples?.name ?? '{patch}-{key}-v{velocity}{round}'}
      onset={(name) => bank.setSamples({ name })}
    />
  </Labelled>
  <Tick checked={samples?.loops ?? true} onset={(loops) => bank.setSamples({ loops })}>looped where it settles</Tick>
  <Tick checked={samples?.matched ?? false} onset={(matched) => bank.setSamples({ matched })}>all at one loudness</Tick>
{/if}
{#if has('depth')}
  <Labelled name="depth">
    <Choice
      label="How many bits"
      options={[
        ['16', '16 bits'],
        ['24', '24 bits'],
        ['32f', '32 bits, float']
      ]}
      value={settings.depth ?? '24'}
      onchoose={(depth) => bank.set({ depth: depth as NonNullable<Settings['depth']> })}
    />
  </Labelled>
{/if}
{#if bank.facts.hasGain}
  <Labelled name="gain to" help="How loud each is to be: the gain that makes it so stands in the table.">
    <TextField
      label="Wanted loudness in LUFS"
      placeholder="−20 LUFS"
      value={settings.lufs == null ? '' : String(settings.lufs)}
      onset={(text) => {
        const lufs = text.trim() === '' ? null : Number(text.replace('−', '-').replace(/\s*LUFS$/i, ''));
        if (lufs !== null && !(lufs >= -60 && lufs <= 0)) return `"${text}": −60 to 0 LUFS, or nothing`;
        bank.set({ lufs });
      }}
    />
  </Labelled>
{/if}
<Labelled name="against" help="An earlier work of the same kind: what moved since is told.">
  <Choice
    label="Against which earlier work"
    options={[
      ['', 'nothing'],
      ...bank.runs
        .filter((job) => job.state === 'done' && job.facts['work'] === settings.work)
        .map((job) => [job.id, `${job.title}, ${momentOf(job.created_at)}`] as const)
    ]}
    value={bank.against}
    onchoose={(run) => (bank.against = run)}
  />
</Labelled>
