/** What reads what, told from the catalogue: which fields of a module are inputs, so that the map draws no edge for a text that happens to be a name. */
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
