/** Phrases from files and to them. */
import { api, asBody, Refused, unwrap, type Phrase } from '../api/api';
import { messages } from '../state/messages.svelte';
import { saveFile } from '../state/files';
import { cut } from '../common/text';

const MOST_BYTES = 30_000_000;

/** Returns the phrase in a file: a phrase document, a MIDI file, or the strokes in the recording of a beat. */
export async function readPhrase(file: File): Promise<Phrase> {
  if (file.size > MOST_BYTES)
    throw new Refused(413, `${file.name}: found ${Math.round(file.size / 1e6)} MB; it must be 30 MB at most.`);
  const name = cut(file.name.replace(/\.[^.]*$/, ''), 120);
  if (/\.json$/i.test(file.name)) {
    const body = { text: await file.text() };
    return unwrap(api.POST('/api/phrase/read', { body }));
  }
  const what = /\.wav$/i.test(file.name) ? ('beat' as const) : ('midi' as const);
  const body = { what, data: base64(new Uint8Array(await file.arrayBuffer())), name };
  const giveUp = new AbortController();
  const asked = unwrap(api.POST('/api/phrase/from-file', { body, signal: giveUp.signal }));
  const made = await messages.while(`Reading ${file.name}…`, asked, () => giveUp.abort());
  for (const remark of made.remarks ?? []) messages.say(remark);
  return made.phrase as unknown as Phrase;
}

const stemOf = (phrase: Phrase): string =>
  (phrase.name ?? 'phrase').replace(/[^\p{L}\p{N} _-]/gu, '').trim() || 'phrase';

/** Hands a phrase over as its document. */
export function savePhrase(phrase: Phrase): void {
  saveFile(new Blob([JSON.stringify(phrase, null, 2) + '\n'], { type: 'application/json' }), `${stemOf(phrase)}.json`);
}

/** Lanes of a patch that are written as controllers, by their numbers, in 7 bits or in 14. */
export interface Controllers {
  document: Record<string, unknown>;
  lanes: Record<string, string>;
  fine: boolean;
}

/** Hands a phrase over as a MIDI file. */
export async function saveMidi(phrase: Phrase, controllers?: Controllers): Promise<void> {
  const answer = await fetch('/api/phrase/file.mid', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ phrase: asBody(phrase), ...controllers })
  });
  if (!answer.ok) throw new Refused(answer.status, ((await answer.json()) as { sentence: string }).sentence);
  saveFile(await answer.blob(), `${stemOf(phrase)}.mid`);
}

function base64(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length; i += 0x8000) text += String.fromCharCode(...bytes.subarray(i, i + 0x8000));
  return btoa(text);
}
