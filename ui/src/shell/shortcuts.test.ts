// @vitest-environment happy-dom
import { beforeEach, expect, it, vi } from 'vitest';
import { keyListener } from '../state/key-bindings';
import { settings } from '../state/settings.svelte';
import { shortcuts } from './shortcuts';

const { bench, player, acts } = vi.hoisted(() => ({
  acts: [] as string[],
  player: { loop: false, toggle: () => void acts.push('play') },
  bench: {
    chosen: { what: 'patch', id: '' } as { what: string; id: string },
    view: '',
    sheet: { from_s: 0, to_s: 4, seconds: 4, notes: [{ on_s: 1, off_s: 3 }] },
    cursor: null as number | null,
    tracing: { zoom: (from: number, to: number) => void acts.push(`zoom ${from} ${to}`) },
    chosenModule: (): { id: string } | undefined => (bench.chosen.what === 'source' ? { id: 'swell' } : undefined),
    undo: () => void acts.push('undo'),
    redo: () => void acts.push('redo')
  }
}));
vi.mock('../state/workbench.svelte', () => ({ workbench: bench, WHOLE: { what: 'patch', id: '' } }));
vi.mock('../state/playing', () => ({ player }));
vi.mock('../state/actions', () => ({ duplicateSource: (id: string) => void acts.push(`double ${id}`) }));
vi.mock('../state/clipboard', () => ({ copyChosen: () => void acts.push('copy'), paste: () => acts.push('paste') }));
vi.mock('../state/library', () => ({ save: () => Promise.resolve(acts.push('save')) }));
vi.mock('./views', () => ({ VIEWS: [{ id: 'sound', title: 'Sound', key: 'S', says: 'spectrum' }] }));

const press = keyListener(shortcuts({ help: () => void acts.push('help') }));

/** Presses a key with the focus on an element, and returns whether the browser would still act on it. */
function key(init: KeyboardEventInit, on: HTMLElement = document.body): boolean {
  const event = new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...init });
  Object.defineProperty(event, 'target', { value: on });
  press(event);
  return !event.defaultPrevented;
}

beforeEach(() => {
  acts.length = 0;
  bench.chosen = { what: 'patch', id: '' };
  bench.cursor = null;
  settings.set({ keys: false, letters: true });
});

it('leaves Ctrl-D to the browser while no source is chosen, and doubles the one that is', () => {
  expect(key({ key: 'd', code: 'KeyD', ctrlKey: true })).toBe(true);
  expect(acts).toEqual([]);
  bench.chosen = { what: 'source', id: 'swell' };
  expect(key({ key: 'd', code: 'KeyD', ctrlKey: true })).toBe(false);
  expect(acts).toEqual(['double swell']);
});

it('plays by Space, but not where Space presses a button', () => {
  key({ key: ' ', code: 'Space' });
  key({ key: ' ', code: 'Space' }, document.createElement('button'));
  expect(acts).toEqual(['play']);
});

it('takes no letter that is typed into a field, but takes undo there', () => {
  const field = document.createElement('input');
  expect(key({ key: 's', code: 'KeyS' }, field)).toBe(true);
  expect(bench.view).toBe('');
  key({ key: 'z', code: 'KeyZ', ctrlKey: true }, field);
  key({ key: 'z', code: 'KeyZ', ctrlKey: true, shiftKey: true }, field);
  expect(acts).toEqual(['undo', 'redo']);
  key({ key: 's', code: 'KeyS' });
  expect(bench.view).toBe('sound');
});

it('gives letters to the keyboard while it is shown, and none where single letters are off', () => {
  bench.view = '';
  settings.set({ keys: true });
  key({ key: 's', code: 'KeyS' });
  settings.set({ keys: false, letters: false });
  key({ key: 's', code: 'KeyS' });
  expect(bench.view).toBe('');
  key({ key: ' ', code: 'Space' });
  expect(acts).toEqual(['play']);
});

it('zooms about the cursor, or about the middle where there is none', () => {
  key({ key: '+', code: 'BracketRight' });
  bench.cursor = 1;
  key({ key: '+', code: 'BracketRight' });
  key({ key: '-', code: 'Slash' });
  expect(acts).toEqual(['zoom 1 3', 'zoom 0 2', 'zoom -3 5']);
});

it('chooses the patch by Escape, unless a list that hangs open has the focus', () => {
  bench.chosen = { what: 'source', id: 'swell' };
  key({ key: 'Escape', code: 'Escape' }, document.createElement('select'));
  expect(bench.chosen.what).toBe('source');
  key({ key: 'Escape', code: 'Escape' }, document.createElement('input'));
  expect(bench.chosen.what).toBe('patch');
});

it('shows each shortcut once', () => {
  const shown = shortcuts({ help: () => {} }).map((one) => one.shown);
  expect(new Set(shown).size).toBe(shown.length);
});
