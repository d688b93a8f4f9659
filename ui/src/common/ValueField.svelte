<script lang="ts">
  import { Input } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { api, unwrap, type Patch } from '../api/api';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { bareUnit, shown, typedAs } from './format';
  import Wrong from './Wrong.svelte';

  interface Props {
    value: number | string;
    unit: string;
    label: string;
    oncommit: (value: number | string, merge: string) => void;
    low?: number | null;
    high?: number | null;
    noteValues?: boolean;
    /** The unit of a number that is typed alone; seconds for what lasts as long as a note. */
    bare?: string | undefined;
    width?: string;
    hint?: string | undefined;
    /** What it is in a patch: Alt-Backspace goes back to what that was before. */
    part?: ((patch: Patch) => number | string | undefined) | undefined;
    /** What Ctrl-Backspace goes back to. */
    reset?: number | string | undefined;
  }
  let {
    value,
    unit,
    label,
    oncommit,
    low = null,
    high = null,
    noteValues = false,
    bare = bareUnit(unit),
    width = '7rem',
    hint,
    part,
    reset
  }: Props = $props();

  let typed: string | null = $state(null);
  let wrong = $state('');
  let focused = $state(false);
  const text = $derived(typed ?? (focused ? typedAs(value, unit, bare) : shown(value, unit)));
  /** Whether what is typed is a number without a unit. */
  const alone = $derived(typed !== null && /^\s*[+\-−]?[\d.,]+\s*$/.test(typed));

  const commit = (): Promise<void> => workbench.settling(understand());

  async function understand(): Promise<void> {
    if (typed === null || typed === shown(value, unit) || typed === typedAs(value, unit, bare)) {
      typed = null;
      wrong = '';
      return;
    }
    const body = {
      text: typed,
      unit,
      place: label,
      bare,
      low,
      high,
      note_values: noteValues,
      present: value,
      tempo_bpm: workbench.tempo,
      beats_per_bar: workbench.beatsPerBar
    };
    const asked = typed;
    const patch = workbench.id;
    const land = oncommit;
    try {
      const understood = await unwrap(api.POST('/api/value', { body }));
      if (patch !== workbench.id) {
        messages.say(`${body.place}: ${asked} came when another patch was open, and was not set.`, true);
        return;
      }
      if (typed !== asked) return;
      typed = null;
      wrong = '';
      land(understood.value, '');
    } catch (error) {
      wrong = error instanceof Error ? error.message : String(error);
    }
  }

  function type(text: string | undefined): void {
    typed = text ?? '';
    wrong = '';
  }

  async function enter(event: FocusEvent): Promise<void> {
    focused = true;
    await tick();
    (event.target as HTMLInputElement).select();
  }

  function leave(): void {
    focused = false;
    if (wrong) {
      typed = null;
      wrong = '';
    } else void commit();
  }

  /** Steps of the arrow keys, and of the finer ones with Shift. */
  function nudged(from: number, up: boolean, fine: boolean): number {
    const sign = up ? 1 : -1;
    if (unit === 's' || unit === 'Hz') {
      const ratio = fine ? 1.01 : 1.06;
      return from === 0 ? (up ? 0.005 : 0) : from * ratio ** sign;
    }
    const steps: Record<string, [number, number]> = {
      st: [1, 0.1],
      ratio: [0.05, 0.01],
      key: [1, 1],
      velocity: [5, 1],
      bpm: [1, 0.1],
      bend: [0.5, 0.1],
      ms: [10, 1],
      count: [1, 1]
    };
    const [coarse, small] = steps[unit] ?? [0.1, 0.01];
    return Number((from + sign * (fine ? small : coarse)).toFixed(6));
  }

  /** A drag up or down over the field turns it, finer with Shift; a click still sets the caret. */
  let pulled: { y: number; from: number; steps: number } | null = null;
  let pulling = $state(false);
  function grab(event: PointerEvent & { currentTarget: HTMLInputElement }): void {
    if (typeof value === 'number' && document.activeElement !== event.currentTarget)
      pulled = { y: event.clientY, from: value, steps: 0 };
  }
  function pull(event: PointerEvent & { currentTarget: HTMLInputElement }): void {
    if (!pulled || event.buttons !== 1) return;
    const steps = Math.trunc((pulled.y - event.clientY) / 7);
    if (steps === pulled.steps) return;
    if (!pulling) event.currentTarget.setPointerCapture(event.pointerId);
    pulling = true;
    let next = typeof value === 'number' ? value : pulled.from;
    for (let i = 0; i < Math.abs(steps - pulled.steps); i++) next = nudged(next, steps > pulled.steps, event.shiftKey);
    pulled.steps = steps;
    typed = null;
    oncommit(Math.max(low ?? -Infinity, Math.min(high ?? Infinity, next)), `pull ${label}`);
  }
  function letGo(event: PointerEvent & { currentTarget: HTMLInputElement }): void {
    if (pulling) event.currentTarget.blur();
    pulled = null;
    pulling = false;
  }

  /** What it was before, the latest first. */
  const earlier = $derived(part ? workbench.steps.earlier(part, value) : []);
  const says = $derived(
    [hint, earlier.length > 0 && `Was ${shown(earlier[0]!, unit)} before; Alt-Backspace goes back to that.`]
      .filter((text) => text)
      .join('\n')
  );

  function onkeydown(event: KeyboardEvent): void {
    if (event.altKey && event.key === 'Backspace' && earlier.length > 0) {
      event.preventDefault();
      event.stopPropagation();
      typed = null;
      oncommit(earlier[0]!, '');
      return;
    }
    if ((event.ctrlKey || event.metaKey) && event.key === 'Backspace' && reset !== undefined) {
      event.preventDefault();
      typed = null;
      oncommit(reset, '');
      return;
    }
    if (event.ctrlKey || event.metaKey) {
      // While something is being typed, undo is the field's own; every other shortcut is the page's.
      if (typed !== null && ['z', 'y'].includes(event.key.toLowerCase())) event.stopPropagation();
      return;
    }
    // Where nothing was typed Escape is the page's.
    if (event.key === 'Escape' && typed === null && !wrong) return (event.currentTarget as HTMLElement).blur();
    event.stopPropagation();
    if (event.key === 'Enter') {
      focused = false;
      void commit();
    } else if (event.key === 'Escape') {
      typed = null;
      wrong = '';
    } else if ((event.key === 'ArrowUp' || event.key === 'ArrowDown') && typeof value === 'number') {
      event.preventDefault();
      const next = nudged(value, event.key === 'ArrowUp', event.shiftKey);
      typed = null;
      oncommit(Math.max(low ?? -Infinity, Math.min(high ?? Infinity, next)), `nudge ${label}`);
    }
  }
</script>

<span class="valued" class:snug={width === 'auto'} style:width={width === 'auto' ? undefined : width}>
  <Input
    class="field {width === 'auto' ? 'snug' : ''} {pulling ? 'pulling' : ''}"
    style={width === 'auto' ? undefined : 'width: 100%'}
    aria-label={label}
    {...bare ? { 'aria-description': `A number alone is in ${bare}.` } : {}}
    aria-invalid={wrong !== ''}
    data-hint={says || undefined}
    bind:value={() => text, type}
    spellcheck="false"
    autocomplete="off"
    onfocus={(event: FocusEvent) => void enter(event)}
    onblur={leave}
    {onkeydown}
    onpointerdown={grab}
    onpointermove={pull}
    onpointerup={letGo}
    onpointercancel={letGo}
  />
  {#if alone && bare}<span class="alone" aria-hidden="true">{bare}</span>{/if}
</span>
{#if wrong}<Wrong text={wrong} />{/if}

<style>
  .valued {
    position: relative;
    display: inline-flex;
    min-width: 0;
  }
  .valued.snug {
    flex: none;
  }
  .alone {
    position: absolute;
    right: 5px;
    top: 50%;
    translate: 0 -50%;
    padding-left: 3px;
    font-size: 11.5px;
    line-height: 1;
    color: var(--faint);
    background: var(--raised);
    pointer-events: none;
  }
  :global(.field.pulling) {
    cursor: ns-resize;
    user-select: none;
  }
  :global(.field.snug) {
    field-sizing: content;
    min-width: 2.5rem;
    max-width: 6rem;
  }
</style>
