import { describe, expect, it } from 'vitest';
import { workedOut, type Open } from './worked-out';

/** Doubles a number that somebody else moves on meanwhile, so many times. */
async function doubled(moves: number, other = false): Promise<{ made: number | null; asked: number[] }> {
  let open: Open<number> = { id: 'one', document: 1 };
  const asked: number[] = [];
  const ask = (from: number): Promise<number> => {
    asked.push(from);
    if (asked.length <= moves) open = { id: other ? 'two' : 'one', document: open.document + 10 };
    return Promise.resolve(2 * from);
  };
  return { made: await workedOut('twice', () => open, ask), asked };
}

describe('a change that is worked out elsewhere', () => {
  it('is of the document as it stands when it comes', async () => {
    expect(await doubled(0)).toEqual({ made: 2, asked: [1] });
    expect(await doubled(2)).toEqual({ made: 42, asked: [1, 11, 21] });
  });

  it('never lands on another document, and says so', async () => {
    await expect(doubled(1, true)).rejects.toThrow('twice: another was opened meanwhile');
  });

  it('says where it could not be made because the document kept moving', async () => {
    await expect(doubled(100)).rejects.toThrow('Ask for it again');
  });

  it('is none where nothing is open', async () => {
    expect(
      await workedOut(
        'twice',
        () => null,
        () => Promise.resolve(2)
      )
    ).toBeNull();
  });
});
