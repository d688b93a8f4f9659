/** Arrays as they come over the wire: base64 in JSON, or chunks of a binary message (`web/services/packing.py`). */

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

/** An array: base64, or the number of its chunk in a binary message. */
export type Packed = string | number;

/** The chunks of a binary message. */
export type Chunks = readonly Uint8Array<ArrayBuffer>[];

const ALIGNED = 8;
const HEADER_BYTES = 4;

/** Returns the message of a binary message, and its chunks, which share the memory of the message. */
export function readFrame<M>(data: ArrayBuffer): { message: M; chunks: Chunks } {
  const length = new DataView(data).getUint32(0, true);
  const text = new TextDecoder().decode(new Uint8Array(data, HEADER_BYTES, length));
  const header = JSON.parse(text) as { chunks: number[]; message: M };
  let at = HEADER_BYTES + length;
  const chunks = header.chunks.map((size) => {
    const chunk = new Uint8Array(data, at, size);
    at += Math.ceil(size / ALIGNED) * ALIGNED;
    return chunk;
  });
  return { message: header.message, chunks };
}

function bytesOf(packed: Packed, chunks: Chunks): Uint8Array<ArrayBuffer> {
  return typeof packed === 'number' ? chunks[packed]! : bytes(packed);
}

export function floats(packed: Packed, chunks: Chunks = []): Float32Array {
  const { buffer, byteOffset, byteLength } = bytesOf(packed, chunks);
  return new Float32Array(buffer, byteOffset, byteLength / Float32Array.BYTES_PER_ELEMENT);
}

export function doubles(packed: Packed, chunks: Chunks = []): Float64Array {
  const { buffer, byteOffset, byteLength } = bytesOf(packed, chunks);
  return new Float64Array(buffer, byteOffset, byteLength / Float64Array.BYTES_PER_ELEMENT);
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
