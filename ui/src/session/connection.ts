/** The connection of this window to the server: messages in JSON, binary messages, a new connection after a lost one. */
import type { FromWindow, ToWindow } from '../api/api';
import { readFrame, type Chunks } from '../api/wire';

/** Pauses before the connection is tried again; the last one is repeated. */
const PAUSES_MS = [100, 300, 1000];
const OPEN = 1;

/** What a connection tells. */
export interface Listener {
  /** The connection stands: nothing that was sent before is known there. */
  opened(): void;
  message(message: ToWindow, chunks: Chunks): void;
  /** The connection is lost, or there never was one; it is tried again. */
  lost(): void;
}

export class Connection {
  private socket: WebSocket | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private failures = 0;

  constructor(
    private readonly listener: Listener,
    private readonly make: () => WebSocket = () => new WebSocket(address())
  ) {}

  get isOpen(): boolean {
    return this.socket?.readyState === OPEN;
  }

  /** Connects at once, where there is no connection. */
  begin(): void {
    clearTimeout(this.timer);
    if (this.socket) return;
    const socket = this.make();
    this.socket = socket;
    socket.binaryType = 'arraybuffer';
    socket.onopen = () => {
      this.failures = 0;
      this.listener.opened();
    };
    socket.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => {
      if (typeof data === 'string') this.listener.message(JSON.parse(data) as ToWindow, []);
      else {
        const { message, chunks } = readFrame<ToWindow>(data);
        this.listener.message(message, chunks);
      }
    };
    socket.onclose = () => {
      this.socket = null;
      this.timer = setTimeout(() => this.begin(), PAUSES_MS[Math.min(this.failures++, PAUSES_MS.length - 1)]);
      this.listener.lost();
    };
  }

  /** Sends a message; without a connection it is dropped, and `opened` says when to begin anew. */
  send(message: FromWindow): void {
    if (this.isOpen) this.socket!.send(JSON.stringify(message));
  }
}

function address(): string {
  const { protocol, host } = location;
  return `${protocol === 'https:' ? 'wss' : 'ws'}://${host}/api/session`;
}
