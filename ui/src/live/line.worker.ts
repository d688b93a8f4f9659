/**
 * The line to the server while it is played, in a thread of its own: sound goes from it straight to the audio thread,
 * however busy the page is.
 */

/** How much sound is asked for before it is heard, in seconds: at least, what a gap adds, and at most. */
const AHEAD_S = 0.02;
const MORE_S = 0.01;
const MOST_S = 0.25;
/** While a page begins to play it is busy: so much is asked for then, and gaps do not count. */
const SETTLES_S = 1.5;
const FIRST_S = 0.1;
/** What a second without a gap takes away again, and how much of what was too little is forgotten in it. */
const LESS_S = 0.002;
const FORGOTTEN_S = 0.0002;
/** What stands before the samples of a block: three numbers of eight bytes, the last what the limiter took. */
const HEAD_BYTES = 24;
const LIMITED_AT = 16;
/** How often the page is told how far it is, in reports. */
const TELL = 4;

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
  | { heard: { played: number; gaps: number; limitedDb: number } }
  | { closed: number };

let socket: WebSocket | null = null;
/** What is said before the line stands: sent as soon as it does. */
let unsent: Record<string, unknown>[] = [];
let ahead = AHEAD_S;
/** As much as has been too little of late, and a little more: it is not tried again. */
let least = AHEAD_S;
let gaps = 0;
/** Gaps while the page settled. */
let before = 0;
let last = 0;
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
  const want = (to: number): void => {
    const asked = to < SETTLES_S * rate ? Math.max(ahead, FIRST_S) : ahead;
    send({ do: 'heard', to, ahead: Math.round(asked * rate) });
  };
  port.onmessage = ({ data }: MessageEvent<{ played: number; gaps: number }>) => {
    const { played } = data;
    if (played < SETTLES_S * rate) before = data.gaps;
    const counted = data.gaps - before;
    const seconds = (played - last) / rate;
    if (counted > gaps) {
      least = Math.min(MOST_S, ahead + MORE_S / 2);
      ahead = Math.min(MOST_S, ahead + MORE_S);
    } else {
      least = Math.max(AHEAD_S, least - FORGOTTEN_S * seconds);
      ahead = Math.max(least, ahead - LESS_S * seconds);
    }
    gaps = counted;
    last = played;
    want(played);
    if (reports++ % TELL === 0) tell({ heard: { played, gaps, limitedDb } });
  };
  line.onopen = () => {
    send(first);
    for (const message of unsent) send(message);
    unsent = [];
    want(0);
  };
  line.onmessage = ({ data }: MessageEvent<ArrayBuffer | string>) => {
    if (typeof data === 'string') {
      tell({ told: JSON.parse(data) as Record<string, unknown> });
      return;
    }
    limitedDb = new DataView(data).getFloat64(LIMITED_AT, true);
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
