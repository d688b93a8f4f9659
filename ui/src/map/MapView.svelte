<script lang="ts">
  import type { Module } from '../api/api';
  import { titleOf } from '../state/wording';
  import { workbench } from '../state/workbench.svelte';
  import { dyeOf, modules, routes } from '../state/document';
  import { depths, inputsOf } from './graph';
  import { cut } from '../common/text';

  /** The whole patch in reading order: what is played, sources, processors, destinations; a feedback edge is told. */
  const WIDE = 940;
  const ROW = 34;
  interface Node {
    id: string;
    text: string;
    under: string;
    column: number;
    row: number;
    kind: 'signal' | 'source' | 'stave';
  }

  const graph = $derived.by(() => {
    const { patch, catalogue } = workbench;
    if (!patch || !catalogue) return { nodes: [] as Node[], edges: [] as Edge[], height: 100 };
    const all = modules(patch);
    const ids = all.map((m) => m.id);
    const inputs = (m: Module): string[] => inputsOf(m, catalogue);
    const reads = Object.fromEntries(all.map((m) => [m.id, inputs(m).filter((name) => ids.includes(name))]));
    const depth = depths(ids, reads);
    const deepest = Math.max(0, ...Object.values(depth));
    const played = Object.keys(catalogue.signals).filter(
      (name) =>
        routes(patch).some((r) => r.source === name || r.via === name) || all.some((m) => inputs(m).includes(name))
    );
    const staves = [...new Set(routes(patch).map((r) => r.destination))].filter(
      (name) => !name.includes('.') && !name.startsWith('route:')
    );
    const counts: Record<number, number> = {};
    const place = (id: string, text: string, under: string, column: number, kind: Node['kind']): Node => {
      counts[column] = (counts[column] ?? 0) + 1;
      return { id, text, under, column, row: counts[column]! - 1, kind };
    };
    const nodes = [
      ...played.map((name) => place(name, name.replace('_', ' '), 'played', 0, 'signal')),
      ...all.map((m) =>
        place(m.id, m.id, catalogue.kinds.find((k) => k.kind === m.kind)?.title ?? m.kind, 1 + depth[m.id]!, 'source')
      ),
      ...staves.map((name) => place(name, titleOf(name), 'stave', 2 + deepest, 'stave'))
    ];
    const at = Object.fromEntries(nodes.map((node) => [`${node.kind === 'stave' ? 'to ' : ''}${node.id}`, node]));
    const edges: Edge[] = [];
    const join = (from: Node | undefined, to: Node | undefined, edge: Omit<Edge, 'from' | 'to' | 'back'>): void => {
      if (from && to) edges.push({ ...edge, from, to, back: to.column <= from.column });
    };
    for (const m of all)
      for (const name of inputs(m))
        join(at[name], at[m.id], { id: `${name}>${m.id}`, says: `${m.id} reads ${name}`, route: '', of: name });
    for (const r of routes(patch)) {
      const owner = r.destination.startsWith('route:')
        ? routes(patch).find((other) => `route:${other.id}.amount` === r.destination)?.source
        : r.destination.split('.')[0];
      const to =
        r.destination.includes('.') || r.destination.startsWith('route:') ? at[owner ?? ''] : at[`to ${r.destination}`];
      join(at[r.source], to, {
        id: r.id,
        says: `${r.source} moves ${titleOf(r.destination)}`,
        route: r.id,
        of: r.source
      });
      if (r.via)
        join(at[r.via], to, {
          id: `${r.id} via ${r.via}`,
          says: `${r.via} scales how far ${r.source} moves ${titleOf(r.destination)}`,
          route: r.id,
          of: r.via,
          scales: true
        });
    }
    return { nodes, edges, height: Math.max(...Object.values(counts), 1) * (ROW + 14) + 40, columns: 3 + deepest };
  });

  interface Edge {
    id: string;
    from: Node;
    to: Node;
    back: boolean;
    says: string;
    route: string;
    of: string;
    /** It scales a route instead of moving something. */
    scales?: boolean;
  }

  const columns = $derived((graph as { columns?: number }).columns ?? 3);
  const BOX = $derived(Math.min(150, WIDE / columns - 26));
  const x = (node: Node): number => 10 + node.column * ((WIDE - 20 - BOX) / Math.max(1, columns - 1));
  const y = (node: Node): number => 34 + node.row * (ROW + 14);
  const tall = $derived(Math.max(560, graph.height));

  function path(edge: Edge): string {
    const [x1, y1, x2, y2] = [x(edge.from) + BOX, y(edge.from) + ROW / 2, x(edge.to), y(edge.to) + ROW / 2];
    if (!edge.back) return `M ${x1} ${y1} C ${x1 + 40} ${y1}, ${x2 - 40} ${y2}, ${x2} ${y2}`;
    const under = Math.max(y1, y2) + ROW / 2 + 10;
    return `M ${x1} ${y1} C ${x1 + 26} ${y1}, ${x1 + 26} ${under}, ${x1 - 6} ${under} L ${x2 + 6} ${under} C ${x2 - 26} ${under}, ${x2 - 26} ${y2}, ${x2} ${y2}`;
  }
  const choose = (node: Node): void => {
    if (node.kind === 'source') workbench.chosen = { what: 'source', id: node.id };
    else if (node.kind === 'stave') workbench.chosen = { what: 'stave', id: node.id };
  };
  const chosen = (node: Node): boolean =>
    workbench.chosen.what !== 'patch' && workbench.chosen.what !== 'route' && workbench.chosen.id === node.id;
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
    <svg
      viewBox="0 0 {WIDE} {tall}"
      width="100%"
      style:min-height="{tall * 0.75}px"
      role="group"
      aria-label="Map of the patch"
    >
      {#each graph.edges as edge (edge.id)}
        {@const dye = workbench.patch ? dyeOf(workbench.patch, edge.of) : { colour: 'faint', dash: [] }}
        <path
          d={path(edge)}
          class:picked={edge.route !== '' && workbench.chosen.what === 'route' && workbench.chosen.id === edge.route}
          class:muted={muted(edge)}
          style:stroke="var(--{dye.colour})"
          stroke-dasharray={edge.route ? dye.dash.join(' ') : '1 3'}
          role="button"
          tabindex={edge.route ? 0 : -1}
          aria-label={edge.says + (edge.back ? ', one sample later' : '')}
          onclick={() => edge.route && (workbench.chosen = { what: 'route', id: edge.route })}
          onkeydown={(event) =>
            event.key === 'Enter' && edge.route && (workbench.chosen = { what: 'route', id: edge.route })}
          ><title>{edge.says}{edge.back ? ', one sample later' : ''}</title></path
        >
      {/each}
      {#each graph.nodes as node (node.kind + node.id)}
        {@const dye =
          workbench.patch && node.kind !== 'stave' ? dyeOf(workbench.patch, node.id) : { colour: 'ink', dash: [] }}
        <g
          transform="translate({x(node)} {y(node)})"
          role="button"
          tabindex={node.kind === 'signal' ? -1 : 0}
          aria-label="{node.text}, {node.under}"
          class:chosen={chosen(node)}
          class={node.kind}
          onclick={() => choose(node)}
          onkeydown={(event) => event.key === 'Enter' && choose(node)}
        >
          <rect width={BOX} height={ROW} rx={node.kind === 'stave' ? 2 : 7} style:stroke="var(--{dye.colour})" />
          <text x="9" y="15" class="name">{node.text.length > 19 ? `${cut(node.text, 18)}…` : node.text}</text>
          <text x="9" y="28" class="under">{node.under}</text>
        </g>
      {/each}
      {#each graph.edges.filter((edge) => edge.back) as edge (edge.id)}
        <text class="late" x={(x(edge.from) + BOX + x(edge.to)) / 2} y={Math.max(y(edge.from), y(edge.to)) + ROW + 13}
          >one sample later</text
        >
      {/each}
    </svg>
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
