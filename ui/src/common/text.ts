/** Text cut to a length by whole letters: half of one can be neither sent nor kept. */

/** Returns the first so many letters of a text, as many as fit into as many of a string's units. */
export function cut(text: string, most: number): string {
  if (text.length <= most) return text;
  let taken = '';
  for (const letter of text) {
    if (taken.length + letter.length > most) break;
    taken += letter;
  }
  return taken;
}
