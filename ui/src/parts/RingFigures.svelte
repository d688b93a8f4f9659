<script lang="ts">
  import { api, taken, type Module } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { replaceModule } from '../lib/document';
  import { figure, seconds, shown } from '../lib/format';
  import type { components } from '../lib/schema.gen';
  import Labelled from './Labelled.svelte';
  import ValueField from './ValueField.svelte';

  /** How a control filter rings, from its settings; and its settings, from how it shall ring. */
  let { module }: { module: Module & { kind: 'filter' } } = $props();
  let said: components['schemas']['RingSaid'] | null = $state.raw(null);
  const hz = $derived(typeof module.frequency_hz === 'number' ? module.frequency_hz : null);
  const q = $derived(module.q ?? 0.707);

  $effect(() => {
    if (hz === null) return;
    const body = { frequency_hz: hz, q: Math.max(0.5, q) };
    void taken(api.POST('/api/assist/ring', { body })).then(
      (found) => (said = found),
      () => (said = null)
    );
  });

  async function wish(rings: number, lasts: number, label: string): Promise<void> {
    if (!bench.patch) return;
    const found = await taken(
      api.POST('/api/assist/ring', { body: { frequency_hz: rings, q: 0.5, rings_for_s: lasts } })
    );
    const fields = {
      frequency_hz: Number(found.frequency_hz.toPrecision(5)),
      q: Number(Math.max(0.5, found.q).toPrecision(4))
    };
    bench.edit(`${module.id} ${label}`, replaceModule(bench.patch, module.id, fields));
  }
</script>

{#if said && hz !== null}
  {@const ring = said.ring}
  <Labelled name="rings at" help="f √(1 − 1/4q²)">
    <ValueField
      value={Number(ring.frequency_hz.toPrecision(5))}
      unit="Hz"
      label="Ring of {module.id}"
      width="100%"
      oncommit={(v) => void bench.attempt(() => wish(Number(v), ring.time_s, `rings at ${shown(v, 'Hz')}`))}
    />
  </Labelled>
  <Labelled
    name="gone after"
    help="Time to −60 dB: ln(1000) q / π f"
    under="{figure(ring.bounces, 3)} bounces over 5 %, until {seconds(ring.time_s)}"
  >
    <ValueField
      value={Number(ring.time_s.toPrecision(4))}
      unit="s"
      label="Ring time of {module.id}"
      low={0.001}
      high={60}
      width="100%"
      oncommit={(v) => void bench.attempt(() => wish(ring.frequency_hz, Number(v), `gone after ${shown(v, 's')}`))}
    />
  </Labelled>
{/if}
