/** The two lower rows of letters, which play the row of keys while it is shown: the place of each in the octave. */
const CODES = [
  ...['KeyZ', 'KeyS', 'KeyX', 'KeyD', 'KeyC', 'KeyV', 'KeyG', 'KeyB', 'KeyH', 'KeyN', 'KeyJ', 'KeyM', 'Comma']
];

/** Returns how many semitones over its octave a key of the computer plays, or null where it plays nothing. */
export function playedBy(code: string): number | null {
  const step = CODES.indexOf(code);
  return step < 0 ? null : step;
}
