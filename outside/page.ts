import { readFileSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import express, { type NextFunction, type Request, type Response } from 'express';
import helmet from 'helmet';
import { z } from 'zod';
import type { World } from './world.ts';

const Answer = z.object({
  address: z.string(),
  uid: z.number().int(),
  text: z.string().trim().min(1, 'Write something first.'),
});
const Letter = z.object({
  address: z.string(),
  to: z.string(),
  subject: z.string().trim().min(1, 'Give it a subject.'),
  text: z.string().trim().min(1, 'Write something first.'),
});
const Clock = z.object({ speed: z.number().min(0.1).max(10_000) });

const asset = (name: string) => readFileSync(new URL(`page/${name}`, import.meta.url), 'utf8');

/** The outside world's own page: what any client has received, answering and writing as them, the clock. */
export function outsideApp(world: World): express.Express {
  const app = express();
  app.use(helmet());
  app.use(express.json({ limit: '200kb' }));
  app.get('/', (_req, res) => res.type('html').send(asset('index.html')));
  app.get('/page.js', (_req, res) => res.type('js').send(asset('page.js')));
  app.get('/page.css', (_req, res) => res.type('css').send(asset('page.css')));
  app.get('/api/people', (req, res) => {
    const wanted = String(req.query.q ?? '').toLowerCase();
    const counts = world.counts();
    const people = world
      .correspondents()
      .map((person) => ({ ...person, received: counts.get(person.address) ?? 0 }))
      .filter((person) => `${person.name} ${person.address}`.toLowerCase().includes(wanted))
      .sort((a, b) => b.received - a.received || a.name.localeCompare(b.name));
    res.json({
      people: people.slice(0, 60),
      total: people.length,
      staff: world.settings.accounts.map(({ address, name }) => ({ address, name })),
    });
  });
  app.get('/api/inbox', async (req, res) => res.json(await world.inbox(String(req.query.address ?? ''))));
  app.post('/api/answer', async (req, res) => {
    const { address, uid, text } = Answer.parse(req.body);
    await world.answerAs(address, uid, text);
    res.json({ done: true });
  });
  app.post('/api/write', async (req, res) => {
    const { address, to, subject, text } = Letter.parse(req.body);
    await world.writeAs(address, to, subject, text);
    res.json({ done: true });
  });
  app.use('/gateway', world.gateway.routes());
  app.use('/api/telephones', world.gateway.pageRoutes());
  app.get('/api/clock', (_req, res) => res.json({ speed: world.speed, waiting: world.deedsWaiting }));
  app.post('/api/clock', (req, res) => {
    world.speed = Clock.parse(req.body).speed;
    res.json({ speed: world.speed, waiting: world.deedsWaiting });
  });
  app.use((error: Error, _req: Request, res: Response, _next: NextFunction) => {
    const message =
      error instanceof z.ZodError ? (error.issues[0]?.message ?? 'That will not do.') : error.message;
    res.status(400).json({ message });
  });
  return app;
}

/** Serves the page on loopback; port 0 takes any free one. */
export function listenPage(world: World, port: number): Promise<{ port: number; close(): Promise<void> }> {
  return new Promise((resolve, reject) => {
    const server: Server = outsideApp(world).listen(port, '127.0.0.1', (error?: Error) => {
      if (error) return reject(error);
      resolve({
        port: (server.address() as AddressInfo).port,
        close: () =>
          new Promise((done) => {
            server.close(() => done());
            server.closeAllConnections();
          }),
      });
    });
  });
}
