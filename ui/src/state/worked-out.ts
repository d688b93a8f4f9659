/** So often a change is worked out anew, where the document moves on each time. */
const MOST = 5;

/** A document that is open, and which it is. */
export interface Open<D> {
  readonly id: string;
  readonly document: D;
}

/**
 * Has a change worked out of the document that is open; where that has moved on meanwhile, out of what it is then.
 * Returns nothing where none is open. A change never lands on another document than it was asked for.
 *
 * @throws Error where another document was opened meanwhile, or this one was changed all the while.
 */
export async function workedOut<D, A>(
  label: string,
  now: () => Open<D> | null,
  ask: (from: D) => Promise<A>
): Promise<A | null> {
  const of = now();
  let from = of;
  for (let tried = 0; of && tried < MOST; tried++) {
    const made = await ask(from!.document);
    const then = now();
    if (then?.id !== of.id) throw new Error(`${label}: another was opened meanwhile; nothing was changed.`);
    if (then.document === from!.document) return made;
    from = then;
  }
  if (of) throw new Error(`${label}: it was being changed all the while; nothing was changed. Ask for it again.`);
  return null;
}
