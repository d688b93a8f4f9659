import { describe, expect, it, vi } from 'vitest';
import { Machine } from './machine.svelte';

type Bench = ConstructorParameters<typeof Machine>[0];

/** Cards that were asked for and are not answered yet, by what they are called. */
const asked = vi.hoisted(() => new Map<string, (answer: unknown) => void>());
vi.mock('../state/library', () => ({}));
vi.mock('../api/api', () => ({
  api: {
    GET: (_: string, { params }: { params: { path: { document_id: string } } }) =>
      new Promise((answer) => asked.set(params.path.document_id, answer)),
    POST: () => Promise.resolve({ rows: [], cannot: [], missing: [], assigned: {}, patch: {} })
  },
  asBody: (patch: unknown) => patch,
  unwrap: (answer: unknown) => answer
}));
const answer = (id: string): void => asked.get(id)!({ sequence: 1, document: { name: id } });

describe('a machine that is chosen', () => {
  it('is the last that was chosen, whichever answer comes last, with what was said of it since', async () => {
    const machine = new Machine({ patch: { modules: [{ id: 'lip' }] } } as unknown as Bench);
    const both = [machine.choose('first'), machine.choose('second')];
    answer('second');
    await both[1];
    machine.give('lip', 'envelope 2');
    answer('first');
    await both[0];
    expect(machine.card?.name).toBe('second');
    expect(machine.assigned).toEqual({ lip: 'envelope 2' });
  });

  it('does not keep the figures of another', async () => {
    const machine = new Machine({ patch: { modules: [] } } as unknown as Bench);
    const first = machine.choose('first');
    answer('first');
    await first;
    machine.figures = { Cut: '5' };
    expect(machine.found).not.toBeNull();
    void machine.choose('second');
    expect([machine.found, machine.card, machine.figures]).toEqual([null, null, {}]);
  });
});
