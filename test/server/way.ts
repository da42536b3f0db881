import { connect, createServer, type AddressInfo, type Socket } from 'node:net';

/** The way to a database, which can be taken away and given back, or made to hang. */
export class Way {
  private readonly open = new Set<Socket>();
  private readonly server = createServer((near) => this.through(near));
  away = false;
  hanging = false;
  port = 0;

  /** @param target the port it leads to, which may become another */
  constructor(public target: number) {}

  async listen(): Promise<void> {
    await new Promise<void>((resolve) => this.server.listen(0, '127.0.0.1', resolve));
    this.port = (this.server.address() as AddressInfo).port;
  }

  private through(near: Socket): void {
    near.on('error', () => near.destroy());
    if (this.away) return void near.destroy();
    const far = connect(this.target, '127.0.0.1');
    far.on('error', () => near.destroy());
    for (const end of [near, far]) this.open.add(end);
    near.on('close', () => far.destroy());
    far.on('close', () => near.destroy());
    near.on('data', (bytes) => void (this.hanging || far.write(bytes)));
    far.on('data', (bytes) => void (this.hanging || near.write(bytes)));
  }

  cut(): void {
    for (const end of this.open) end.destroy();
    this.open.clear();
  }

  async close(): Promise<void> {
    this.cut();
    await new Promise((resolve) => this.server.close(resolve));
  }
}
