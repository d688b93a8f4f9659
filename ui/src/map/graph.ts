/** What reads what, told from the catalogue: which fields of a module are inputs, and how deep each module lies. */
import type { Catalogue, Module } from '../api/api';

/** Returns the signals that a module reads, its numbers left out. */
export function inputsOf(module: Module, catalogue: Catalogue): string[] {
  const values = module as unknown as Record<string, unknown>;
  const fields = catalogue.kinds.find((kind) => kind.kind === module.kind)?.fields ?? [];
  return fields.flatMap((field) => {
    const value = values[field.name];
    if (field.role === 'signal') return typeof value === 'string' ? [value] : [];
    if (field.role !== 'mix_inputs' || !Array.isArray(value)) return [];
    return (value as { source?: unknown }[]).flatMap(({ source }) => (typeof source === 'string' ? [source] : []));
  });
}

/**
 * Returns how deep each node lies: one more than the deepest that it reads. A loop is cut where a walk in the given
 * order comes back to what it is in the middle of, so that every edge is looked at once.
 */
export function depths(
  ids: readonly string[],
  reads: Readonly<Record<string, readonly string[]>>
): Record<string, number> {
  const depth: Record<string, number> = {};
  const underWay = new Set<string>();
  const visit = (id: string): number => {
    if (depth[id] !== undefined) return depth[id];
    underWay.add(id);
    let deepest = -1;
    for (const name of reads[id] ?? []) if (!underWay.has(name)) deepest = Math.max(deepest, visit(name));
    underWay.delete(id);
    return (depth[id] = deepest + 1);
  };
  for (const id of ids) visit(id);
  return depth;
}
