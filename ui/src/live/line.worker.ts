/**
 * The line to the server while it is played, in a thread of its own: sound goes from it straight to the audio thread,
 * however busy the page is.
 */

import { Ahead, type Heard } from './ahead';

/** What stands before the samples of a block: four numbers of eight bytes. */
const HEAD_BYTES = 32;
/** Where of it stand what the limiter took, and the share of its own time that the block took to be made. */
const LIMITED_AT = 16;
const LOAD_AT = 24;
const BYTES_A_FRAME = 8;
/** So long sound is made after a report though the next is late: it is heard meanwhile. */
const GOES_ON_S = 0.1;
/** How often the page is told how far it is, in reports. */
const TELL = 5;

/** What the page asks for first. */
export interface Begin {
  url: string;
  rate: number;
  port: MessagePort;
  first: Record<string, unknown>;
}

/** What the page is told. */
export type Line =
  | { told: Record<string, unknown> }
  | { heard: { played: number; gaps: number; missingS: number; limitedDb: number } }
  | { closed: number };

let socket: WebSocket | null = null;
/** What is said before the line stands: sent as soon as it does. */
let unsent: Record<string, unknown>[] = [];
let limitedDb = 0;
let reports = 0;

const tell = (line: Line): void => self.postMessage(line);
const send = (message: Record<string, unknown>): void => {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message));
  else if (!socket || socket.readyState === WebSocket.CONNECTING) unsent.push(message);
};

function begin({ url, rate, port, first }: Begin): void {
  const line = new WebSocket(url);
  line.binaryType = 'arraybuffer';
  socket = line;
  const ahead = new Ahead(rate);
  const want = (heard: Heard): void => {
    const asked = ahead.heard(heard);
    port.postMessage(asked);
    send({ do: 'heard', to: heard.played, ahead: asked, goes_on: heard.played > 0 ? Math.round(GOES_ON_S * rate) : 0 });
  };
  port.onmessage = ({ data }: MessageEvent<Heard>) => {
    want(data);
    const { gaps, missingS } = ahead;
    if (reports++ % TELL === 0) tell({ heard: { played: data.played, gaps, missingS, limitedDb } });
  };
  line.onopen = () => {
    send(first);
    for (const message of unsent) send(message);
    unsent = [];
    want({ played: 0, gaps: 0, missing: 0, fewest: 0 });
  };
  line.onmessage = ({ data }: MessageEvent<ArrayBuffer | string>) => {
    if (typeof data === 'string') {
      tell({ told: JSON.parse(data) as Record<string, unknown> });
      return;
    }
    const head = new DataView(data);
    limitedDb = head.getFloat64(LIMITED_AT, true);
    ahead.made((data.byteLength - HEAD_BYTES) / BYTES_A_FRAME, head.getFloat64(LOAD_AT, true));
    const samples = new Float32Array(data, HEAD_BYTES).slice();
    port.postMessage(samples, [samples.buffer]);
  };
  line.onclose = ({ code }) => tell({ closed: code });
}

self.onmessage = ({ data }: MessageEvent<Begin | Record<string, unknown> | 'end'>) => {
  if (data === 'end') {
    if (socket) {
      socket.onclose = null;
      socket.close();
    }
    self.close();
  } else if ('port' in data) begin(data as Begin);
  else send(data);
};
