import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { FindingView, Patch } from '../api/api';
import type { Judged } from './judging.svelte';
import { awaited, named } from '../common/testing';

type Answer = { data: { findings: unknown[]; marks: string }; response: { ok: boolean; status: number } };
const judged: { body: { document: Patch }; answer: ReturnType<typeof awaited<Answer>> }[] = [];
const prepared: Patch[] = [];
const post = (path: string, { body }: { body: { document: Patch } }): Promise<unknown> => {
  if (path === '/api/prepare') {
    prepared.push(body.document);
    return Promise.resolve({});
  }
  const answer = awaited<Answer>();
  judged.push({ body, answer });
  return answer.promise;
};
vi.mock('../api/api', async (original) => ({ ...(await original<object>()), api: { POST: post } }));

const found = (marks: string): Answer => ({ data: { findings: [], marks }, response: { ok: true, status: 200 } });

interface Fake extends Judged {
  patch: Patch | null;
  performed?: NonNullable<Judged['performed']>;
}

async function fresh() {
  const { Judging } = await import('./judging.svelte');
  const of: Fake = {
    patch: named('first'),
    edit: vi.fn((_, after: Patch) => void (of.patch = after)),
    act: vi.fn((_, __, after: Patch) => void (of.patch = after)),
    tracing: { hold: vi.fn(), drop: vi.fn() }
  };
  return { of, judging: new Judging(of) };
}

const rest = (ms: number): Promise<unknown> => vi.advanceTimersByTimeAsync(ms);

beforeEach(() => {
  judged.length = prepared.length = 0;
  vi.useFakeTimers();
  return () => vi.useRealTimers();
});

describe('judging', () => {
  it('waits until the hand rests', async () => {
    const { judging } = await fresh();
    for (let i = 0; i < 5; i++) {
      judging.soon();
      await rest(200);
    }
    expect(judged).toHaveLength(0);
    await rest(200);
    expect(judged).toHaveLength(1);
  });

  it('hides no fault of its own, and goes on after one', async () => {
    const { of, judging } = await fresh();
    const faults: unknown[] = [];
    const noted = (fault: unknown): number => faults.push(fault);
    process.on('unhandledRejection', noted);
    judging.soon();
    await rest(400);
    const broken = found('broken');
    Object.defineProperty(broken, 'data', {
      get: () => {
        throw new TypeError('a fault in the page');
      }
    });
    judged[0]!.answer.keep(broken);
    vi.useRealTimers();
    await vi.waitFor(() => expect(faults.map(String)).toEqual(['TypeError: a fault in the page']));
    process.off('unhandledRejection', noted);
    vi.useFakeTimers();
    of.patch = named('second');
    judging.soon();
    await rest(400);
    judged[1]!.answer.keep({ data: undefined as never, response: { ok: false, status: 422 } });
    await rest(0);
    expect(faults).toHaveLength(1);
    of.patch = named('third');
    judging.soon();
    await rest(400);
    expect(judged[2]!.body.document.name).toBe('third');
  });

  it('never shows an old answer over a newer patch, and judges that one next', async () => {
    const { of, judging } = await fresh();
    judging.soon();
    await rest(400);
    of.patch = named('second');
    judging.soon();
    judged[0]!.answer.keep(found('of the first'));
    await rest(0);
    expect(judging.judgement).toBe(null);
    await rest(400);
    expect(judged[1]!.body.document.name).toBe('second');
    judged[1]!.answer.keep(found('of the second'));
    await rest(0);
    expect(judging.judgement).toMatchObject({ marks: 'of the second' });
    expect(prepared.map((p) => p.name)).toEqual(['second']);
  });

  it('is old from the edit on until the present patch is judged', async () => {
    const { of, judging } = await fresh();
    judging.soon();
    await rest(400);
    judged[0]!.answer.keep(found('of the first'));
    await rest(0);
    expect(judging.isOld).toBe(false);
    of.patch = named('second');
    expect(judging.isOld).toBe(true);
    judging.soon();
    await rest(400);
    expect(judging.isOld).toBe(true);
    judged[1]!.answer.keep(found('of the second'));
    await rest(0);
    expect(judging.isOld).toBe(false);
  });

  it('drops the findings of a phrase that is left, and greys those of a phrase that is changed', async () => {
    const { of, judging } = await fresh();
    const play = (performed: NonNullable<Judged['performed']>): void => {
      of.performed = performed;
      judging.anew();
    };
    play({ phrase: { name: 'one' }, voice: 0 });
    judging.soon();
    await rest(400);
    judged[0]!.answer.keep(found('under a phrase'));
    await rest(0);
    play({ phrase: { name: 'one', bars: 3 }, voice: 0 });
    expect(judging.judgement).toMatchObject({ marks: 'under a phrase' });
    expect(judging.isOld).toBe(true);
    play({});
    expect(judging.judgement).toBeNull();
  });

  it('leaves the machine to what is played live', async () => {
    const { judging } = await fresh();
    judging.isLive = true;
    judging.soon();
    await rest(1400);
    expect(judged).toHaveLength(0);
    await rest(200);
    judged[0]!.answer.keep(found(''));
    await rest(0);
    expect(judging.judgement).not.toBe(null);
    expect(prepared).toHaveLength(0);
  });

  it('asks for one judgement at a time, and once for each patch', async () => {
    const { judging } = await fresh();
    judging.soon();
    await rest(400);
    judging.soon();
    await rest(400);
    expect(judged).toHaveLength(1);
    judged[0]!.answer.keep(found(''));
    await rest(400);
    judging.soon();
    await rest(400);
    expect(judged).toHaveLength(1);
  });

  it('goes on after an answer that never came', async () => {
    const { of, judging } = await fresh();
    judging.soon();
    await rest(400);
    judged[0]!.answer.fail(new TypeError('gone'));
    await rest(0);
    of.patch = named('second');
    judging.soon();
    await rest(400);
    expect(judged).toHaveLength(2);
  });
});

describe('mends', () => {
  const finding = { key: 'click: amplitude', fix: 'attack 3 ms', fixed: named('fixed') } as unknown as FindingView;

  it('lie behind until they are taken as one change', async () => {
    const { of, judging } = await fresh();
    judging.try(finding, of.patch);
    expect(of.tracing.hold).toHaveBeenCalledWith('attack 3 ms', named('fixed'));
    expect(of.patch?.name).toBe('first');
    judging.take();
    expect(of.act).toHaveBeenCalledWith('fix', 'fix: attack 3 ms', named('fixed'));
    expect([judging.trying, of.patch?.name]).toEqual([null, 'fixed']);
  });

  it('are never taken over a change made since, but made anew', async () => {
    const { of, judging } = await fresh();
    judging.soon();
    await rest(400);
    judged[0]!.answer.keep({ ...found(''), data: { findings: [finding], marks: '' } });
    await rest(0);
    judging.try(finding);
    of.patch = named('second');
    expect(judging.stale).toBe(true);
    judging.take();
    expect(of.act).not.toHaveBeenCalled();
    expect(of.edit).not.toHaveBeenCalled();
    judging.soon();
    await rest(400);
    const again = { ...finding, fixed: named('second, fixed') };
    judged[1]!.answer.keep({ ...found(''), data: { findings: [again], marks: '' } });
    await rest(0);
    judging.take();
    expect(of.patch.name).toBe('second, fixed');
  });

  it('go when what they fix is gone', async () => {
    const { of, judging } = await fresh();
    judging.try(finding, of.patch);
    of.patch = named('second');
    judging.soon();
    await rest(400);
    judged[0]!.answer.keep(found(''));
    await rest(0);
    expect(judging.trying).toBe(null);
    expect(of.tracing.drop).toHaveBeenCalledOnce();
  });

  it('leave nothing behind when they are left', async () => {
    const { of, judging } = await fresh();
    judging.try(finding);
    judging.leave();
    judging.take();
    expect(of.tracing.drop).toHaveBeenCalledOnce();
    expect(of.act).not.toHaveBeenCalled();
    expect(of.edit).not.toHaveBeenCalled();
  });

  it('do nothing where there is none', async () => {
    const { of, judging } = await fresh();
    judging.try({ key: 'x', fixed: null });
    expect(of.tracing.hold).not.toHaveBeenCalled();
  });
});

describe('what is set aside', () => {
  it('stays with the patch with its reason, once, and can be brought back', async () => {
    const { of, judging } = await fresh();
    const finding = { key: 'loud_jump: cutoff' } as unknown as FindingView;
    judging.setAside(finding, 'wanted');
    judging.setAside(finding, 'still wanted');
    expect(of.patch?.set_aside).toEqual([{ finding: 'loud_jump: cutoff', reason: 'still wanted' }]);
    expect(of.edit).toHaveBeenLastCalledWith('set aside loud jump', expect.anything());
    judging.bringBack('loud_jump: cutoff');
    expect(of.patch?.set_aside).toEqual([]);
  });
});
