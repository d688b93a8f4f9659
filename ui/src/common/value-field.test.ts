// @vitest-environment happy-dom
import { cleanup, fireEvent, render, screen } from '@testing-library/svelte';
import { tick } from 'svelte';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { drawNothing } from './testing';
import ValueField from './ValueField.svelte';

const { server, bench, said } = await vi.hoisted(async () => ({
  server: new (await import('./testing')).Unhurried(),
  said: [] as string[],
  bench: {
    id: 'p1',
    tempo: 90,
    beatsPerBar: 4,
    steps: { earlier: () => [] as number[] },
    settling: (work: Promise<void>) => work
  }
}));
vi.mock('../api/api', () => ({
  api: server.api,
  unwrap: async (answer: Promise<{ refused?: string }>) => {
    const found = await answer;
    if (found.refused) throw new Error(found.refused);
    return found;
  }
}));
vi.mock('../state/messages.svelte', () => ({ messages: { say: (text: string) => said.push(text) } }));
vi.mock('../state/workbench.svelte', () => ({ workbench: bench }));

drawNothing();
const oncommit = vi.fn();
const field = (): HTMLInputElement => screen.getByLabelText('Attack');

function show(more: Record<string, unknown> = {}): void {
  render(ValueField, { label: 'Attack', value: 0.1, unit: 's', oncommit, ...more } as never);
}

async function typed(text: string): Promise<void> {
  await fireEvent.input(field(), { target: { value: text } });
  await fireEvent.keyDown(field(), { key: 'Enter' });
}

beforeEach(() => {
  oncommit.mockClear();
  said.length = 0;
  bench.id = 'p1';
});
afterEach(() => {
  cleanup();
  server.forget();
});

it('commits what the server understands of a typed text', async () => {
  show();
  await typed('1/8');
  await server.answer('"text":"1/8"', { value: '1/8' });
  expect(oncommit.mock.calls).toEqual([['1/8', '']]);
});

it('keeps a refused text with its reason, and goes back to the value by Escape', async () => {
  show();
  await typed('90 s');
  await server.answer('90 s', { refused: 'Attack: 90 s is too long; the maximum is 60 s.' });
  expect(screen.getByText(/the maximum is 60 s/)).toBeTruthy();
  expect(field().value).toBe('90 s');
  await fireEvent.keyDown(field(), { key: 'Escape' });
  expect(field().value).toBe('100 ms');
  expect(oncommit).not.toHaveBeenCalled();
});

it('drops an answer to an older text', async () => {
  show();
  await typed('1 s');
  await typed('2 s');
  await server.answer('"1 s"', { value: 1 });
  expect(oncommit).not.toHaveBeenCalled();
  await server.answer('"2 s"', { value: 2 });
  expect(oncommit.mock.calls).toEqual([[2, '']]);
});

it('does not set a value in another patch that was opened meanwhile', async () => {
  show();
  await typed('1 s');
  bench.id = 'p2';
  await server.answer('"1 s"', { value: 1 });
  expect(oncommit).not.toHaveBeenCalled();
  expect(said).toHaveLength(1);
});

it('asks for nothing where the text is the value', async () => {
  show();
  await typed('100 ms');
  await tick();
  await expect(server.answer('100 ms', {})).rejects.toThrow('nobody asked');
});

it('nudges times by a ratio, other values by a step, and stays within the range', async () => {
  show();
  await fireEvent.keyDown(field(), { key: 'ArrowUp' });
  await fireEvent.keyDown(field(), { key: 'ArrowDown', shiftKey: true });
  expect(oncommit.mock.calls.map(([value]) => value as number)).toEqual([
    expect.closeTo(0.106),
    expect.closeTo(0.1 / 1.01)
  ]);
  cleanup();
  oncommit.mockClear();
  show({ value: 126, unit: 'velocity', low: 1, high: 127 });
  await fireEvent.keyDown(field(), { key: 'ArrowUp' });
  expect(oncommit.mock.calls).toEqual([[127, 'nudge Attack']]);
});

it('goes back to the default by Ctrl-Backspace', async () => {
  show({ reset: 0.25 });
  await fireEvent.keyDown(field(), { key: 'Backspace', ctrlKey: true });
  expect(oncommit.mock.calls).toEqual([[0.25, '']]);
});

it('takes a number alone in one unit, whatever stands there, and shows it while it is typed', async () => {
  for (const value of [0.0003, 0.1, 2]) {
    show({ value });
    await fireEvent.focus(field());
    expect(field().value).toMatch(/ ms$/);
    await fireEvent.input(field(), { target: { value: '300' } });
    expect(screen.getByText('ms')).toBeTruthy();
    await fireEvent.keyDown(field(), { key: 'Enter' });
    await server.answer('"bare":"ms"', { value: 0.3 });
    cleanup();
  }
  expect(oncommit.mock.calls).toEqual([
    [0.3, ''],
    [0.3, ''],
    [0.3, '']
  ]);
  show({ bare: 's', value: 0.5 });
  await fireEvent.focus(field());
  expect(field().value).toBe('0.5 s');
});
