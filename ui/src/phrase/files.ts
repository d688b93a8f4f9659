/** Phrases from files and to them. */
import { api, asBody, Refused, unwrap, type Phrase } from '../api/api';
import { messages } from '../state/messages.svelte';
import { base64Of, made, saveDocument, saveFile, stemOf } from '../state/files';
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
  const body = { what, data: await base64Of(file), name };
  const giveUp = new AbortController();
  const asked = unwrap(api.POST('/api/phrase/from-file', { body, signal: giveUp.signal }));
  const read = await messages.while(`Reading ${file.name}…`, asked, () => giveUp.abort());
  for (const remark of read.remarks ?? []) messages.say(remark);
  return read.phrase as unknown as Phrase;
}

/** Hands a phrase over as its document. */
export const savePhrase = (phrase: Phrase): void => saveDocument(phrase, 'phrase');

/** What of a patch is written as controllers: lanes by their numbers, in 7 bits or in 14, or as a machine has them. */
export interface Controllers {
  document: Record<string, unknown>;
  lanes?: Record<string, string>;
  fine?: boolean;
  card?: Record<string, unknown>;
}

/** Hands a phrase over as a MIDI file. */
export async function saveMidi(phrase: Phrase, controllers?: Controllers): Promise<void> {
  const answer = await made('/api/phrase/file.mid', { phrase: asBody(phrase), ...controllers });
  saveFile(await answer.blob(), `${stemOf(phrase.name, 'phrase')}.mid`);
}
