import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Connection } from './connection';

class FakeSocket {
  readyState = 0;
  binaryType = '';
  sent: string[] = [];
  onopen = (): void => {};
  onclose = (): void => {};
  onmessage = (_: unknown): void => {};
  send = (text: string): void => void this.sent.push(text);

  stand(): void {
    this.readyState = 1;
    this.onopen();
  }
  fall(): void {
    this.readyState = 3;
    this.onclose();
  }
}

function connected() {
  const sockets: FakeSocket[] = [];
  const listener = { opened: vi.fn(), message: vi.fn(), lost: vi.fn() };
  const connection = new Connection(listener, () => {
    const socket = new FakeSocket();
    sockets.push(socket);
    return socket as unknown as WebSocket;
  });
  connection.begin();
  return { sockets, listener, connection };
}

/** Returns a binary message of a header, filled up as the server does it, and chunks. */
function frame(message: object, ...chunks: Uint8Array[]): ArrayBuffer {
  const text = JSON.stringify({ chunks: chunks.map(({ length }) => length), message });
  const header = new TextEncoder().encode(text.padEnd(text.length + ((8 - ((4 + text.length) % 8)) % 8)));
  const parts = chunks.flatMap((chunk) => [...chunk, ...new Uint8Array((8 - (chunk.length % 8)) % 8)]);
  const data = Uint8Array.of(0, 0, 0, 0, ...header, ...parts);
  new DataView(data.buffer).setUint32(0, header.length, true);
  return data.buffer;
}

beforeEach(() => {
  vi.useFakeTimers();
  return () => vi.useRealTimers();
});

describe('a connection', () => {
  it('sends only while it stands', () => {
    const { sockets, connection, listener } = connected();
    connection.send({ type: 'judge' });
    sockets[0]!.stand();
    expect(listener.opened).toHaveBeenCalledOnce();
    connection.send({ type: 'judge' });
    expect(sockets[0]!.sent).toEqual(['{"type":"judge"}']);
  });

  it('reads messages in JSON and binary ones', () => {
    const { sockets, listener } = connected();
    sockets[0]!.stand();
    sockets[0]!.onmessage({ data: '{"type":"lost"}' });
    expect(listener.message).toHaveBeenLastCalledWith({ type: 'lost' }, []);
    const row = new Uint8Array(Float32Array.of(0.5, -440, 3).buffer);
    sockets[0]!.onmessage({ data: frame({ type: 'sheet' }, Uint8Array.of(7), row) });
    const [message, chunks] = listener.message.mock.lastCall as [object, Uint8Array[]];
    expect(message).toEqual({ type: 'sheet' });
    expect(chunks.map((chunk) => [...chunk])).toEqual([[7], [...row]]);
  });

  it('is tried again after longer and longer pauses, and soon after it stood', () => {
    const { sockets, listener } = connected();
    const pauses = [];
    for (let tries = 0; tries < 4; tries++) {
      sockets.at(-1)!.fall();
      const before = sockets.length;
      let waited = 0;
      for (; sockets.length === before; waited += 100) vi.advanceTimersByTime(100);
      pauses.push(waited);
    }
    expect(pauses).toEqual([100, 300, 1000, 1000]);
    expect(listener.lost).toHaveBeenCalledTimes(4);
    sockets.at(-1)!.stand();
    sockets.at(-1)!.fall();
    vi.advanceTimersByTime(100);
    expect(sockets).toHaveLength(6);
  });

  it('is one at a time', () => {
    const { sockets, connection } = connected();
    connection.begin();
    expect(sockets).toHaveLength(1);
    sockets[0]!.fall();
    connection.begin();
    vi.advanceTimersByTime(5000);
    expect(sockets).toHaveLength(2);
  });
});
