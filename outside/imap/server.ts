import { createServer, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { ImapSession, type SessionOptions } from './session.ts';

export interface Listening {
  port: number;
  close(): Promise<void>;
}

/** Serves IMAP on loopback; port 0 takes any free one. */
export async function listenImap(port: number, options: SessionOptions): Promise<Listening> {
  const sockets = new Set<Socket>();
  const server = createServer((socket) => {
    sockets.add(socket.on('close', () => sockets.delete(socket)));
    socket.setNoDelay(true);
    new ImapSession(socket, options);
  });
  await listen(server, port);
  return {
    port: (server.address() as AddressInfo).port,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        for (const socket of sockets) socket.destroy();
      }),
  };
}

function listen(server: Server, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => resolve());
  });
}
