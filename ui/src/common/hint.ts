/** More about an element than it shows: said when it is pointed at, touched, or reached by the keyboard. */

/** Returns the attributes of something that is no control, and so must be made reachable. */
export function term(text: string | undefined): { 'data-hint'?: string; tabindex?: 0 } {
  return text ? { 'data-hint': text, tabindex: 0 } : {};
}

export const HINTED = '[data-hint]';

/** Returns the element at or around a target that has more to say. */
export function hinted(target: EventTarget | null): HTMLElement | null {
  const found = target instanceof Element ? target.closest<HTMLElement>(HINTED) : null;
  return found?.dataset['hint'] ? found : null;
}

/** Whether a touch does something with an element already; it is then held, not tapped, to hear more of it. */
export function isControl(element: HTMLElement): boolean {
  return element.matches('button, input, select, textarea, a, [role="button"], label');
}
