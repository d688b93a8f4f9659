<script lang="ts">
  import type { Module } from '../api/api';
  import { titleOf } from '../state/wording';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf, modules, routes } from '../state/document';
  import { inputsOf } from './graph';
  import { BOX, type Box, type Join, type Layout } from './layout';
  import LayoutWorker from './layout.worker?worker';
  import { cut } from '../common/text';

  /** The whole patch in reading order: what is played, sources, processors, destinations; a feedback edge is told. */
  /** How large it may be drawn, and how small before it scrolls. */
  const [LARGEST, SMALLEST] = [1.05, 0.75];
  const WIDE = 940;

  interface Node extends Box {
    text: string;
    under: string;
  }
  interface Edge extends Join {
    says: string;
    /** The route that it belongs to, if any. */
    route: string;
    of: string;
  }

  /** Staves have names of their own, apart from those of sources. */
  const asStave = (name: string): string => `to ${name}`;

  const graph = $derived.by(() => {
    const { patch, catalogue } = workbench;
    if (!patch || !catalogue) return { nodes: [] as Node[], edges: [] as Edge[] };
    const all = modules(patch);
    const inputs = (m: Module): string[] => inputsOf(m, catalogue);
    const read = new Set([...all.flatMap(inputs), ...routes(patch).flatMap((r) => [r.source, r.via])]);
    const owned = (name: string): boolean => name.includes('.') || name.startsWith('route:');
    const staves = [...new Set(routes(patch).map((r) => r.destination))].filter((name) => !owned(name));
    const kindOf = (m: Module): string => catalogue.kinds.find((k) => k.kind === m.kind)?.title ?? m.kind;
    const nodes: Node[] = [
      ...workbench.signals
        .filter((name) => read.has(name))
        .map((name): Node => ({ id: name, text: name.replace('_', ' '), under: 'played', kind: 'signal' })),
      ...all.map((m): Node => ({ id: m.id, text: m.id, under: kindOf(m), kind: 'source' })),
      ...staves.map((name): Node => ({ id: asStave(name), text: titleOf(name), under: 'stave', kind: 'stave' }))
    ];
    const known = new Set(nodes.map((node) => node.id));
    const target = (destination: string): string => {
      if (!owned(destination)) return asStave(destination);
      const route = routes(patch).find((other) => `route:${other.id}.amount` === destination);
      return route?.source ?? destination.split('.')[0]!;
    };
    const edges: Edge[] = [
      ...all.flatMap((m) =>
        inputs(m).map((name, i) => ({
          ...{ id: `${name}>${m.id} ${i}`, from: name, to: m.id, says: `${m.id} reads ${name}` },
          ...{ route: '', of: name }
        }))
      ),
      ...routes(patch).flatMap((r) => {
        const ends = { to: target(r.destination), route: r.id! };
        const says = `${r.source} moves ${titleOf(r.destination)}`;
        const scales = `${r.via} scales how far ${r.source} moves ${titleOf(r.destination)}`;
        return [
          { ...ends, id: r.id!, from: r.source, of: r.source, says },
          ...(r.via ? [{ ...ends, id: `${r.id} via`, from: r.via, of: r.via, says: scales }] : [])
        ];
      })
    ];
    return { nodes, edges: edges.filter(({ from, to }) => known.has(from) && known.has(to)) };
  });

  /** What is shown: the layout that came last, of what it has a place for. Only a change of what joins what asks anew. */
  let laid: Layout | null = $state.raw(null);
  const shape = $derived(
    JSON.stringify([
      graph.nodes.map(({ id, kind }) => ({ id, kind })),
      graph.edges.map(({ id, from, to }) => ({ id, from, to }))
    ])
  );
  $effect(() => {
    const worker = new LayoutWorker();
    worker.onmessage = ({ data }: MessageEvent<Layout>) => (laid = data);
    worker.postMessage([...(JSON.parse(shape) as [Box[], Join[]]), WIDE]);
    return () => worker.terminate();
  });

  const LATE = 'one sample later';
  const says = (edge: Edge): string => (laid?.joins[edge.id]?.back ? `${edge.says}, ${LATE}` : edge.says);
  const whole = (node: Node): string => (node.kind === 'stave' ? node.id.slice(asStave('').length) : node.id);
  const choose = (node: Node): void => {
    if (node.kind === 'source') workbench.chosen = { what: 'source', id: node.id };
    else if (node.kind === 'stave') workbench.chosen = { what: 'stave', id: whole(node) };
  };
  const chosen = (node: Node): boolean => workbench.chosen.what === node.kind && workbench.chosen.id === whole(node);
  const muted = (edge: Edge): boolean =>
    edge.route !== '' && routes(workbench.patch!).find((r) => r.id === edge.route)?.enabled === false;
</script>

<div class="panel">
  <p class="head">
    <span>played</span><span>sources and processors, in the order in which they are made</span><span>staves</span>
  </p>
  {#if graph.nodes.length === 0}
    <p class="none">Nothing is joined yet. Add a source on the note sheet, and let it move a stave.</p>
  {/if}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="scroll" role="region" aria-label="The map" tabindex="0">
    {#if laid}
      {@const { boxes, joins } = laid}
      <svg
        viewBox="0 0 {laid.width} {laid.height}"
        style:width="min(100%, {laid.width * LARGEST}px)"
        style:min-width="{laid.width * SMALLEST}px"
        role="group"
        aria-label="Map of the patch"
      >
        {#each graph.edges.filter((edge) => joins[edge.id]) as edge (edge.id)}
          {@const dye = workbench.patch ? dyeOf(workbench.patch, edge.of) : { colour: 'faint', dash: [] }}
          <path
            d={joins[edge.id]!.path}
            class:picked={edge.route !== '' && workbench.chosen.what === 'route' && workbench.chosen.id === edge.route}
            class:muted={muted(edge)}
            style:stroke="var(--{dye.colour})"
            stroke-dasharray={edge.route ? dye.dash.join(' ') : '1 3'}
            role="button"
            tabindex={edge.route ? 0 : -1}
            aria-label={says(edge)}
            data-hint={says(edge)}
            onclick={() => edge.route && (workbench.chosen = { what: 'route', id: edge.route })}
            onkeydown={(event) =>
              event.key === 'Enter' && edge.route && (workbench.chosen = { what: 'route', id: edge.route })}
          ></path>
        {/each}
        {#each graph.nodes.filter((node) => boxes[node.id]) as node (node.id)}
          {@const dye =
            workbench.patch && node.kind !== 'stave' ? dyeOf(workbench.patch, node.id) : { colour: 'ink', dash: [] }}
          <g
            transform="translate({boxes[node.id]!.x} {boxes[node.id]!.y})"
            role="button"
            tabindex={node.kind === 'signal' ? -1 : 0}
            aria-label="{node.text}, {node.under}"
            class:chosen={chosen(node)}
            class={node.kind}
            onclick={() => choose(node)}
            onkeydown={(event) => event.key === 'Enter' && choose(node)}
          >
            <rect
              width={BOX.width}
              height={BOX.height}
              rx={node.kind === 'stave' ? 2 : 7}
              style:stroke="var(--{dye.colour})"
            />
            <text x="9" y="15" class="name">{node.text.length > 19 ? `${cut(node.text, 18)}…` : node.text}</text>
            <text x="9" y="28" class="under">{node.under}</text>
          </g>
        {/each}
        {#each graph.edges.filter((edge) => joins[edge.id]?.back) as edge (edge.id)}
          {@const { x, y } = joins[edge.id]!.label}
          <text class="late" {x} y={y + 4}>{LATE}</text>
        {/each}
      </svg>
    {:else}
      <p class="none" role="status">Laying out…</p>
    {/if}
  </div>
</div>

<style>
  .head {
    display: flex;
    justify-content: space-between;
    margin: 0;
    padding: 5px 16px;
    font-size: 13px;
    color: var(--faint);
    border-bottom: 1px solid var(--rule);
  }
  .none {
    padding: 10px 16px;
    color: var(--faint);
  }
  .scroll {
    flex: 1;
    overflow: auto;
    scrollbar-width: thin;
  }
  path {
    fill: none;
    stroke-width: 1.6;
    cursor: pointer;
  }
  path.picked,
  path:hover {
    stroke-width: 3.2;
  }
  path.muted {
    opacity: 0.3;
  }
  g {
    cursor: pointer;
  }
  g.signal {
    cursor: default;
  }
  rect {
    fill: var(--raised);
    stroke-width: 1.5;
  }
  g.chosen rect {
    fill: var(--chosen);
    stroke-width: 2.5;
  }
  text {
    fill: var(--ink);
    font-size: 12.5px;
  }
  .name {
    font-weight: 700;
  }
  .under,
  .late {
    fill: var(--faint);
    font-size: 11px;
  }
  .late {
    text-anchor: middle;
    paint-order: stroke;
    stroke: var(--paper);
    stroke-width: 4px;
  }
</style>
