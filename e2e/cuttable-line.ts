import { createServer, request, type IncomingMessage, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';

/** A line between browser and server that a test can cut: passes everything on until it is told not to. */
export class CuttableLine {
  /** Requests like these are cut off as they come. */
  cut: (request: IncomingMessage) => boolean = () => false;
  /** Requests like these are answered as by a server without room (RFC 4918 § 11.5). */
  full: (request: IncomingMessage) => boolean = () => false;
  private readonly sockets = new Set<Socket>();

  private constructor(
    readonly base: string,
    private readonly server: Server,
  ) {}

  static async to(target: string): Promise<CuttableLine> {
    const { hostname, port } = new URL(target);
    const server = createServer();
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    const line = new CuttableLine(`http://127.0.0.1:${(server.address() as AddressInfo).port}`, server);
    server.on('request', (from, answer) => {
      if (line.cut(from)) return void from.destroy();
      if (line.full(from)) {
        from.resume();
        const detail = "The server's disk is full: make room on it. Nothing stored before is lost.";
        return void answer
          .writeHead(507, { 'content-type': 'application/problem+json' })
          .end(JSON.stringify({ detail }));
      }
      const { method, url: path, headers } = from;
      const on = request({ hostname, port, method, path, headers }, (back) => {
        answer.writeHead(back.statusCode ?? 502, back.headers);
        back.pipe(answer);
      });
      on.on('error', () => answer.destroy());
      from.pipe(on);
    });
    server.on('upgrade', (from, socket: Socket) => {
      const on = connect(Number(port), hostname, () => {
        const headers = from.rawHeaders.map((h, i) => (i % 2 === 0 ? `${h}: ` : `${h}\r\n`)).join('');
        on.write(`GET ${from.url} HTTP/1.1\r\n${headers}\r\n`);
        socket.pipe(on).pipe(socket);
      });
      for (const s of [socket, on]) {
        line.sockets.add(s);
        s.on('error', () => undefined);
        s.on('close', () => line.sockets.delete(s));
      }
    });
    return line;
  }

  /** Breaks every open WebSocket. */
  breakSockets(): void {
    for (const s of this.sockets) s.destroy();
  }

  close(): void {
    this.breakSockets();
    this.server.closeAllConnections();
    this.server.close();
  }
}
