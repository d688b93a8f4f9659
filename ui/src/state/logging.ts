/** What enters itself in the logbook: it is sent on, and nothing waits for it. */
import { api, unwrap } from '../api/api';
import type { components } from '../api/schema.gen';
import { cut } from '../common/text';
import { messages } from './messages.svelte';

export type LoggedAct = components['schemas']['NewEntry']['act'];
type Body = Record<string, unknown>;

export function enter(act: LoggedAct, title: string, id: string | undefined, before: Body | null, after: Body): void {
  const document_id = id || null;
  const body = { act, title: cut(title, 400), document_id, before, after };
  void messages.attempt(async () => void (await unwrap(api.POST('/api/log', { body }))));
}
