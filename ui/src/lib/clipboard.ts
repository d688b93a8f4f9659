/** Copying sources and routes, within a patch and from one to another, as text on the clipboard. */
import { messages } from './messages.svelte';
import { bench } from './bench.svelte';
import { pasted, routes, type Clip } from './document';

const MARK = 'jorvik-clip';

export async function copyChosen(): Promise<void> {
  const { patch } = bench;
  const module = bench.chosenModule();
  const route = bench.chosenRoute();
  if (!patch || (!module && !route)) return;
  const clip: Clip = module
    ? { module, routes: routes(patch).filter((r) => r.source === module.id) }
    : { routes: [route!] };
  await navigator.clipboard.writeText(JSON.stringify({ format: MARK, ...clip }));
  messages.say(module ? `${module.id} is copied with its routes.` : `The route ${route!.id} is copied.`);
}

export async function paste(): Promise<void> {
  const { patch } = bench;
  if (!patch) return;
  let clip: (Clip & { format?: string }) | null = null;
  try {
    clip = JSON.parse(await navigator.clipboard.readText()) as Clip & { format?: string };
  } catch {
    clip = null;
  }
  if (clip?.format !== MARK) throw new Error('The clipboard holds no source and no route; copy one first (Ctrl-C).');
  const [next, name] = pasted(patch, { module: clip.module, routes: clip.routes });
  bench.edit(name ? `paste ${name}` : 'paste a route', next);
  if (name) bench.chosen = { what: 'source', id: name };
}
