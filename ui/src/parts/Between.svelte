<script lang="ts">
  import { api, plain, taken } from '../lib/api';
  import { bench } from '../lib/bench.svelte';
  import { seconds, shown } from '../lib/format';
  import type { components } from '../lib/schema.gen';
  import { FULL_RATE } from '../lib/tracing.svelte';

  /** What a lane does between the two posts, and who did it there. */
  let { name }: { name: string } = $props();
  let found: components['schemas']['Stretch'] | null = $state.raw(null);

  $effect(() => {
    const { patch, posts } = bench;
    found = null;
    if (!patch || !posts || posts[0] === posts[1]) return;
    const abort = new AbortController();
    const [from_s, to_s] = posts;
    const body = { document: plain(patch), rate: FULL_RATE, lane: name, from_s, to_s };
    taken(api.POST('/api/stretch', { body, signal: abort.signal })).then(
      (answer) => (found = answer),
      () => {}
    );
    return () => abort.abort();
  });
</script>

{#if found && bench.posts}
  {@const [from, to] = [...bench.posts].sort((a, b) => a - b) as [number, number]}
  <h4 class="told">Between the posts, {seconds(from)} to {seconds(to)}</h4>
  <div class="reading"><span>goes</span><b>{shown(Number(found.distance.toPrecision(4)), found.distance_unit)}</b></div>
  {#each Object.entries(found.shares) as [route, share] (route)}
    <div class="reading" title="Share of the variance between the posts: cov(route, sum) / var(sum)">
      <span>{bench.patch?.routes?.find((r) => r.id === route)?.source.replace('_', ' ')}</span>
      <b>{(share * 100).toFixed(0)} %</b>
    </div>
  {/each}
{/if}
