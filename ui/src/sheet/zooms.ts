/** Zooming the sheet: the wheel about the pointer with Ctrl, two fingers, and along the note sideways or with Shift. */
import type { Attachment } from 'svelte/attachments';
import { timeAt } from '../api/sheet';
import { workbench } from '../state/workbench.svelte';

/** Lets an element zoom; what it shows of time is so wide, at its right. */
export function zooms(width: () => number): Attachment<HTMLElement> {
  let touches: Record<number, number> = {};

  function wheel(event: WheelEvent): void {
    const { sheet } = workbench;
    if (!sheet) return;
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const at = (event.clientX - (box.right - width())) / width();
    const length = sheet.to_s - sheet.from_s;
    const aside = event.deltaX || (event.shiftKey ? event.deltaY : 0);
    if (at < 0 || (!event.ctrlKey && !aside)) return;
    event.preventDefault();
    if (event.ctrlKey) {
      const next = length * 2 ** Math.max(-1, Math.min(1, event.deltaY / 200));
      const time = timeAt(sheet, at);
      workbench.tracing.zoom(time - at * next, time + (1 - at) * next);
    } else {
      const by = (aside / width()) * length;
      workbench.tracing.zoom(sheet.from_s + by, sheet.to_s + by);
    }
  }

  function touch(event: TouchEvent): void {
    const { sheet } = workbench;
    const now = Object.fromEntries([...event.touches].map((t) => [t.identifier, t.clientX]));
    const ids = Object.keys(now).map(Number);
    if (sheet && ids.length === 2 && ids.every((id) => id in touches)) {
      event.preventDefault();
      const [a, b] = ids as [number, number];
      const before = Math.abs(touches[a]! - touches[b]!);
      const length = ((sheet.to_s - sheet.from_s) * before) / Math.max(8, Math.abs(now[a]! - now[b]!));
      const middle = (sheet.from_s + sheet.to_s) / 2 - ((now[a]! - touches[a]!) / width()) * length;
      workbench.tracing.zoom(middle - length / 2, middle + length / 2);
    }
    touches = now;
  }

  return (element) => {
    const ended = (): void => void (touches = {});
    // Both hold the page still while they zoom, which a listener that is passive may not.
    element.addEventListener('wheel', wheel, { passive: false });
    element.addEventListener('touchmove', touch, { passive: false });
    element.addEventListener('touchend', ended);
    return () => {
      element.removeEventListener('wheel', wheel);
      element.removeEventListener('touchmove', touch);
      element.removeEventListener('touchend', ended);
    };
  };
}
