<script lang="ts">
  import { fixed } from '../common/format';
  import Button from '../common/Button.svelte';
  import TextField from '../common/TextField.svelte';
  import type { Head } from '../api/api';
  import {
    chosenPart,
    family,
    keepVariant,
    levelsOf,
    partName,
    patchOf,
    promote,
    takeOver,
    writeGains,
    type PatchLevel
  } from '../state/library';
  import { comparing } from '../compare/comparing-now';
  import { Latest } from '../state/latest';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import Difference from './Difference.svelte';

  /** The variants of the open patch as a tree: kept with a reason, told apart, made alike in level, let go their own way. */
  let { onopened }: { onopened: () => void } = $props();
  let name = $state('');
  let reason = $state('');
  let members: Head[] = $state.raw([]);
  let levels: PatchLevel[] = $state.raw([]);
  /** What the levels were measured on. */
  let measuredOn = $state('');

  const part = $derived(chosenPart());
  const here = $derived(workbench.drafts.head?.id ?? '');
  const level = $derived(new Map(levels.map((one) => [one.id, one])));

  const asked = new Latest();
  async function look(): Promise<void> {
    await asked.keep(family(), (found) => (members = found));
  }
  $effect(() => {
    void here;
    void messages.attempt(look);
  });
  /** Makes all of them as loud as the quietest. */
  async function alike(): Promise<void> {
    const count = await writeGains(Object.fromEntries(levels.map(({ id, gain_db }) => [id, gain_db])));
    messages.say(`${count} made as loud as the quietest; what each was is kept among its versions.`);
    await measure();
  }

  async function measure(): Promise<void> {
    const { phrase } = workbench.performed;
    levels = await levelsOf(members.map((one) => one.id));
    measuredOn = phrase ? `the phrase ${String(phrase['name'])}` : 'the test note of each';
  }

  /** The members in the order of a tree, each with how deep it stands. */
  const tree = $derived.by(() => {
    const known = new Set(members.map((head) => head.id));
    const below = (parent: string | null, depth: number): [Head, number][] =>
      members
        .filter((head) => (known.has(head.parent_id ?? '') ? head.parent_id : null) === parent)
        .flatMap((head) => [[head, depth] as [Head, number], ...below(head.id, depth + 1)]);
    return below(null, 0);
  });

  function keep(event: SubmitEvent): void {
    event.preventDefault();
    const patch = workbench.patch;
    if (!patch) return;
    void messages.attempt(async () => {
      await keepVariant(patch, name.trim() || `variant ${members.length}`, reason.trim());
      name = reason = '';
      await look();
    });
  }
  async function go(head: Head): Promise<void> {
    await workbench.open(head.id);
    onopened();
  }
  async function ghost(head: Head): Promise<void> {
    await workbench.settling(patchOf(head.id).then((patch) => workbench.tracing.hold(head.name, patch)));
    onopened();
  }
  async function own(head: Head): Promise<void> {
    await promote(head.id);
    await Promise.all([look(), workbench.refreshHeads()]);
    messages.say(`${head.name} is a patch of its own now.`);
  }
  const signed = (db: number): string => `${db >= 0.05 ? '+' : ''}${fixed(db, 1)}`;
</script>

<section aria-label="Variants">
  <h4>Variants</h4>
  <form onsubmit={keep}>
    <TextField label="Name of the variant" placeholder="What is other in it" maxlength={60} bind:value={name} />
    <TextField label="Why it is kept" placeholder="Why" maxlength={400} bind:value={reason} />
    <Button type="submit">Keep as a variant</Button>
  </form>
  {#if members.length > 1}
    <ul>
      {#each tree as [head, depth] (head.id)}
        <li class:here={head.id === here} style="padding-left: {8 + 16 * depth}px">
          <Button look="bare" class="open" onclick={() => void messages.attempt(() => go(head))}>{head.name}</Button>
          <span>{head.branch_reason}</span>
          {#if level.get(head.id)}
            {@const of = level.get(head.id)!}
            <small class="level">{fixed(of.loudness_lufs, 1)} LUFS, {signed(of.gain_db)} dB</small>
          {/if}
          <span class="acts">
            {#if head.id !== here}
              <Button
                look="bare"
                aria-label="Hold {head.name} as ghost"
                onclick={() => void messages.attempt(() => ghost(head))}>ghost</Button
              >
              <Button
                look="bare"
                aria-label="Compare with {head.name}"
                onclick={() => {
                  comparing.withOthers([head.id]);
                  workbench.view = 'compare';
                  onopened();
                }}>compare</Button
              >
              {#if part}
                <Button
                  look="bare"
                  data-hint="Only {partName(part)}, as it is there"
                  onclick={() =>
                    void messages.attempt(async () => {
                      await takeOver(() => patchOf(head.id), part, head.name);
                      onopened();
                    })}>only {partName(part)}</Button
                >
              {/if}
              <Difference
                label="from {head.name}"
                between={async () => [await patchOf(head.id), workbench.patch!] as const}
              />
            {/if}
            {#if head.parent_id}
              <Button
                look="bare"
                aria-label="Let {head.name} be a patch of its own"
                onclick={() => void messages.attempt(() => own(head))}>of its own</Button
              >
            {/if}
          </span>
        </li>
      {/each}
    </ul>
    <p>
      <Button onclick={() => void messages.attempt(measure)}>How loud is each?</Button>
      {#if levels.length}
        <Button onclick={() => void messages.attempt(alike)}>Make all as loud as the quietest</Button>
        <small>Measured on {measuredOn}.</small>
      {/if}
    </p>
  {/if}
</section>

<style>
  h4 {
    margin: 0 0 4px;
    font-weight: 600;
    font-size: 14px;
  }
  form {
    display: flex;
    gap: 6px;
  }
  form :global(input) {
    flex: 1;
  }
  ul {
    margin: 6px 0 0;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 10px;
    align-items: center;
    padding: 4px 8px;
    border-bottom: 1px solid var(--rule);
  }
  li.here {
    background: var(--chosen);
  }
  li :global(.open) {
    font-weight: 600;
  }
  li span {
    flex: 1;
    color: var(--faint);
    font-size: 13px;
  }
  li .acts {
    flex-basis: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 2px 10px;
    margin: 0;
  }
  .level {
    font-variant-numeric: tabular-nums;
  }
  p {
    display: flex;
    gap: 6px;
    margin: 6px 0 0;
  }
</style>
