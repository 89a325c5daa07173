import { decodeFrame, type DeviceFrame } from './frame-codec.js';
import { PROTOCOL_VERSION, type ClientMessage, type DeviceInfo, type DeviceMessage } from './messages.js';

/** The part of the standard WebSocket that a session uses; browsers, workers and the `ws` package have it. */
export interface SocketLike {
  binaryType: string;
  readonly readyState: number;
  send(data: string): void;
  close(): void;
  addEventListener(type: 'open' | 'close' | 'error', listener: () => void): void;
  addEventListener(type: 'message', listener: (event: { data: unknown }) => void): void;
}

export interface SessionEvents {
  message?(message: DeviceMessage): void;
  frame?(frame: DeviceFrame): void;
  /** The connection ended, or a frame could not be read. */
  closed?(reason: string): void;
}

/** One open connection to a device. Frames come only as far as credit was granted, so a slow receiver is never flooded. */
export class DeviceSession {
  private ready?: (device: DeviceInfo) => void;
  private failed?: (e: Error) => void;
  private ended = false;

  private constructor(
    private readonly socket: SocketLike,
    private readonly events: SessionEvents,
  ) {}

  /** Opens a session and waits until the device says it is ready. @throws Error if it does not */
  static open(socket: SocketLike, events: SessionEvents): Promise<DeviceSession & { device: DeviceInfo }> {
    const session = new DeviceSession(socket, events);
    return new Promise((resolve, reject) => {
      session.ready = (device) => resolve(Object.assign(session, { device }));
      session.failed = reject;
      socket.binaryType = 'arraybuffer';
      socket.addEventListener('open', () => session.send({ type: 'open', version: PROTOCOL_VERSION }));
      socket.addEventListener('message', (e) => session.receive(e.data));
      socket.addEventListener('error', () => session.end('The device does not answer.'));
      socket.addEventListener('close', () => session.end('The connection to the device ended.'));
    });
  }

  send(message: ClientMessage): void {
    if (this.socket.readyState === 1) this.socket.send(JSON.stringify(message));
  }

  close(): void {
    this.ended = true;
    this.socket.close();
  }

  private receive(data: unknown): void {
    try {
      if (typeof data === 'string') {
        const message = JSON.parse(data) as DeviceMessage;
        if (message.type === 'ready') this.ready?.(message.device);
        if (message.type === 'error' && message.code === 'wrong-version') this.failed?.(new Error(message.message));
        this.events.message?.(message);
      } else this.events.frame?.(decodeFrame(data as ArrayBuffer));
    } catch (e) {
      this.end(`The device sent something unreadable. ${(e as Error).message}`);
      this.socket.close();
    }
  }

  private end(reason: string): void {
    this.failed?.(new Error(reason));
    if (this.ended) return;
    this.ended = true;
    this.events.closed?.(reason);
  }
}
