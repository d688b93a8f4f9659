import { describe, expect, it, vi } from 'vitest';
import { DRAFT_RATE, FULL_RATE } from '../api/facts.gen';
import type { Judgement, Patch } from '../api/api';
import { named } from '../common/testing';
import { applied } from './operations';
import { sessionOf, sheetOf } from './testing';

const view = { columns: 100, from_s: 0, to_s: null };
const performed = {};
const of = (patch: Patch) => ({ patch, performed });

function opened() {
  const { session, sent } = sessionOf();
  const told = { sheet: vi.fn(), voices: vi.fn(), judged: vi.fn(), refused: vi.fn(), failed: vi.fn() };
  session.listen(told);
  const first = of({ ...named('first'), modules: [{ id: 'lip', kind: 'envelope' }] } as Patch);
  session.open(first);
  const [open] = sent.take('open');
  return { session, sent, told, first, open: open! };
}

describe('a session', () => {
  it('sends the document once, and then what changed', () => {
    const { session, sent, first, open } = opened();
    expect(open.document).toEqual({ patch: first.patch, performed: {} });
    const second = of({ ...first.patch, name: 'second' });
    session.edit(second, FULL_RATE);
    session.edit(of({ ...second.patch, notes: 'x'.repeat(9) }), DRAFT_RATE);
    const edits = sent.take('edit');
    expect(edits.map(({ rate }) => rate)).toEqual([FULL_RATE, DRAFT_RATE]);
    expect(edits[0]!.operations).toEqual([{ op: 'set', at: ['patch', 'name'], value: 'second', keys: {} }]);
    expect(edits[1]!.operations).toHaveLength(1);
    expect(edits.map(({ revision }) => revision - open.revision)).toEqual([1, 2]);
    expect(sent.take('open')).toEqual([]);
  });

  it('leads the server to every document by operations, items inserted, renamed, moved and removed', () => {
    const { session, sent, first } = opened();
    let there: object = { patch: structuredClone(first.patch), performed: {} };
    const module = (id: string) => ({ id, kind: 'envelope' });
    for (const ids of [['lip', 'swell'], ['swell', 'lip'], ['swell', 'mouth'], ['shake', 'swell', 'mouth'], []]) {
      const next = of({ ...first.patch, modules: ids.map(module) } as Patch);
      session.edit(next, FULL_RATE);
      for (const { operations } of sent.take('edit')) there = applied(there, operations);
      expect(there).toEqual({ patch: next.patch, performed: {} });
    }
  });

  it('says of each answer which document it is of, and ignores those of a patch that was left', () => {
    const { session, told, first, open } = opened();
    session.message(sheetOf(open.revision), []);
    expect(told.sheet).toHaveBeenCalledExactlyOnceWith(first, sheetOf(open.revision), []);
    session.open(of(named('another')));
    const judgement = { findings: [] } as unknown as Judgement;
    session.message({ type: 'judged', revision: open.revision, judgement }, []);
    expect(told.judged).not.toHaveBeenCalled();
  });

  it('asks again for the sheet of the same document', () => {
    const { session, sent, first } = opened();
    session.show(view, FULL_RATE);
    session.edit(first, FULL_RATE);
    expect(sent.take('view')).toHaveLength(2);
    expect(sent.take('edit')).toEqual([]);
  });

  it('sends the document as it is now, and the view, when the server has lost it or the connection was lost', () => {
    const { session, sent, first, open } = opened();
    session.show(view, FULL_RATE);
    session.live(true);
    const second = of({ ...first.patch, name: 'second' });
    session.edit(second, FULL_RATE);
    sent.messages = [];
    session.message({ type: 'lost' }, []);
    expect(sent.messages.map(({ type }) => type)).toEqual(['open', 'view']);
    expect(sent.take('open')[0]!.document).toEqual({ patch: second.patch, performed: {} });
    sent.isOpen = false;
    session.lost();
    session.edit(of({ ...second.patch, name: 'away' }), FULL_RATE);
    sent.isOpen = true;
    sent.messages = [];
    session.opened();
    expect(sent.messages.map(({ type }) => type)).toEqual(['open', 'view', 'live']);
    const [again] = sent.take('open');
    expect(again!.document.patch['name']).toBe('away');
    expect(again!.revision).toBeGreaterThan(open.revision + 2);
  });

  it('tells what is not valid, and what could not be done', () => {
    const { session, told, first, open } = opened();
    session.message({ type: 'refused', revision: open.revision, sentence: 'no such source' }, []);
    expect(told.refused).toHaveBeenCalledExactlyOnceWith(first, 'no such source');
    session.message({ type: 'failed', of: 'sheet', sentence: 'busy' }, []);
    session.message({ type: 'failed', of: 'judgement', sentence: 'busy too' }, []);
    expect(told.failed.mock.calls).toEqual([['busy']]);
    session.lost();
    expect(told.failed.mock.lastCall?.[0]).toContain('does not answer');
  });
});

describe('a sound of a session', () => {
  const sound = (request: number) =>
    ({ type: 'sound', request, limited_db: 1, loudness_lufs: -20, centroid_hz: 800, wav: 1 }) as const;

  it('comes to the one who asked, in any order', async () => {
    const { session, sent } = opened();
    const { signal } = new AbortController();
    const [soft, hard] = [session.hear({ velocity: 40 }, signal), session.hear({ velocity: 118 }, signal)];
    const asked = sent.take('hear');
    expect(asked.map(({ velocity }) => velocity)).toEqual([40, 118]);
    session.message(sound(asked[1]!.request), [new Uint8Array(1), Uint8Array.of(1, 18)]);
    session.message(sound(asked[0]!.request), [new Uint8Array(1), Uint8Array.of(40)]);
    expect([...new Uint8Array((await hard).wav)]).toEqual([1, 18]);
    expect(await soft).toEqual({ wav: Uint8Array.of(40).buffer, limitedDb: 1, loudness: -20, centroid: 800 });
  });

  it('is asked for again when the server has lost the document', async () => {
    const { session, sent } = opened();
    const soft = session.hear({ velocity: 40 }, new AbortController().signal);
    const [asked] = sent.take('hear');
    session.message({ type: 'lost' }, []);
    expect(sent.messages.map(({ type }) => type)).toEqual(['open', 'hear']);
    expect(sent.take('hear')).toEqual([asked]);
    session.message(sound(asked!.request), [new Uint8Array(1), Uint8Array.of(40)]);
    expect((await soft).loudness).toBe(-20);
  });

  it('is given up, refused, or lost with the connection', async () => {
    const { session, sent } = opened();
    const abort = new AbortController();
    const stopped = session.hear({}, abort.signal);
    abort.abort();
    await expect(stopped).rejects.toMatchObject({ name: 'AbortError' });
    expect(sent.take('stop')).toEqual([{ type: 'stop', request: sent.take('hear')[0]!.request }]);
    const { signal } = new AbortController();
    const refused = session.hear({ velocity: 500 }, signal);
    session.message({ type: 'failed', of: 'sound', request: sent.take('hear')[0]!.request, sentence: 'found 500' }, []);
    await expect(refused).rejects.toThrow('found 500');
    const lost = session.hear({}, signal);
    session.lost();
    await expect(lost).rejects.toThrow('does not answer');
    sent.isOpen = false;
    await expect(session.hear({}, signal)).rejects.toThrow('does not answer');
  });
});
