/** What a stave comes to at other keys and velocities. */
import { api, asBody, unwrap, type Patch } from '../api/api';
import type { components } from '../api/schema.gen';
import type { Performed } from '../session/session';
import { FULL_RATE } from '../api/facts.gen';

export type Measures = components['schemas']['Measures'];
export type Reached = components['schemas']['Reached'];

/** Asks for the figures of a lane at each key and velocity. */
export async function reached(
  patch: Patch,
  lane: string,
  keys: number[],
  velocities: number[],
  signal: AbortSignal | null = null,
  performed: Performed = {}
): Promise<Reached[]> {
  const body = { document: asBody(patch), ...performed, lane, keys, velocities, rate: FULL_RATE };
  // The generated answer says lists where the form has fixed lengths.
  return (await unwrap(api.POST('/api/reached', { body, signal }))) as Reached[];
}
