import { describe, expect, it, vi } from 'vitest';
import type { FindingView, Judgement, Patch } from '../api/api';
import { named } from '../common/testing';
import { sessionOf } from '../session/testing';
import type { Judged } from './judging.svelte';

const found = (marks: string, findings: unknown[] = []) => ({ findings, marks }) as unknown as Judgement;

interface Fake extends Judged {
  patch: Patch | null;
  performed: Judged['performed'];
}

async function fresh() {
  const { Judging } = await import('./judging.svelte');
  const of: Fake = {
    patch: named('first'),
    performed: {},
    edit: vi.fn((_, after: Patch) => void (of.patch = after)),
    act: vi.fn((_, __, after: Patch) => void (of.patch = after)),
    tracing: { hold: vi.fn(), drop: vi.fn() }
  };
  const { session, sent } = sessionOf();
  const judging = new Judging(of, session);
  session.open({ patch: of.patch!, performed: of.performed });
  /** Shows the document as it is now, and returns what judges it. */
  const shown = (): ((judgement: Judgement) => void) => {
    session.edit({ patch: of.patch!, performed: of.performed }, 48_000);
    const { revision } = [...sent.messages].reverse().find((message) => 'revision' in message) as { revision: number };
    return (judgement) => session.message({ type: 'judged', revision, judgement }, []);
  };
  return { of, judging, sent, shown };
}

describe('judging', () => {
  it('never shows an old answer over a newer patch', async () => {
    const { of, judging, shown } = await fresh();
    const first = shown();
    of.patch = named('second');
    const second = shown();
    first(found('of the first'));
    expect(judging.judgement).toBe(null);
    second(found('of the second'));
    expect(judging.judgement).toMatchObject({ marks: 'of the second' });
  });

  it('is old from the edit on until the present patch is judged', async () => {
    const { of, judging, shown } = await fresh();
    shown()(found('of the first'));
    expect(judging.isOld).toBe(false);
    of.patch = named('second');
    expect(judging.isOld).toBe(true);
    const second = shown();
    expect(judging.isOld).toBe(true);
    second(found('of the second'));
    expect(judging.isOld).toBe(false);
  });

  it('drops the findings of a phrase that is left, and greys those of a phrase that is changed', async () => {
    const { of, judging, shown } = await fresh();
    const play = (performed: Judged['performed']): void => {
      of.performed = performed;
      judging.anew();
    };
    play({ phrase: { name: 'one' }, voice: 0 });
    shown()(found('under a phrase'));
    play({ phrase: { name: 'one', bars: 3 }, voice: 0 });
    expect(judging.judgement).toMatchObject({ marks: 'under a phrase' });
    expect(judging.isOld).toBe(true);
    play({});
    expect(judging.judgement).toBeNull();
  });

  it('is asked for again by who hears otherwise', async () => {
    const { judging, sent } = await fresh();
    judging.again();
    expect(sent.take('judge')).toHaveLength(1);
  });

  it('makes whole patches of the fixes, which come as operations', async () => {
    const { of, judging, shown } = await fresh();
    const operations = [{ op: 'set', at: ['name'], value: 'mended' }];
    shown()(found('', [{ key: 'click', operations }, { key: 'no fix' }]));
    expect(judging.findings.map(({ fixed }) => fixed?.['name'])).toEqual(['mended', undefined]);
    expect(of.patch!.name).toBe('first');
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
    const { of, judging, shown } = await fresh();
    const fixes = (name: string) => [
      { ...finding, fixed: null, operations: [{ op: 'set', at: ['name'], value: name }] }
    ];
    shown()(found('', fixes('fixed')));
    judging.try(judging.findings[0]!);
    of.patch = named('second');
    expect(judging.stale).toBe(true);
    judging.take();
    expect(of.act).not.toHaveBeenCalled();
    expect(of.edit).not.toHaveBeenCalled();
    shown()(found('', fixes('second, fixed')));
    judging.take();
    expect(of.patch.name).toBe('second, fixed');
  });

  it('go when what they fix is gone', async () => {
    const { of, judging, shown } = await fresh();
    judging.try(finding, of.patch);
    of.patch = named('second');
    shown()(found(''));
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
