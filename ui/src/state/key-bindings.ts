/** Keys that do something: when a key press is meant for a binding, and when it is left to what has the focus. */
import { createKeybindingsHandler } from 'tinykeys';
import { playedBy } from './computer-keys';
import { settings } from './settings.svelte';

export interface Pressed {
  /** The keys, as tinykeys reads them. */
  keys: string;
  act: (event: KeyboardEvent) => void;
  /** Whether it also acts while a field has the focus. */
  inFields?: boolean;
  /** Whether it acts at the moment; always, where this is left out. */
  applies?: (event: KeyboardEvent) => boolean;
}

/** Returns a listener that acts on the bindings whose keys are pressed, unless the press is meant for something else. */
export function keyListener(all: readonly Pressed[]): (event: KeyboardEvent) => void {
  const bindings = all.map((one): [string, (event: KeyboardEvent) => void] => [
    one.keys,
    (event) => {
      if (!event.ctrlKey && !event.metaKey && isMeantOtherwise(event)) return;
      if ((inField(event.target) && !one.inFields) || one.applies?.(event) === false) return;
      event.preventDefault();
      one.act(event);
    }
  ]);
  return createKeybindingsHandler(Object.fromEntries(bindings), { ignore: (event) => event.isComposing }) as never;
}

/** While the keyboard is shown its letters play notes and do nothing else; single letters can be turned off. */
function isMeantOtherwise(event: KeyboardEvent): boolean {
  if (settings.now.keys && playedBy(event.code) !== null) return true;
  return !settings.now.letters && event.key.length === 1 && event.key !== ' ';
}

function inField(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.closest('input, textarea, select, dialog') !== null;
}

/** Returns whether Space acts on the element itself: it presses a button and opens a fold. */
export function hasOwnSpace(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.closest('button, summary, a, [role="button"]') !== null;
}
