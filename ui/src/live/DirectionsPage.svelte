<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import Choice from '../common/Choice.svelte';
  import ValueField from '../common/ValueField.svelte';
  import { laneTitle } from '../phrase/phrase';
  import { CURVES, HOLDS, NAMES, type CurveName } from './directions.svelte';
  import { directions, live } from './playing-live';

  /** What each direction of the controller moves, over which part of its range, and how. */
  let { open = $bindable() }: { open: boolean } = $props();
  const lanes = $derived([
    ['', 'nothing'] as const,
    ...Object.keys(live.lanes).map((name) => [name, laneTitle(name)] as const)
  ]);
  const curves = Object.keys(CURVES).map((name) => [name, name] as const);
</script>

<Modal bind:open title="What each direction moves" size="md" outsideclose>
  <table class="figures" aria-label="What each direction moves">
    <thead><tr><th></th><th>moves</th><th>from</th><th>to</th><th>goes</th></tr></thead>
    <tbody>
      {#each NAMES as name (name)}
        {@const of = directions.of(name)}
        <tr>
          <th scope="row">{name}</th>
          <td>
            <Choice
              label="What {name} moves"
              value={of.lane}
              options={name === 'pedal' ? [[HOLDS, HOLDS] as const, ...lanes] : lanes}
              onchoose={(lane) => directions.give(name, { lane })}
            />
          </td>
          {#each ['low', 'high'] as const as end (end)}
            <td>
              <ValueField
                value={of[end]}
                unit="ratio"
                label="{end === 'low' ? 'Least' : 'Greatest'} of {name}"
                low={0}
                high={1}
                width="4rem"
                oncommit={(v) => directions.give(name, { [end]: Number(v) })}
              />
            </td>
          {/each}
          <td>
            <Choice
              label="Curve of {name}"
              value={of.curve}
              options={curves}
              onchoose={(curve) => directions.give(name, { curve: curve as CurveName })}
            />
          </td>
        </tr>
      {/each}
    </tbody>
  </table>
</Modal>
