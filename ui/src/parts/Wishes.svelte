<script lang="ts">
  import { bench } from '../lib/bench.svelte';
  import { noteName, shown } from '../lib/format';
  import { messages } from '../lib/messages.svelte';
  import { WISHES, Wishing, type What } from '../lib/wishing.svelte';
  import Labelled from './Labelled.svelte';
  import ValueField from './ValueField.svelte';

  /** Wishes for a stave, which Jorvik works out and shows as a ghost before they are taken. */
  let { name }: { name: string } = $props();

  const wishing = $derived(new Wishing(name));
  const unit = $derived(name === 'pitch' ? 'st' : (bench.sheet?.lanes[name]?.unit ?? 'ratio'));

  $effect(() => {
    const mine = wishing;
    return () => mine.stop();
  });
  $effect(() => {
    const { patch } = bench;
    if (patch && bench.judging.judgement) void messages.attempt(() => wishing.look(patch));
  });
  $effect(() => {
    const { patch } = bench;
    if (!patch) return;
    wishing.keepUp(patch);
    void messages.attempt(() => wishing.offer(patch));
  });

  const unitOf = (what: What): string => (what.endsWith('_s') ? 's' : unit);
  const said = (what: What, value: number | null): string =>
    value === null ? '–' : shown(Number(value.toPrecision(4)), unitOf(what));
  const nameOf = (what: What): string => WISHES.find(([one]) => one === what)?.[1] ?? what;
  type Note = { velocity?: number | null; key?: number | null };
  const played = ({ velocity, key }: Note): boolean => velocity == null && key == null;
  const noteOf = ({ velocity, key }: Note): string =>
    [velocity == null ? '' : `velocity ${velocity}`, key == null ? '' : noteName(key)].filter(Boolean).join(', ') ||
    'the note that is played';
  const intoView = (node: HTMLElement): void => node.scrollIntoView({ block: 'nearest' });
</script>

<h3>Work it out for me</h3>
<div class="note">
  {#each ['velocity', 'key'] as const as part (part)}
    <span>{part === 'velocity' ? 'at velocity' : 'and key'}</span>
    <ValueField
      value={wishing[part] ?? bench[part]}
      unit={part}
      label="Wish at {part}"
      width="3.5rem"
      low={0}
      high={127}
      reset={bench[part]}
      title="Wishes at several velocities and keys are met together"
      oncommit={(v) => wishing.at(part, Number(v))}
    />
  {/each}
</div>
{#each WISHES as [what, label] (what)}
  {@const wish = wishing.wished(what)}
  <Labelled name={label}>
    <div class="wish">
      <input
        type="checkbox"
        aria-label="Wish for {label}"
        checked={wish !== undefined}
        onchange={(event) => {
          if (event.currentTarget.checked) wishing.wish(what, wishing.present(what) ?? 0.1);
          else if (wish) wishing.forget(wish);
        }}
      />
      {#if wish}
        {#each [wishing.note] as note (`${note.velocity} ${note.key}`)}
          <ValueField
            value={wish.value}
            unit={unitOf(what)}
            label="Wished {label}"
            width="100%"
            oncommit={(v) => wishing.wish(what, Number(v), note)}
          />
        {/each}
      {:else}
        <span>{said(what, wishing.present(what))}</span>
      {/if}
    </div>
  </Labelled>
{/each}
{#each wishing.elsewhere as wish (wish)}
  <p class="help">
    {noteOf(wish)}: {nameOf(wish.what)}
    {said(wish.what, wish.value)}
    <button
      class="bare"
      aria-label="Forget the wish for {nameOf(wish.what)} at {noteOf(wish)}"
      onclick={() => wishing.forget(wish)}>✕</button
    >
  </p>
{/each}
{#if wishing.wishes.length > 0}
  <div class="changing" role="group" aria-label="What may change">
    <span>may change</span>
    {#each wishing.offered as one (one.name)}
      <label
        ><input
          type="checkbox"
          checked={wishing.changes(one)}
          onchange={(event) => wishing.pick(one.name, event.currentTarget.checked)}
        />{one.label}
        <i>{shown(Number(one.value.toPrecision(4)), one.unit)}</i></label
      >
    {/each}
    {#if wishing.others.length > 0}
      <select
        class="link-select"
        aria-label="Let something else change"
        value=""
        onchange={(event) => {
          wishing.pick(event.currentTarget.value, true);
          event.currentTarget.value = '';
        }}
      >
        <option value="">also…</option>
        {#each wishing.others as one (one.name)}<option value={one.name}>{one.label}</option>{/each}
      </select>
    {/if}
  </div>
{/if}
{#if wishing.answer}
  <div class="answer" {@attach intoView}>
    <p class="help">{wishing.answer.changes.join('; ') || 'Nothing needs to change.'}</p>
    {#each wishing.answer.met.filter((met) => !met.met) as { wish, got }, i (i)}
      <p class="missed">
        {nameOf(wish.what)}{played(wish) ? '' : ` at ${noteOf(wish)}`}: {said(wish.what, wish.value)} cannot be met with the
        rest; the nearest is {said(wish.what, got)}.
      </p>
    {/each}
    <div class="acts">
      <button class="quiet" onclick={() => wishing.take()}>Take it</button>
      <button class="quiet" onclick={() => wishing.leave()}>Leave it</button>
    </div>
  </div>
{:else}
  <div class="acts">
    {#if wishing.abort}
      <button class="quiet" onclick={() => wishing.stop()}>Stop</button><span class="help" role="status"
        >{wishing.tries ? `${wishing.tries} tries…` : 'Working it out…'}</span
      >
    {:else}
      <button
        class="quiet"
        disabled={wishing.wishes.length === 0 || wishing.changing.length === 0}
        onclick={() => void messages.attempt(() => wishing.solve())}>Work it out</button
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
  .changing label {
    display: flex;
    align-items: center;
    gap: 4px;
    width: 100%;
    color: var(--ink);
  }
  .changing i {
    margin-left: auto;
    font-style: normal;
    color: var(--faint);
  }
  .wish {
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
