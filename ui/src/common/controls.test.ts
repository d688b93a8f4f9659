// @vitest-environment happy-dom
import { cleanup, fireEvent, render, screen } from '@testing-library/svelte';
import { createRawSnippet, tick } from 'svelte';
import { afterEach, describe, expect, it, vi } from 'vitest';
import Choice from './Choice.svelte';
import FileButton from './FileButton.svelte';
import Fold from './Fold.svelte';
import Slider from './Slider.svelte';
import TextField from './TextField.svelte';
import { drawNothing } from './testing';
import Tick from './Tick.svelte';

drawNothing();
afterEach(cleanup);
const words = (text: string) => createRawSnippet(() => ({ render: () => `<span>${text}</span>` }));

describe('a text field', () => {
  const field = (): HTMLInputElement => screen.getByLabelText('Name');
  const type = async (text: string): Promise<void> => {
    await fireEvent.input(field(), { target: { value: text } });
    await fireEvent.change(field());
  };

  it('keeps a refused text with the reason beside it until it is corrected', async () => {
    const onset = vi.fn((text: string) => (text ? undefined : 'Give a name.'));
    render(TextField, { label: 'Name', value: 'Bell', onset });
    await type('');
    expect(screen.getByText('Give a name.')).toBeTruthy();
    expect([field().value, field().getAttribute('aria-invalid')]).toEqual(['', 'true']);
    await type('Horn');
    expect(screen.queryByText('Give a name.')).toBeNull();
    expect(onset.mock.calls).toEqual([[''], ['Horn']]);
  });

  it('goes back to the value by Escape and keeps that key to itself', async () => {
    const onset = vi.fn();
    const outside = vi.fn();
    render(TextField, { label: 'Name', value: 'Bell', onset });
    document.body.addEventListener('keydown', outside);
    await fireEvent.input(field(), { target: { value: 'Horn' } });
    await fireEvent.keyDown(field(), { key: 'Escape' });
    expect([field().value, outside.mock.calls.length]).toEqual(['Bell', 0]);
    await fireEvent.change(field());
    expect(onset).not.toHaveBeenCalled();
    document.body.removeEventListener('keydown', outside);
  });
});

describe('a choice', () => {
  const options = [['a', 'First'], ['b', 'Second']] as const; // prettier-ignore
  const select = (): HTMLSelectElement => screen.getByLabelText('Kind');
  const choose = async (value: string): Promise<void> => {
    await fireEvent.change(select(), { target: { value } });
    await tick();
  };

  it('says what is chosen', async () => {
    const onchoose = vi.fn();
    render(Choice, { label: 'Kind', options, value: 'a', onchoose });
    expect(select().value).toBe('a');
    await choose('b');
    expect(onchoose.mock.calls).toEqual([['b']]);
  });

  it('with a prompt is a menu from which the same can be chosen twice', async () => {
    const onchoose = vi.fn();
    render(Choice, { label: 'Kind', options, prompt: '+ add', onchoose });
    await choose('b');
    await choose('b');
    expect(onchoose.mock.calls).toEqual([['b'], ['b']]);
  });

  it('leaves out a group without options', () => {
    render(Choice, { label: 'Kind', options: [{ title: 'none', options: [] }, { title: 'two', options }], onchoose: () => {} }); // prettier-ignore
    expect([...select().querySelectorAll('optgroup')].map((group) => group.label)).toEqual(['two']);
  });
});

it('a slider says each step as a number, and when it is let go', async () => {
  const turned = vi.fn();
  const rested = vi.fn();
  render(Slider, { label: 'Level', value: 0.5, onturn: turned, onrest: rested });
  const slider: HTMLInputElement = screen.getByLabelText('Level');
  await fireEvent.input(slider, { target: { value: '0.75' } });
  await fireEvent.change(slider);
  expect(turned.mock.lastCall).toEqual([0.75]);
  expect(rested).toHaveBeenCalledTimes(1);
});

it('a tick says whether it is set', async () => {
  const onset = vi.fn();
  render(Tick, { label: 'Loop', checked: false, onset });
  await fireEvent.click(screen.getByLabelText('Loop'));
  expect(onset.mock.calls).toEqual([[true]]);
});

it('a fold makes what is in it only while it is open', async () => {
  render(Fold, { title: 'More', children: words('inside') });
  expect(screen.queryByText('inside')).toBeNull();
  await fireEvent.click(screen.getByRole('button'));
  expect(screen.getByText('inside')).toBeTruthy();
});

it('a file button takes the same file twice', async () => {
  const onfile = vi.fn();
  render(FileButton, { label: 'Open a patch', accept: '.json', onfile, children: words('Open') });
  const input: HTMLInputElement = screen.getByLabelText('Open a patch');
  const file = new File(['{}'], 'bell.json');
  for (let i = 0; i < 2; i++) {
    Object.defineProperty(input, 'files', { value: [file], configurable: true });
    await fireEvent.change(input);
  }
  expect(onfile.mock.calls.map(([one]) => (one as File).name)).toEqual(['bell.json', 'bell.json']);
});
