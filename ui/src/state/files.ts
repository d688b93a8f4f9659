/** Patches, sounds and traces to and from the disk. */
import { api, asBody, Refused, unwrap, type Job, type Patch } from '../api/api';
import { messages } from './messages.svelte';
import { addTable } from './actions';
import { cut } from '../common/text';

const MOST_BYTES = 4_000_000;

/** Returns a name as the names of files have it: small letters, figures and hyphens. */
export function stemOf(name: string | undefined, otherwise: string): string {
  const stem = (name ?? '').toLowerCase().replace(/[^\p{L}\p{N}]+/gu, '-');
  return stem.replace(/^-|-$/g, '') || otherwise;
}

const fileName = (patch: Patch, ending: string): string => `${stemOf(patch.name, 'patch')}${ending}`;

/** Has the server make a file of what is sent; throws Refused with its sentence where it does not. */
export async function made(path: string, sent: Record<string, unknown>, signal?: AbortSignal): Promise<Response> {
  const headers = { 'Content-Type': 'application/json' };
  const answer = await fetch(path, { method: 'POST', headers, body: JSON.stringify(sent), signal: signal ?? null });
  if (!answer.ok) throw new Refused(answer.status, ((await answer.json()) as { sentence: string }).sentence);
  return answer;
}

export function saveFile(blob: Blob, name: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Hands a document over as a file. */
export function saveDocument(document: { name?: string }, otherwise: string): void {
  const blob = new Blob([JSON.stringify(document, null, 2) + '\n'], { type: 'application/json' });
  saveFile(blob, `${stemOf(document.name, otherwise)}.json`);
}

/** Has the server make a file of a patch and hands it over; returns the answer's headers. */
export async function downloadMade(
  patch: Patch,
  what: 'trace.csv' | 'table.wav',
  how: Record<string, unknown> = {},
  ending = what === 'trace.csv' ? '.csv' : '.wav'
): Promise<Headers> {
  const giveUp = new AbortController();
  const stop = (): void => giveUp.abort();
  const asked = made(`/api/${what}`, { document: asBody(patch), ...how }, giveUp.signal);
  const answer = await messages.while(`Making ${fileName(patch, ending)}…`, asked, stop);
  saveFile(await messages.while(`Reading ${fileName(patch, ending)}…`, answer.blob(), stop), fileName(patch, ending));
  return answer.headers;
}

/** Hands over what a job made. */
export function saveResult(job: Job): void {
  const link = document.createElement('a');
  link.href = `/api/jobs/${job.id}/result`;
  link.download = job.file_name;
  link.click();
}

/** Returns the patch in a file; throws Refused with a sentence when there is none in it. */
export async function readPatch(file: File): Promise<Patch> {
  if (file.size > MOST_BYTES) {
    throw new Refused(
      413,
      `${file.name}: found ${Math.round(file.size / 1e6)} MB; it must be a patch of 4 MB at most.`
    );
  }
  const text = await file.text();
  try {
    return (await unwrap(api.POST('/api/read', { body: { text } }))) as Patch;
  } catch (error) {
    if (error instanceof Refused) throw new Refused(error.status, `${file.name}, ${error.message}`);
    throw error;
  }
}

/** Returns a file's bytes as base64, as requests carry them. */
export async function base64Of(file: Blob): Promise<string> {
  const reader = new FileReader();
  const url = await new Promise<string>((done, failed) => {
    reader.onload = () => done(reader.result as string);
    reader.onerror = () => failed(new Error('The file could not be read.'));
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(',') + 1);
}

/** Reads a recorded sound into a recording that a patch can carry; says what was left out. */
export async function readRecording(
  file: Blob,
  name: string,
  key: number
): Promise<{ recording: Record<string, unknown>; seconds: number }> {
  const body = { data: await base64Of(file), name: cut(name, 120), key };
  const read = await unwrap(api.POST('/api/recording', { body }));
  if (read.remark) messages.say(read.remark);
  return read;
}

/** Reads single cycles from a WAV file into a table of the patch's own, and lets oscillator 1 use it. */
export async function readCycles(file: File, frameLength: number | null = null): Promise<void> {
  if (file.size > 6_000_000)
    throw new Refused(413, `${file.name}: found ${Math.round(file.size / 1e6)} MB; it must be 6 MB at most.`);
  const body = { data: await base64Of(file), frame_length: frameLength };
  const read = await unwrap(api.POST('/api/cycles', { body }));
  const name = addTable(cut(file.name.replace(/\.[^.]*$/, '').replace(/[.:]/g, ' '), 40).trim() || 'read', {
    cycles: read.cycles
  });
  const said = `${name}: ${read.frames} frames of ${read.frame_length} samples. ${read.remark}`;
  const retry = (length: number) => () => void messages.attempt(() => readCycles(file, length));
  const other = read.frame_length === 2048 ? 1024 : 2048;
  messages.say(said, false, { label: `Read as frames of ${other}`, run: retry(other) });
}
