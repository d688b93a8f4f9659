<script lang="ts">
  import { term } from '../common/hint';
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { figure, hertz } from '../common/format';
  import type { Look } from '../api/look';
  import { player } from '../state/playing';

  /** How loud and how sharp a sound is, beside a ghost's, and what can be done with the two. */
  let { look, behind }: { look: Look | null; behind: Look | null } = $props();

  const FIGURES: { name: string; help: string; of: (look: Look) => string; unit?: string }[] = [
    {
      name: 'loudness',
      unit: 'LUFS',
      help: 'Integrated loudness, ITU-R BS.1770.',
      of: ({ levels }) => figure(levels.loudness_lufs)
    },
    { name: 'peak', unit: 'dBFS', help: 'Highest sample.', of: ({ levels }) => figure(levels.peak_db) },
    {
      name: 'true peak',
      unit: 'dBTP',
      help: 'Highest point between samples, at four times the rate.',
      of: ({ levels }) => figure(levels.true_peak_db)
    },
    { name: 'rms', unit: 'dB', help: 'Root of the mean square.', of: ({ levels }) => figure(levels.rms_db) },
    { name: 'crest', unit: 'dB', help: 'Peak over rms.', of: ({ levels }) => figure(levels.crest_db) },
    {
      name: 'spectral centroid',
      help: 'The middle of the spectrum’s power over the loudest half second.',
      of: ({ centroid_hz }) => hertz(centroid_hz, 3)
    },
    { name: 'limiter', unit: 'dB', help: 'The most that the limiter took.', of: (l) => figure(l.limited_db, 2) }
  ];
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="levels" role="region" aria-label="Levels" tabindex="0">
  <table class="figures">
    <caption>Levels</caption>
    <thead class:sr-only={!behind}
      ><tr
        ><th></th><th>now</th>{#if behind}<th>ghost</th>{/if}</tr
      ></thead
    >
    <tbody>
      {#each FIGURES as item (item.name)}
        <tr {...term(item.help)}>
          <td>{item.name}</td>
          <td>{look ? item.of(look) : '–'} {item.unit}</td>
          {#if behind}<td>{item.of(behind)}</td>{/if}
        </tr>
      {/each}
    </tbody>
  </table>
  <div class="acts">
    {#if workbench.tracing.ghost}
      <Button onclick={() => void player.compare(false)}>A against B</Button>
      <Button onclick={() => void player.compare(true)}>Blind</Button>
      {#if player.comparing === 'blind'}
        <p>
          Sounding: {player.side}. <Button look="bare" onclick={() => player.reveal()}>Say which is which</Button>
        </p>
      {:else if player.comparing === 'open'}
        <p>{player.side}: {player.sideIs(player.side)}, at one loudness.</p>
      {/if}
    {:else}
      <Button
        data-hint="Hold this version, then change something: both are shown, and heard at one loudness (G)"
        onclick={() => workbench.tracing.hold()}>Hold as ghost</Button
      >
    {/if}
    <Button onclick={() => (workbench.building = true)}>Harmonics…</Button>
  </div>
</div>

<style>
  .levels {
    border-left: 1px solid var(--rule);
    overflow: auto;
  }
  td:first-child {
    text-align: left;
    color: var(--faint);
    padding-left: 12px;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding: 6px 12px;
    font-size: 13px;
  }
  .acts p {
    margin: 0;
    width: 100%;
  }
</style>
