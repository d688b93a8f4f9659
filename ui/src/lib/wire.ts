/** Numbers as they come over the wire: rows of bytes in base64. */

export function bytes(text: string): Uint8Array<ArrayBuffer> {
  return Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
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
