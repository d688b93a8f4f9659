/** Numbers as they come over the wire: rows of bytes in base64. */

/** The browser's own decoder, which not every browser has yet. */
const fromBase64 = (Uint8Array as unknown as { fromBase64?: (text: string) => Uint8Array<ArrayBuffer> }).fromBase64;

export function bytes(text: string): Uint8Array<ArrayBuffer> {
  return fromBase64 ? fromBase64.call(Uint8Array, text) : byLetters(text);
}

/** Letter by letter: the same by `Uint8Array.from` takes three times as long. */
export function byLetters(text: string): Uint8Array<ArrayBuffer> {
  const letters = atob(text);
  const found = new Uint8Array(letters.length);
  for (let i = 0; i < letters.length; i++) found[i] = letters.charCodeAt(i);
  return found;
}

export function floats(text: string): Float32Array {
  return new Float32Array(bytes(text).buffer);
}

export function doubles(text: string): Float64Array {
  return new Float64Array(bytes(text).buffer);
}

/** Yields what comes over the wire line by line, each line a piece of JSON. */
export async function* linesOf<T>(stream: ReadableStream<Uint8Array>): AsyncGenerator<T> {
  const reader = stream.pipeThrough(new TextDecoderStream() as ReadableWritablePair<string, Uint8Array>).getReader();
  let left = '';
  for (;;) {
    const { value, done } = await reader.read();
    left += value ?? '';
    const lines = left.split('\n');
    left = lines.pop()!;
    for (const line of lines) if (line) yield JSON.parse(line) as T;
    if (done) return;
  }
}
