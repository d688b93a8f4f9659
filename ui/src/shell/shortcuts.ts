/** Every shortcut: what it is pressed by, what it does, and how the help page says it. */
import { duplicateSource } from '../state/actions';
import { copyChosen, paste } from '../state/clipboard';
import { save } from '../state/library';
import { hasOwnSpace, type Pressed } from '../state/key-bindings';
import { messages } from '../state/messages.svelte';
import { player } from '../state/playing';
import { settings } from '../state/settings.svelte';
import { WHOLE, workbench } from '../state/workbench.svelte';
import { VIEWS } from './views';

export interface Shortcut extends Pressed {
  /** How the help page names them. */
  shown: string;
  says: string;
}

/** What the page itself opens. */
export interface Pages {
  help: () => void;
}

/** What is pressed where it belongs to what has the focus: said on the help page, done there. */
export const ELSEWHERE: readonly (readonly [string, string])[] = [
  ['↑ ↓ in a figure', 'nudge it; finer with Shift'],
  ['Ctrl-Backspace in a figure', 'back to its default; a drag up or down turns it'],
  ['Alt-Backspace in a figure', 'back to what it was before, and again to change between the two'],
  ['← → on the time axis', 'move the cursor; finer with Shift'],
  ['Alt ← →', 'set a post at the cursor; a drag on the time axis sets both'],
  ['arrows on a square of a curve', 'move it; finer with Shift'],
  ['arrows on a note of a phrase', 'move and transpose it; with Alt longer and harder'],
  ['1 and 2 at a pair of sounds', 'hear the first, the second; ← and → say which it is'],
  ['Shift and a click on a note', 'pick one more; Ctrl-A picks all of them'],
  ['arrows on the pad', 'move it; Page Up and Page Down press on it'],
  ['Ctrl-C, Ctrl-V, Ctrl-D on a note', 'copy, paste at the cursor, repeat after its end']
];

export function shortcuts(pages: Pages): Shortcut[] {
  const { tracing } = workbench;
  const noteOn = (): number => workbench.sheet?.notes[0]?.on_s ?? 0;
  const whole = (): number => workbench.sheet?.seconds ?? 1;
  const noSelection = (): boolean => !getSelection()?.toString();
  return [
    {
      keys: 'Space',
      shown: 'Space',
      says: 'play or stop',
      act: () => void player.toggle(),
      applies: (event) => !hasOwnSpace(event.target)
    },
    { keys: '[Shift]+l', shown: 'L', says: 'loop on or off', act: () => (player.loop = !player.loop) },
    {
      keys: '[Shift]+t',
      shown: 'T',
      says: 'soft, medium and hard at once',
      act: () => {
        tracing.allThree = !tracing.allThree;
        tracing.ask();
      }
    },
    {
      keys: '[Shift]+g',
      shown: 'G',
      says: 'hold this version as a ghost behind what follows, or let it go',
      act: () => (tracing.ghost ? tracing.drop() : tracing.hold())
    },
    {
      keys: '[Shift]+k',
      shown: 'K',
      says: 'a row of keys; Z to M and S to J play them, Shift plays hard',
      act: () => settings.set({ keys: !settings.now.keys })
    },
    ...VIEWS.map((view) => ({
      keys: `[Shift]+${view.key}`,
      shown: view.key,
      says: `${view.title}: ${view.says}`,
      act: () => void (workbench.view = view.id)
    })),
    { keys: '0', shown: '0', says: 'the whole note', act: () => tracing.zoom(0, whole()) },
    { keys: '1', shown: '1', says: 'its first 50 ms', act: () => tracing.zoom(noteOn(), noteOn() + 0.05) },
    {
      keys: '2',
      shown: '2',
      says: 'its tail',
      act: () => tracing.zoom(workbench.sheet?.notes.at(-1)?.off_s ?? 0, whole())
    },
    {
      keys: '[Shift]+(\\+|=|-)',
      shown: '+ −',
      says: 'zoom in and out; Ctrl and the wheel too',
      act: (event) => zoomBy(event.key === '-' ? 2 : 0.5)
    },
    { keys: '(\\[|\\])', shown: '[ ]', says: 'move along', act: (event) => slide(event.key === '[' ? -0.25 : 0.25) },
    {
      keys: 'Escape',
      shown: 'Esc',
      says: 'choose the patch itself, or leave a field as it was',
      act: () => (workbench.chosen = WHOLE),
      // A field lets it through where there is nothing typed to go back from; a list that hangs open closes first.
      inFields: true,
      applies: (event) => !(event.target instanceof HTMLElement && event.target.closest('select, dialog'))
    },
    {
      keys: '$mod+[Shift]+z',
      shown: 'Ctrl Z, Ctrl Shift Z',
      says: 'undo, redo',
      act: (event) => (event.shiftKey ? workbench.redo() : workbench.undo()),
      inFields: true
    },
    { keys: '$mod+y', shown: 'Ctrl Y', says: 'redo', act: () => workbench.redo(), inFields: true },
    {
      keys: '$mod+s',
      shown: 'Ctrl S',
      says: 'save as a version',
      act: () => void messages.attempt(() => save()),
      inFields: true
    },
    {
      keys: '$mod+c',
      shown: 'Ctrl C',
      says: 'copy the source or route chosen',
      act: () => void copyChosen(),
      applies: noSelection
    },
    { keys: '$mod+v', shown: 'Ctrl V', says: 'paste', act: () => void messages.attempt(paste) },
    {
      keys: '$mod+d',
      shown: 'Ctrl D',
      says: 'double the source chosen',
      act: () => duplicateSource(workbench.chosenModule()!.id),
      inFields: true,
      applies: () => workbench.chosenModule() !== undefined
    },
    { keys: '[Shift]+?', shown: '?', says: 'this page', act: pages.help }
  ];
}

function zoomBy(factor: number): void {
  const { sheet, cursor, tracing } = workbench;
  if (!sheet) return;
  const length = (sheet.to_s - sheet.from_s) * factor;
  const middle = cursor ?? (sheet.from_s + sheet.to_s) / 2;
  tracing.zoom(middle - length / 2, middle + length / 2);
}

function slide(share: number): void {
  const { sheet, tracing } = workbench;
  if (!sheet) return;
  const by = (sheet.to_s - sheet.from_s) * share;
  tracing.zoom(sheet.from_s + by, sheet.to_s + by);
}
