/** Dragging a source onto what it shall move. Everything that this does can be done from the keyboard elsewhere. */
import type { Attachment } from 'svelte/attachments';

const SOURCE = 'application/x-jorvik-source';

/** Lets an element be picked up as a source. */
export function offersSource(id: string): Attachment<HTMLElement> {
  return (element) => {
    element.draggable = true;
    const start = (event: DragEvent): void => {
      event.dataTransfer?.setData(SOURCE, id);
      if (event.dataTransfer) event.dataTransfer.effectAllowed = 'link';
    };
    element.addEventListener('dragstart', start);
    return () => element.removeEventListener('dragstart', start);
  };
}

/** Lets a source be dropped on an element, which is marked `data-aim` while it would be taken. */
export function takesSource(take: (id: string) => void): Attachment<HTMLElement> {
  return (element) => {
    const aim = (on: boolean): void => void element.toggleAttribute('data-aim', on);
    const listeners: Record<string, (event: DragEvent) => void> = {
      dragover: (event) => {
        if (!event.dataTransfer?.types.includes(SOURCE)) return;
        event.preventDefault();
        event.stopPropagation();
        event.dataTransfer.dropEffect = 'link';
        aim(true);
      },
      dragleave: () => aim(false),
      drop: (event) => {
        const id = event.dataTransfer?.getData(SOURCE);
        aim(false);
        if (!id) return;
        event.preventDefault();
        event.stopPropagation();
        take(id);
      }
    };
    for (const [name, listener] of Object.entries(listeners)) element.addEventListener(name, listener as EventListener);
    return () => {
      for (const [name, listener] of Object.entries(listeners))
        element.removeEventListener(name, listener as EventListener);
    };
  };
}
