import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { domainOf } from '../core/address/address.ts';
import { readMessage } from '../core/message/read.ts';
import { Agenda, type Deed } from './agenda.ts';
import { EXTENSIONS, type Faults } from './imap/session.ts';
import { listenImap, type Listening } from './imap/server.ts';
import { Gateway } from './gateway.ts';
import { answer, deliveryReport, letter, outOfOffice } from './letters.ts';
import { pick, seeded } from './random.ts';
import type { Behaviour, Correspondent, WorldSettings } from './settings.ts';
import { listenSmtp, type RecipientAnswer } from './smtp.ts';
import { Account, type KeptMessage } from './store.ts';
import { EXCHANGE, vouched } from './vouch.ts';

export interface WorldOptions {
  dir: string;
  imapPort: number;
  smtpPort: number;
  /** How much faster than life correspondents act; 1 is life. */
  speed: number;
  /** IMAP extensions offered; all by default. */
  extensions?: readonly string[];
}

const MINUTE = 60_000;
/** By which the simulated gateway knows the demo firm. */
export const GATEWAY_KEY = 'quillhurst-gateway';

/** The simulated outside world: the staff's mailboxes, everyone they write to, and what those do. */
export class World {
  private readonly staff = new Map<string, Account>();
  private readonly people = new Map<string, Correspondent>();
  /** Everything correspondents received; each message's recipient is kept among its flags. */
  private readonly received: Account;
  private readonly agenda: Agenda;
  /** For text messages, with all telephones. */
  readonly gateway: Gateway;
  private readonly heldUp = new Set<string>();
  private domains: Set<string> | null = null;
  private listeners: Listening[] = [];
  private closed = false;
  imapPort = 0;
  smtpPort = 0;
  /** How the exchange misbehaves now; tests turn faults on and off. */
  readonly faults: Faults = {};

  private constructor(
    readonly settings: WorldSettings,
    private readonly options: WorldOptions,
  ) {
    for (const { address, password } of settings.accounts) {
      this.staff.set(address, new Account(address, password, join(options.dir, 'accounts', address)));
    }
    for (const person of settings.correspondents) this.people.set(person.address, person);
    this.received = new Account('outside', '', join(options.dir, 'outside'));
    this.gateway = new Gateway(join(options.dir, 'gateway.jsonl'), GATEWAY_KEY, () => this.speed);
    this.agenda = new Agenda(join(options.dir, 'agenda.jsonl'), (deed) => this.act(deed));
  }

  /** Opens the world kept in the folder, whose world.json says what it is made of. */
  static async open(options: WorldOptions): Promise<World> {
    mkdirSync(options.dir, { recursive: true });
    const settings = JSON.parse(readFileSync(join(options.dir, 'world.json'), 'utf8')) as WorldSettings;
    const world = new World(settings, options);
    const imap = await listenImap(options.imapPort, {
      login: (user, password) => world.login(user, password),
      extensions: options.extensions ?? EXTENSIONS,
      faults: world.faults,
    });
    const smtp = await listenSmtp(options.smtpPort, {
      login: (user, password) => world.login(user, password) !== null,
      recipient: (sender, recipient) => world.recipient(sender, recipient),
      accept: (coming, recipients, raw) => {
        const found = vouched(raw, coming, (domain) => world.isKnown(domain));
        for (const recipient of recipients) world.deliver(coming.sender, recipient, found);
        world.fileSent(coming.sender, raw);
      },
    });
    world.listeners = [imap, smtp];
    world.imapPort = imap.port;
    world.smtpPort = smtp.port;
    return world;
  }

  /** Once; what comes after does nothing. */
  async close(): Promise<void> {
    if (this.closed) return;
    this.closed = true;
    this.agenda.stop();
    this.gateway.stop();
    await Promise.all(this.listeners.map((listener) => listener.close()));
    for (const account of [...this.staff.values(), this.received]) account.close();
  }

  get speed(): number {
    return this.options.speed;
  }

  set speed(speed: number) {
    this.agenda.rescale(this.options.speed / speed);
    this.options.speed = speed;
  }

  get deedsWaiting(): number {
    return this.agenda.waiting;
  }

  account(address: string): Account | undefined {
    return this.staff.get(address);
  }

  correspondents(): Correspondent[] {
    return [...this.people.values()];
  }

  private login(user: string, password: string): Account | null {
    const account = this.staff.get(user.toLowerCase());
    return account && account.password === password ? account : null;
  }

  /** Many a server keeps a copy of what is sent over it, some only after a while. */
  private fileSent(sender: string, raw: Buffer): void {
    const after = this.faults.filesSent;
    if (after === undefined) return;
    setTimeout(() => this.staff.get(sender)?.folder('Sent')?.append(raw, ['\\Seen'], new Date()), after);
  }

  private recipient(sender: string, recipient: string): RecipientAnswer | null {
    if (recipient.endsWith(`@${this.settings.firmDomain}`)) {
      return this.staff.has(recipient)
        ? null
        : { code: 550, text: '5.1.1 there is nobody of that name here' };
    }
    const behaviour: Behaviour = this.people.get(recipient)?.behaviour ?? 'unknown';
    if (behaviour === 'unknown') return { code: 550, text: '5.1.1 there is nobody of that name here' };
    if (behaviour === 'full') return { code: 552, text: '5.2.2 the mailbox is full' };
    const pair = `${sender} ${recipient}`;
    if (behaviour === 'later' && !this.heldUp.has(pair)) {
      this.heldUp.add(pair);
      return { code: 451, text: '4.7.1 not now, please try again in a few minutes' };
    }
    return null;
  }

  /** Whether a domain is the firm's or a correspondent's. */
  private isKnown(domain: string): boolean {
    this.domains ??= new Set([
      this.settings.firmDomain,
      ...this.settings.correspondents.map(({ address }) => domainOf(address)),
    ]);
    return this.domains.has(domain);
  }

  private deliver(sender: string, recipient: string, raw: Buffer): void {
    const now = new Date();
    const trace = `Return-Path: <${sender}>\r\nReceived: by ${EXCHANGE} for <${recipient}>; ${now.toUTCString().replace('GMT', '+0000')}\r\n`;
    const traced = Buffer.concat([Buffer.from(trace), raw]);
    const account = this.staff.get(recipient);
    if (account) {
      account.folder('INBOX')?.append(traced, [], now);
      return;
    }
    const kept = this.received.folder('INBOX')?.append(traced, [`to:${recipient}`], now);
    const person = this.people.get(recipient);
    if (kept && person) this.plan(person, kept);
  }

  /** Decides, by the seed, what the recipient will do about a message and when. */
  private plan(person: Correspondent, kept: KeptMessage): void {
    const random = seeded(`${this.settings.seed} ${kept.messageId} ${person.address}`);
    const later = (kind: Deed['kind'], minutes: number) =>
      this.agenda.add({
        id: `${kind}-${kept.uid}`,
        at: Date.now() + (minutes * MINUTE) / this.speed,
        kind,
        uid: kept.uid,
        recipient: person.address,
      });
    if (person.behaviour === 'reported') return later('report', 1 + random() * 3);
    if (person.behaviour === 'out-of-office') return later('out-of-office', 0.2 + random());
    if (random() < 0.7) {
      const opened = 3 + random() * 240;
      later('open', opened);
      if (random() < 0.3) later('follow', opened + 1 + random() * 5);
    }
    if (person.behaviour !== 'silent' && random() < this.settings.answerShare)
      later('answer', 5 + random() * 300);
  }

  private async act(deed: Deed): Promise<void> {
    const kept = this.received.folder('INBOX')?.find(deed.uid);
    const person = this.people.get(deed.recipient);
    if (!kept || !person) return;
    const raw = this.received.folder('INBOX')?.read(kept) ?? Buffer.alloc(0);
    const random = seeded(`${this.settings.seed} ${deed.id} ${kept.messageId}`);
    const message = await readMessage(raw);
    // People answer a mailing, though it says how to have no more of them; programs answer neither it nor each other.
    const written = !/^auto-/i.test(message.headers.get('auto-submitted') ?? '');
    const byHand = deed.kind === 'open' || deed.kind === 'follow' || (deed.kind === 'answer' && written);
    if (message.automatic && !byHand) return;
    const now = new Date();
    switch (deed.kind) {
      case 'answer':
        return this.toFirm(
          message.replyTo[0]?.address ?? message.from?.address ?? '',
          await answer(person, message, random, now),
        );
      case 'out-of-office':
        return this.toFirm(message.from?.address ?? '', await outOfOffice(person, message, random, now));
      case 'report':
        return this.toFirm(
          message.from?.address ?? '',
          await deliveryReport(raw, person.address, '5.1.1', '550 5.1.1 no such user', random, now),
        );
      default:
        return visit(message.html ?? '', deed.kind);
    }
  }

  private toFirm(address: string, raw: Buffer): void {
    const found = vouched(raw, null, () => true);
    this.staff.get(address.toLowerCase())?.folder('INBOX')?.append(found, [], new Date());
  }

  /** Messages a correspondent received, newest first. */
  async inbox(
    address: string,
  ): Promise<{ uid: number; subject: string; from: string; date: string; text: string }[]> {
    const folder = this.received.folder('INBOX');
    const kept = folder?.messages.filter((message) => message.flags.has(`to:${address}`)) ?? [];
    const newest = kept.slice(-50).reverse();
    return Promise.all(
      newest.map(async (message) => {
        const read = await readMessage(folder?.read(message) ?? Buffer.alloc(0));
        return {
          uid: message.uid,
          subject: read.subject,
          from: read.from?.name || read.from?.address || '',
          date: message.internalDate.toISOString(),
          text: read.text,
        };
      }),
    );
  }

  /** Number of messages each correspondent has received. */
  counts(): Map<string, number> {
    const counts = new Map<string, number>();
    for (const message of this.received.folder('INBOX')?.messages ?? []) {
      for (const flag of message.flags)
        if (flag.startsWith('to:')) counts.set(flag.slice(3), (counts.get(flag.slice(3)) ?? 0) + 1);
    }
    return counts;
  }

  /** Answers a received message as that correspondent, at once. */
  async answerAs(address: string, uid: number, text: string): Promise<void> {
    const person = this.known(address);
    const kept = this.received.folder('INBOX')?.find(uid);
    if (!kept) throw new Error('That message is not here any more.');
    const message = await readMessage(this.received.folder('INBOX')?.read(kept) ?? Buffer.alloc(0));
    const random = seeded(`${this.settings.seed} ${address} ${Date.now()}`);
    this.toFirm(message.from?.address ?? '', await answer(person, message, random, new Date(), text));
  }

  /** Writes to a member of the firm as that correspondent, at once. */
  async writeAs(address: string, to: string, subject: string, text: string): Promise<void> {
    if (!this.staff.has(to)) throw new Error('Nobody at the firm has that address.');
    const random = seeded(`${this.settings.seed} ${address} ${Date.now()}`);
    this.toFirm(to, await letter(this.known(address), to, subject, text, random, new Date()));
  }

  private known(address: string): Correspondent {
    const person = this.people.get(address);
    if (!person) throw new Error('Nobody has that address out here.');
    return person;
  }
}

/** Opens a message's pictures, or follows one of its links; only addresses on this machine are asked. */
async function visit(html: string, kind: 'open' | 'follow'): Promise<void> {
  const pattern =
    kind === 'open'
      ? /<img[^>]+src="(http:\/\/127\.0\.0\.1:\d+\/[^"]*)"/g
      : /<a[^>]+href="(http:\/\/127\.0\.0\.1:\d+\/[^"]*)"/g;
  const links = Array.from(html.matchAll(pattern), (match) => (match[1] ?? '').replaceAll('&amp;', '&'));
  if (!links.length) return;
  const asked = kind === 'open' ? links : [pick(Math.random, links)];
  // Where it leads from there is none of this world.
  await Promise.all(asked.map((link) => fetch(link, { redirect: 'manual' }).catch(() => undefined)));
}
