/** The API, typed from its own schema. */
import createClient from 'openapi-fetch';
import type { components, paths } from './schema.gen';

type Schemas = components['schemas'];
export type Patch = Schemas['Patch'];
export type Phrase = Schemas['Phrase'];
export type PhraseNote = Schemas['PhraseNote'];
export type Hit = Schemas['Hit'];
export type Strike = Schemas['Strike'];
export type Module = NonNullable<Patch['modules']>[number];
export type Curve = Schemas['Curve'];
export type Route = Schemas['Route'];
export type Catalogue = Schemas['Catalogue'];
export type KindFacts = Schemas['KindFacts'];
export type FieldFacts = Schemas['FieldFacts'];
export type Changed = Schemas['Changed'];
export type Head = Schemas['Head'];
export type Kept = Schemas['Kept'];
export type Revision = Schemas['Revision'];
export type Handle = Schemas['Handle'];
export type SheetWire = Schemas['Sheet'];
export type VoiceWire = Schemas['VoiceView'];
export type RowWire = Schemas['Row'];
export type Judgement = Schemas['Judgement'];
export type FindingView = Schemas['FindingView'];
export type Place = Schemas['Place'];
export type Measures = Schemas['Measures'];
export type Job = Schemas['Job'];
export type JobRequest = paths['/api/jobs/{job_id}']['put']['requestBody']['content']['application/json'];
export type LaneView = Schemas['LaneView'];
export type FromWindow = Schemas['FromWindow'];
export type ToWindow = Schemas['ToWindow'];
export type View = Schemas['View'];
export type NoteView = Schemas['NoteView'];

export const api = createClient<paths>({ baseUrl: '' });

/** A request that was refused: the sentence says where, what was found and what would do. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    sentence: string
  ) {
    super(sentence);
  }
}

/** The server does not answer at all. */
export class Unreachable extends Error {
  constructor() {
    super('Jorvik itself does not answer. Your work is kept in this window.');
  }
}

/** Returns true for the error of a request that was refused, not answered or given up; false for a fault of the page. */
export const isNoAnswer = (error: unknown): boolean =>
  error instanceof Refused || error instanceof Unreachable || error instanceof DOMException;

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Returns the data of an answer, or throws Refused or Unreachable. */
export async function unwrap<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await request;
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new Unreachable();
  }
  if (answer.response.ok) return answer.data as T;
  const said = answer.error as { sentence?: string } | undefined;
  throw new Refused(
    answer.response.status,
    said?.sentence ?? `The request failed with status ${answer.response.status}.`
  );
}

/** A document as the API takes it: a plain object. */
export function asBody(document: object): Record<string, unknown> {
  return document as Record<string, unknown>;
}
