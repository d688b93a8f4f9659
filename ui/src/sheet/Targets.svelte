<script lang="ts">
  import Choice from '../common/Choice.svelte';
  import Button from '../common/Button.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { noteName, shown } from '../common/format';
  import { messages } from '../state/messages.svelte';
  import { AIMED, Aiming, type Aimed, type What } from './aiming.svelte';
  import { practise } from '../practice/practice-now';
  import Labelled from '../common/Labelled.svelte';
  import Tick from '../common/Tick.svelte';
  import ValueField from '../common/ValueField.svelte';

  /** Targets for a stave, which Jorvik works out and shows as a ghost before they are taken. */
  let { name }: { name: string } = $props();

  const aiming = $derived(new Aiming(name, workbench));
  const unit = $derived(workbench.sheet?.lanes[name]?.unit ?? 'ratio');

  $effect(() => {
    const mine = aiming;
    return () => mine.stop();
  });
  $effect(() => {
    const { aimed } = workbench;
    if (aimed?.lane !== name) return;
    workbench.aimed = null;
    aiming.aim('least', aimed.least);
    aiming.aim('peak', aimed.greatest);
  });
  $effect(() => {
    const { patch } = workbench;
    if (patch && workbench.judging.judgement) void messages.attempt(() => aiming.look(patch));
  });
  $effect(() => {
    const { patch } = workbench;
    if (!patch) return;
    aiming.keepUp(patch);
    void messages.attempt(() => aiming.offer(patch));
  });

  const unitOf = (what: What): string => (what.endsWith('_s') ? 's' : unit);
  const said = (what: What, value: number | null): string =>
    value === null ? '–' : shown(Number(value.toPrecision(4)), unitOf(what));
  const nameOf = (what: What): string => AIMED.find(([one]) => one === what)?.[1] ?? what;
  type Note = { velocity?: number | null; key?: number | null };
  const played = ({ velocity, key }: Note): boolean => velocity == null && key == null;
  const noteOf = ({ velocity, key }: Note): string =>
    [velocity == null ? '' : `velocity ${velocity}`, key == null ? '' : noteName(key)].filter(Boolean).join(', ') ||
    'the note that is played';
  /** Aims, or aims no more, at the note that was typed before, whose answer may be on its way. */
  async function tick(what: What, wanted: boolean, target: Aimed | undefined): Promise<void> {
    const mine = aiming;
    await workbench.settled();
    if (wanted) mine.aim(what, mine.present(what) ?? 0.1);
    else if (target) mine.forget(target);
  }
  const intoView = (node: HTMLElement): void => node.scrollIntoView({ block: 'nearest' });
</script>

<h3>Work it out for me</h3>
<div class="note">
  {#each ['velocity', 'key'] as const as part (part)}
    <span>{part === 'velocity' ? 'at velocity' : 'and key'}</span>
    <ValueField
      value={aiming[part] ?? workbench[part]}
      unit={part}
      label="Target at {part}"
      width="3.5rem"
      low={0}
      high={127}
      reset={workbench[part]}
      hint="Targets at several velocities and keys are met together"
      oncommit={(v) => aiming.at(part, Number(v))}
    />
  {/each}
</div>
{#each AIMED as [what, label] (what)}
  {@const target = aiming.targetOf(what)}
  <Labelled name={label}>
    <div class="target">
      <Tick
        label="Target for {label}"
        checked={target !== undefined}
        onset={(wanted) => void tick(what, wanted, target)}
      />
      {#if target}
        {#each [aiming.note] as note (`${note.velocity} ${note.key}`)}
          <ValueField
            value={target.value}
            unit={unitOf(what)}
            label="Target {label}"
            width="100%"
            oncommit={(v) => aiming.aim(what, Number(v), note)}
          />
        {/each}
      {:else}
        <span>{said(what, aiming.present(what))}</span>
      {/if}
    </div>
  </Labelled>
{/each}
{#each aiming.elsewhere as target, i (i)}
  <p class="help">
    {noteOf(target)}: {nameOf(target.what)}
    {said(target.what, target.value)}
    <Button
      look="bare"
      aria-label="Forget the target for {nameOf(target.what)} at {noteOf(target)}"
      onclick={() => aiming.forget(target)}>✕</Button
    >
  </p>
{/each}
{#if aiming.targets.length > 0}
  <div class="changing" role="group" aria-label="What may change">
    <span>may change</span>
    {#each aiming.offered as one, i (i)}
      <Tick checked={aiming.changes(one)} onset={(change) => aiming.pick(one.name, change)}>
        {one.label} <i>{shown(Number(one.value.toPrecision(4)), one.unit)}</i>
      </Tick>
    {/each}
    {#if aiming.others.length > 0}
      <Choice
        look="link"
        label="Let something else change"
        prompt="also…"
        options={aiming.others.map((one) => [one.name, one.label] as const)}
        onchoose={(name) => aiming.pick(name, true)}
      />
    {/if}
  </div>
{/if}
{#if aiming.answer}
  <div class="answer" {@attach intoView}>
    <p class="help">{aiming.answer.changes.join('; ') || 'Nothing needs to change.'}</p>
    {#each aiming.answer.met.filter((met) => !met.met) as { target, got }, i (i)}
      <p class="missed">
        {nameOf(target.what)}{played(target) ? '' : ` at ${noteOf(target)}`}: {said(target.what, target.value)} cannot be
        met with the rest; the nearest is {said(target.what, got)}.
      </p>
    {/each}
    <div class="acts">
      <Button onclick={() => aiming.take()}>Take it</Button>
      <Button onclick={() => aiming.leave()}>Leave it</Button>
      <Button look="bare" onclick={() => void messages.attempt(() => practise('reach'))}>Practise this</Button>
    </div>
  </div>
{:else}
  <div class="acts">
    {#if aiming.abort}
      <Button onclick={() => aiming.stop()}>Stop</Button><span class="help" role="status"
        >{aiming.tries ? `${aiming.tries} tries…` : 'Working it out…'}</span
      >
    {:else}
      <Button
        disabled={aiming.targets.length === 0 || aiming.changing.length === 0}
        onclick={() => void messages.attempt(() => aiming.solve())}>Work it out</Button
      >
    {/if}
  </div>
{/if}

<style>
  .note,
  .changing {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 4px 6px;
    margin-bottom: 5px;
    font-size: 13px;
    color: var(--faint);
  }
  .changing :global(label) {
    width: 100%;
    color: var(--ink);
  }
  .changing i {
    margin-left: auto;
    font-style: normal;
    color: var(--faint);
  }
  .target {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 13px;
    color: var(--faint);
  }
  .missed {
    font-size: 12.5px;
    color: var(--madder);
  }
</style>
