import { describe, expect, it } from 'vitest';
import { bytes, doubles, floats, linesOf } from './wire';

const packed = (sent: { buffer: ArrayBufferLike }) => btoa(String.fromCharCode(...new Uint8Array(sent.buffer)));

describe('numbers over the wire', () => {
  it('every byte comes as it was sent', () => {
    const sent = Uint8Array.from({ length: 256 }, (_, i) => i);
    expect([...bytes(packed(sent))]).toEqual([...sent]);
    expect(bytes('').length).toBe(0);
  });

  it('numbers come as they were sent, to the last bit', () => {
    const sent = [0.1, -0, 1e-300, 1 / 3, Infinity];
    expect([...doubles(packed(Float64Array.from(sent)))]).toEqual(sent);
    expect([...floats(packed(Float32Array.from([0.1, -440])))]).toEqual([Math.fround(0.1), -440]);
  });

  it('lines are put together however they were cut, letters of two bytes too', async () => {
    const text = new TextEncoder().encode('{"a":"½"}\n{"a":"x"}\n');
    for (const cut of [1, 7, 11, text.length]) {
      const stream = new ReadableStream<Uint8Array>({
        start(controller) {
          for (const part of [text.slice(0, cut), text.slice(cut)]) controller.enqueue(part);
          controller.close();
        }
      });
      const found = [];
      for await (const line of linesOf<{ a: string }>(stream)) found.push(line.a);
      expect(found).toEqual(['½', 'x']);
    }
  });
});
