<script lang="ts">
  import { term } from '../common/hint';
  import { api, asBody, unwrap } from '../api/api';
  import { workbench } from '../state/workbench.svelte';
  import { seconds, shown } from '../common/format';
  import type { components } from '../api/schema.gen';
  import { FULL_RATE } from '../api/facts.gen';

  /** What a lane, or a signal said as `signal.<id>`, does between the two posts, and who did it there. */
  let { name, unit }: { name: string; unit: string } = $props();
  const value = (v: number): string => shown(Number(v.toPrecision(4)), unit);
  let found: components['schemas']['Stretch'] | null = $state.raw(null);

  $effect(() => {
    const { patch, posts } = workbench;
    found = null;
    if (!patch || !posts || posts[0] === posts[1]) return;
    const abort = new AbortController();
    const [from_s, to_s] = posts;
    const body = { document: asBody(patch), ...workbench.performed, rate: FULL_RATE, lane: name, from_s, to_s };
    unwrap(api.POST('/api/stretch', { body, signal: abort.signal })).then(
      (answer) => (found = answer),
      () => {}
    );
    return () => abort.abort();
  });
</script>

{#if found && workbench.posts}
  {@const [from, to] = [...workbench.posts].sort((a, b) => a - b) as [number, number]}
  <h4 class="group">Between the posts, {seconds(from)} to {seconds(to)}</h4>
  <div class="placed"><span>from</span><b>{value(found.begins)} to {value(found.ends)}</b></div>
  <div class="placed"><span>least</span><b>{value(found.least)}</b></div>
  <div class="placed"><span>greatest</span><b>{value(found.greatest)}</b></div>
  <div class="placed"><span>goes</span><b>{shown(Number(found.distance.toPrecision(4)), found.distance_unit)}</b></div>
  {#each Object.entries(found.shares) as [route, share] (route)}
    <div class="placed" {...term('Share of the variance between the posts: cov(route, sum) / var(sum)')}>
      <span>{workbench.patch?.routes?.find((r) => r.id === route)?.source.replace('_', ' ')}</span>
      <b>{(share * 100).toFixed(0)} %</b>
    </div>
  {/each}
{/if}
