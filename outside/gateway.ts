import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import { Router, type Request } from 'express';
import { z } from 'zod';
import { textLength } from '../core/textmessage/gsm.ts';

/** What one part costs, in the currency below. */
const EACH = 0.04;
const CURRENCY = 'GBP';
/** A report comes after so long in life, an answer after so much longer, in milliseconds. */
const REPORT_AFTER = 20_000;
const ANSWER_AFTER = 4 * 60_000;

const Message = z.object({
  from: z.string().min(1).max(20),
  to: z.string().regex(/^\+\d{5,15}$/, 'That is no number of a telephone.'),
  text: z.string().min(1).max(2000),
});
const Answer = z.object({
  from: z.string(),
  text: z.string().trim().min(1, 'Write something first.').max(1000),
});

interface Event {
  number: number;
  kind: 'delivered' | 'failed' | 'answer';
  id: string;
  from: string;
  text: string;
  why: string;
  at: string;
}
interface Kept {
  id: string;
  to: string;
  from: string;
  text: string;
  at: string;
}
type Line = { message: Kept } | { event: Event };

/** One line on the display of a telephone. */
export interface OnTelephone {
  at: string;
  ours: boolean;
  text: string;
}

/**
 * A simulated gateway for text messages, and every telephone it reaches: as docs/TEXTMESSAGES.md describes it. A number
 * that ends in 9 is out of service, one that ends in 8 wants no more, one that ends in 7 answers.
 */
export class Gateway {
  private readonly messages = new Map<string, Kept>();
  private readonly events: Event[] = [];
  private readonly timers = new Set<NodeJS.Timeout>();
  /** While it is out of order it answers nothing but faults; tests turn it on and off. */
  broken = false;
  /** How often each message was handed over. */
  readonly handed = new Map<string, number>();

  constructor(
    private readonly path: string,
    readonly key: string,
    private readonly speed: () => number,
  ) {
    if (!existsSync(path)) return;
    for (const text of readFileSync(path, 'utf8').split('\n')) {
      if (!text.endsWith('}')) continue;
      const line = JSON.parse(text) as Line;
      if ('message' in line) this.messages.set(line.message.id, line.message);
      else this.events.push(line.event);
    }
  }

  stop(): void {
    for (const timer of this.timers) clearTimeout(timer);
  }

  /** Its side of the interface. */
  routes(): Router {
    const router = Router();
    router.use((req, res, next) => {
      if (this.broken) return void res.status(503).json({ message: 'out of order' });
      if (!this.mayAsk(req)) return void res.status(401).json({ message: 'that key is not known here' });
      next();
    });
    router.put('/messages/:id', (req, res) => {
      const { from, to, text } = Message.parse(req.body);
      const { parts } = textLength(text);
      res.json({ parts, price: Math.round(parts * EACH * 10_000) / 10_000 });
      this.take({ id: String(req.params.id), from, to, text, at: new Date().toISOString() });
    });
    router.get('/events', (req, res) => {
      const after = Number(req.query.after ?? 0);
      res.json({ events: this.events.filter(({ number }) => number > after).slice(0, 500) });
    });
    router.get('/prices', (_req, res) => void res.json({ each: EACH, currency: CURRENCY }));
    return router;
  }

  private mayAsk(req: Request): boolean {
    return req.headers.authorization === `Bearer ${this.key}`;
  }

  /** Handed over again under the same mark, it is the same message. */
  private take(message: Kept): void {
    this.handed.set(message.id, (this.handed.get(message.id) ?? 0) + 1);
    if (this.messages.has(message.id)) return;
    this.messages.set(message.id, message);
    this.write({ message });
    const dead = message.to.endsWith('9');
    const report = { id: message.id, from: '', text: '' };
    this.later(REPORT_AFTER, () =>
      this.tell({ ...report, kind: dead ? 'failed' : 'delivered', why: dead ? 'number not in service' : '' }),
    );
    const answer = { 7: 'Thank you, that suits us.', 8: 'STOP' }[message.to.slice(-1)];
    if (answer) this.later(ANSWER_AFTER, () => this.answer(message.to, answer));
  }

  /** Somebody answers from a telephone. */
  answer(from: string, text: string): void {
    this.tell({ kind: 'answer', id: '', from, text, why: '' });
  }

  private tell(event: Omit<Event, 'number' | 'at'>): void {
    const told = { ...event, number: (this.events.at(-1)?.number ?? 0) + 1, at: new Date().toISOString() };
    this.events.push(told);
    this.write({ event: told });
  }

  private later(life: number, act: () => void): void {
    const timer = setTimeout(() => {
      this.timers.delete(timer);
      act();
    }, life / this.speed());
    this.timers.add(timer);
  }

  private write(line: Line): void {
    appendFileSync(this.path, `${JSON.stringify(line)}\n`);
  }

  /** The telephones that were written to or wrote, the last first, with what stands on each. */
  telephones(): { number: string; lines: OnTelephone[] }[] {
    const all = new Map<string, OnTelephone[]>();
    const put = (number: string, line: OnTelephone) => all.set(number, [...(all.get(number) ?? []), line]);
    const delivered = new Set(this.events.filter(({ kind }) => kind === 'delivered').map(({ id }) => id));
    for (const { id, to, text, at } of this.messages.values())
      if (delivered.has(id)) put(to, { at, ours: false, text });
    for (const { kind, from, text, at } of this.events)
      if (kind === 'answer') put(from, { at, ours: true, text });
    const lastOf = (lines: readonly OnTelephone[]) => lines.at(-1)?.at ?? '';
    return [...all]
      .map(([number, lines]) => ({ number, lines: lines.sort((a, b) => a.at.localeCompare(b.at)) }))
      .sort((a, b) => lastOf(b.lines).localeCompare(lastOf(a.lines)));
  }

  /** What the outside world's page does with telephones. */
  pageRoutes(): Router {
    const router = Router();
    router.get('/', (_req, res) => void res.json(this.telephones()));
    router.post('/answer', (req, res) => {
      const { from, text } = Answer.parse(req.body);
      this.answer(from, text);
      res.json({ done: true });
    });
    return router;
  }
}
