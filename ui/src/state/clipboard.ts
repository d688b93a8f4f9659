/** Copying sources and routes, within a patch and from one to another, as text on the clipboard. */
import { messages } from './messages.svelte';
import { workbench } from './workbench.svelte';
import { pasted, routes, type Clip } from './document';

const MARK = 'jorvik-clip';

/** What was copied last here: over a connection that the browser does not trust it lends no clipboard. */
let last = '';

/** Puts text on the clipboard, and keeps it for this window. */
export async function putText(text: string): Promise<void> {
  last = text;
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    // Kept here, it can still be pasted in this window.
  }
}

/** Returns the clipboard's text, or what was copied last here where the browser does not lend it. */
export async function takeText(): Promise<string> {
  try {
    return (await navigator.clipboard.readText()) || last;
  } catch {
    return last;
  }
}

export async function copyChosen(): Promise<void> {
  const { patch } = workbench;
  const module = workbench.chosenModule();
  const route = workbench.chosenRoute();
  if (!patch || (!module && !route)) return;
  const clip: Clip = module
    ? { module, routes: routes(patch).filter((r) => r.source === module.id) }
    : { routes: [route!] };
  await putText(JSON.stringify({ format: MARK, ...clip }));
  messages.say(module ? `${module.id} is copied with its routes.` : `The route ${route!.id} is copied.`);
}

export async function paste(): Promise<void> {
  const { patch } = workbench;
  if (!patch) return;
  let clip: (Clip & { format?: string }) | null = null;
  try {
    clip = JSON.parse(await takeText()) as Clip & { format?: string };
  } catch {
    clip = null;
  }
  if (clip?.format !== MARK) throw new Error('The clipboard holds no source and no route; copy one first (Ctrl-C).');
  const [next, name] = pasted(patch, { module: clip.module, routes: clip.routes }, workbench.signals);
  workbench.edit(name ? `paste ${name}` : 'paste a route', next);
  if (name) workbench.chosen = { what: 'source', id: name };
}
