import { describe, expect, it, vi } from 'vitest';
import type { Patch } from '../api/api';
import { Live } from './live.svelte';

describe('played live', () => {
  it('does not begin after all where it was ended while it began', async () => {
    const addModule = vi.fn(async () => {});
    let opened: (made: [AudioContext, AudioNode]) => void = () => {};
    const live = new Live({ opened: () => new Promise((done) => (opened = done)) });
    const begun = live.begin({} as Patch);
    expect(live.state).toBe('starting');
    live.end();
    opened([{ sampleRate: 48_000, audioWorklet: { addModule } } as unknown as AudioContext, {} as AudioNode]);
    await begun;
    expect(addModule).not.toHaveBeenCalled();
    expect(live.state).toBe('off');
    expect(live.session).toBeNull();
  });

  it('knows which keys are held, whatever holds them', () => {
    const live = new Live({ opened: () => new Promise(() => {}) });
    for (const key of [60, 64]) live.strike(key, 90);
    live.release(64);
    expect([...live.down]).toEqual([60]);
    live.hold(true);
    live.release(60);
    live.strike(67, 90);
    expect([...live.down]).toEqual([60, 67]);
    live.hold(false);
    expect([...live.down]).toEqual([67]);
    live.panic();
    expect([...live.down]).toEqual([]);
  });
});
