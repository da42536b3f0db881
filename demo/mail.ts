import { compose, deliveryReport, newMessageId } from '../outside/letters.ts';
import { pick, seeded } from '../outside/random.ts';
import type { Account } from '../outside/store.ts';
import { EXCHANGE, vouched } from '../outside/vouch.ts';
import { photograph, plan, reportsOf } from './papers.ts';
import { CLOSINGS, GENERAL, LAST_NAMES, FIRST_NAMES, OPENINGS, placeName } from './names.ts';
import {
  FIRM,
  OFFICE,
  STAFF,
  type DemoClient,
  type DemoFile,
  type DemoPerson,
  type DemoRegister,
  type DemoStaff,
} from './register.ts';

interface Letter {
  from: { name: string; address: string };
  to: { name: string; address: string }[];
  cc?: { name: string; address: string }[];
  subject: string;
  text: string;
  at: Date;
  messageId: string;
  parents: string[];
  attachments?: { filename: string; content: Buffer; contentType: string }[];
  headers?: Record<string, string>;
  /** Written by somebody else: the exchange finds out. */
  forged?: boolean;
}

const DAY = 24 * 3600 * 1000;
const MONTHS = 9;

/** Fills the staff's mailboxes with the firm's mail of the last nine months; the same seed and day give the same mail. */
export async function fillMailboxes(
  register: DemoRegister,
  accounts: ReadonlyMap<string, Account>,
  seed: string,
  now: Date,
  conversationsPerClient = 4,
): Promise<number> {
  const writer = new MailWriter(register, seed, now, await reportsOf(register, now));
  writer.clientMail(conversationsPerClient);
  writer.internalMail();
  writer.circulars();
  await writer.returned();
  writer.unsorted();
  writer.nobodys();
  writer.toTheOffice();
  const letters = writer.letters.sort((a, b) => a.at.getTime() - b.at.getTime());
  for (const letter of letters) await post(letter, accounts, now);
  for (const { raw, to, at } of writer.reports)
    accounts
      .get(to)
      ?.folder('INBOX')
      ?.append(
        vouched(raw, null, () => true),
        ['\\Seen'],
        at,
      );
  return letters.length + writer.reports.length;
}

/** Puts a letter where it would lie: the sender's Sent folder, and the inbox of each colleague it went to. */
async function post(letter: Letter, accounts: ReadonlyMap<string, Account>, now: Date): Promise<void> {
  const raw = await compose({
    from: letter.from,
    to: letter.to,
    cc: letter.cc,
    subject: letter.subject,
    text: letter.text,
    date: letter.at,
    messageId: letter.messageId,
    attachments: letter.attachments,
    headers: letter.headers,
    ...(letter.parents.length ? { inReplyTo: letter.parents.at(-1), references: letter.parents } : {}),
  });
  const seen = now.getTime() - letter.at.getTime() > 2 * DAY ? ['\\Seen'] : [];
  accounts.get(letter.from.address)?.folder('Sent')?.append(raw, ['\\Seen'], letter.at);
  for (const { address } of [...letter.to, ...(letter.cc ?? [])]) {
    const received = Buffer.concat([
      Buffer.from(
        `Received: by ${EXCHANGE} for <${address}>; ${letter.at.toUTCString().replace('GMT', '+0000')}\r\n`,
      ),
      vouched(raw, letter.forged ? STRANGER : null, () => true),
    ]);
    accounts.get(address)?.folder('INBOX')?.append(received, seen, letter.at);
  }
}

/** Where forged letters come from. */
const STRANGER = { user: null, peer: 'host-17.elsewhere.example', sender: 'office@elsewhere.example' };

const FILLER = [
  'We will speak again when you are back.',
  'There is no hurry with this.',
  'I enclose what I have.',
  'Do ring if that is easier.',
];

class MailWriter {
  readonly letters: Letter[] = [];
  readonly reports: { raw: Buffer; to: string; at: Date }[] = [];
  private readonly random: () => number;

  constructor(
    private readonly register: DemoRegister,
    seed: string,
    private readonly now: Date,
    /** By the number of their file. */
    private readonly reportOf: ReadonlyMap<number, Buffer>,
  ) {
    this.random = seeded(`${seed} mail`);
  }

  private staff(id: number): DemoStaff {
    const member = STAFF.find((each) => each.id === id);
    if (!member) throw new Error(`no member of staff ${id}`);
    return member;
  }

  /** A working moment so many days ago. */
  private moment(daysAgo: number): Date {
    const date = new Date(this.now.getTime() - daysAgo * DAY);
    if (date.getUTCDay() === 0) date.setTime(date.getTime() - 2 * DAY);
    if (date.getUTCDay() === 6) date.setTime(date.getTime() - DAY);
    date.setUTCHours(
      8 + Math.floor(this.random() * 9),
      Math.floor(this.random() * 60),
      Math.floor(this.random() * 60),
      0,
    );
    return date.getTime() > this.now.getTime() - 3600_000 ? new Date(date.getTime() - DAY) : date;
  }

  clientMail(perClient: number): void {
    for (const client of this.register.clients) {
      const writers = client.people.filter((person) => person.addresses.length);
      if (!writers.length) continue;
      const count = client.status === 'active' ? Math.round(perClient * (0.4 + this.random() * 1.2)) : 1;
      for (let index = 0; index < count; index++) this.conversation(client, pick(this.random, writers));
    }
  }

  private conversation(client: DemoClient, person: DemoPerson): void {
    const { random } = this;
    const open = client.files.filter((file) => !file.closed && !file.general);
    const file =
      open.length && random() < 0.85
        ? pick(random, open)
        : (client.files.find((each) => each.general) ?? null);
    if (!file) return;
    const adviser = this.staff(client.adviserId);
    const sure = open.length === 0 || (open.length === 1 && file === open[0]);
    const subject = pick(random, file.matter.subjects);
    const words = sure || random() < 0.5 ? subject : `${file.number}: ${subject}`;
    const numbered = sure || words !== subject ? '' : `Our reference is ${file.number}.`;
    const length = 1 + Math.floor(random() ** 1.5 * 6);
    let at = this.moment(3 + random() * MONTHS * 30);
    let ours = random() < 0.45;
    let previous: Letter | null = null;
    for (let step = 0; step < length && at.getTime() < this.now.getTime() - 2 * DAY; step++) {
      const letter: Letter = this.letter(
        client,
        person,
        adviser,
        file,
        ours,
        step ? `Re: ${words}` : words,
        step ? '' : numbered,
        at,
        previous,
      );
      // Most exchanges end; an answer is owed to some only.
      const last = step === length - 1 && !ours && at.getUTCMinutes() % 6 > 0;
      if (last)
        letter.text = letter.text.replace(
          '\n\n',
          `\n\n${step ? 'All clear, thank you' : 'For your notes'}; no need to reply. `,
        );
      this.letters.push(letter);
      previous = letter;
      ours = !ours;
      at = new Date(at.getTime() + (0.05 + random() * 3) * DAY);
    }
  }

  private letter(
    client: DemoClient,
    person: DemoPerson,
    adviser: DemoStaff,
    file: DemoFile,
    ours: boolean,
    subject: string,
    extra: string,
    at: Date,
    previous: Letter | null,
  ): Letter {
    const { random } = this;
    const address = person.addresses[0]?.email ?? '';
    const outside = { name: `${person.firstName} ${person.lastName}`.trim(), address };
    const inside = { name: adviser.name, address: adviser.email };
    const petra = this.staff(5);
    const quote = previous
      ? [
          '',
          `On ${previous.at.toUTCString().slice(0, 22)}, ${previous.from.name} wrote:`,
          ...previous.text
            .split('\n')
            .slice(0, 14)
            .map((line) => `> ${line}`),
        ]
      : [];
    const line = pick(random, file.matter.lines);
    const second = random() < 0.5 ? pick(random, file.matter.lines) : pick(random, FILLER);
    const body = [
      `Dear ${(ours ? person.firstName : adviser.name.split(' ')[0]) || 'all'},`,
      '',
      [pick(random, OPENINGS), extra, line].filter(Boolean).join(' '),
      ...(second === line ? [] : ['', second]),
      '',
      pick(random, CLOSINGS),
      ours ? adviser.name : outside.name,
      ...(ours ? ['', '-- ', `${adviser.name}, ${adviser.title}`, FIRM.notice] : [client.place]),
      ...quote,
    ];
    const from = ours ? inside : outside;
    return {
      from,
      to: [ours ? outside : inside],
      ...(random() < 0.1 ? { cc: [{ name: petra.name, address: petra.email }] } : {}),
      subject,
      text: body.join('\n'),
      at,
      messageId: newMessageId(from.address, random, at),
      parents: previous ? [...previous.parents, previous.messageId].slice(-8) : [],
      ...(random() < 0.16 ? { attachments: this.attachments(file, ours) } : {}),
    };
  }

  /** So many throws: as many as ever, so that all that follows stays as it is. */
  private dice(count: number): number[] {
    return Array.from({ length: count }, this.random);
  }

  private attachments(file: DemoFile, ours: boolean) {
    const { random } = this;
    const name = file.title.split(' ')[0]?.toLowerCase();
    const number = 1 + Math.floor(random() * 9);
    const [first = 0, second = 0] = this.dice(9);
    const seed = Math.floor(first * 1000);
    const mapped = second < 0.4;
    const list = measurements(random);
    const picture = {
      filename: mapped ? `plan-${name}.png` : `${name}-${number}.png`,
      content: mapped ? plan(seed % 8) : photograph(seed % 12),
      contentType: 'image/png',
    };
    const report = ours ? this.reportOf.get(file.id) : undefined;
    const paper = report
      ? { filename: `${file.number} what we found.pdf`, content: report, contentType: 'application/pdf' }
      : {
          filename: `${file.number} measurements.csv`,
          content: list,
          contentType: 'text/csv',
        };
    return random() < 0.5 ? [picture] : random() < 0.7 ? [paper] : [picture, paper];
  }

  internalMail(): void {
    const topics = [
      'Van keys',
      'Diary for next week',
      'Printer paper',
      'Who is in on Friday',
      'Cake in the kitchen',
      'Leave in August',
      'Rota for the telephones',
    ];
    for (let index = 0; index < 220; index++) {
      const from = pick(this.random, STAFF);
      const to = pick(
        this.random,
        STAFF.filter((member) => member !== from),
      );
      const at = this.moment(1 + this.random() * MONTHS * 30);
      this.plain(
        from,
        to,
        pick(this.random, topics),
        `${to.name.split(' ')[0]},\n\n${pick(this.random, FILLER)}\n\n${from.name.split(' ')[0]}`,
        at,
      );
    }
  }

  private plain(
    from: { name: string; email: string },
    to: { name: string; email: string },
    subject: string,
    text: string,
    at: Date,
    headers?: Record<string, string>,
  ): void {
    this.letters.push({
      from: { name: from.name, address: from.email },
      to: [{ name: to.name, address: to.email }],
      subject,
      text,
      at,
      messageId: newMessageId(from.email, this.random, at),
      parents: [],
      ...(headers ? { headers } : {}),
    });
  }

  /** Questions to the address on the letterhead, from clients with one matter in hand or none. */
  toTheOffice(): void {
    const questions = [
      ['Opening hours before Christmas', 'Could you tell me whether somebody is in on the twenty-third?'],
      [
        'New telephone number',
        'We have a new number at the house; the old one rings out. Nothing else has changed.',
      ],
      ['Copy of our plan', 'Would you send us another copy of the plan? Ours was left in the rain.'],
      ['Parking at the loft', 'Is there room to leave a trailer in the yard on Thursday morning?'],
      ['A form came by post', 'A form came that I do not understand. Shall I bring it with me?'],
    ] as const;
    const clients = this.register.clients.filter(
      (client) =>
        client.status === 'active' &&
        client.people[0]?.addresses.length &&
        client.files.filter((file) => !file.closed && !file.general).length <= 1,
    );
    for (let index = 0; index < Math.min(26, clients.length); index++) {
      const client = clients[(index * 7) % clients.length];
      const person = client?.people[0];
      if (!client || !person) continue;
      const [subject, question] = pick(this.random, questions);
      this.plain(
        { name: `${person.firstName} ${person.lastName}`.trim(), email: person.addresses[0]?.email ?? '' },
        { name: FIRM.name, email: OFFICE },
        subject,
        `Good morning,\n\n${question}\n\nYours\n${person.firstName} ${person.lastName}\n${client.place}\n`,
        this.moment(0.3 + this.random() * 50),
      );
    }
  }

  circulars(): void {
    const senders = [
      'Sallowshire Tree Nursery',
      'The Hedge Post',
      'Upland Implements',
      'Meadow Seed Merchants',
    ];
    const subjects = [
      'Winter list now out',
      'This month in hedges',
      'Ex-demonstration flails',
      'Seed mixtures for wet ground',
    ];
    for (let index = 0; index < 260; index++) {
      const which = Math.floor(this.random() * senders.length);
      const host = `${(senders[which] ?? '').toLowerCase().replace(/[^a-z]/g, '')}.example`;
      this.plain(
        { name: senders[which] ?? '', email: `news@${host}` },
        pick(this.random, STAFF),
        subjects[which] ?? '',
        `Good morning,\n\nOur ${(subjects[which] ?? '').toLowerCase()} may be read on our pages.\n\n${senders[which]}\n`,
        this.moment(1 + this.random() * MONTHS * 30),
        { 'List-Id': `<news.${host}>`, 'List-Unsubscribe': `<mailto:leave@${host}>`, Precedence: 'bulk' },
      );
    }
  }

  /** What is no client's: bills and notices of suppliers, and now and then something of the staff's own. */
  nobodys(): void {
    const businesses = [
      {
        email: 'billing@brackenfoldpaper.example',
        name: 'Brackenfold Paper',
        subject: 'Your order has gone out',
      },
      {
        email: 'service@tarnofficemachines.example',
        name: 'Tarn Office Machines',
        subject: 'The copier: service due',
      },
      { email: 'accounts@westmerelines.example', name: 'Westmere Lines', subject: 'Statement for the month' },
      { email: 'support@mapsheetdesk.example', name: 'Mapsheet Desk', subject: 'Your question was answered' },
    ];
    for (let index = 0; index < 60; index++) {
      const { email, name, subject } = pick(this.random, businesses);
      this.plain(
        { name, email },
        pick(this.random, STAFF),
        subject,
        `Good morning,\n\nYou will find it under number ${40_000 + index * 17}. There is nothing else to do.\n\n${name}\n`,
        this.moment(index < 12 ? this.random() * 5 : 1 + this.random() * MONTHS * 30),
      );
    }
    for (let index = 0; index < 14; index++) {
      const name = `${pick(this.random, FIRST_NAMES)} ${pick(this.random, LAST_NAMES)}`;
      this.plain(
        { name, email: `${name.toLowerCase().replace(' ', '.')}@postbox.example` },
        pick(this.random, STAFF),
        pick(this.random, ['Sunday', 'The choir', 'Your bicycle', 'Photographs']),
        'Hello,\n\nSee you there, then. Bring the tall ladder if you can.\n',
        this.moment(30 + this.random() * (MONTHS - 1) * 30),
      );
    }
  }

  /** A few of our own messages came back: to addresses that do not exist any more. */
  async returned(): Promise<void> {
    const gone = this.letters.filter(
      (letter) =>
        STAFF.some((member) => member.email === letter.from.address) &&
        letter.to[0]?.address.endsWith('.example'),
    );
    for (const letter of gone.slice(-400).filter((_, index) => index % 80 === 7)) {
      const raw = await compose({
        from: letter.from,
        to: letter.to,
        subject: letter.subject,
        text: letter.text,
        date: letter.at,
        messageId: letter.messageId,
      });
      const at = new Date(letter.at.getTime() + 4 * 60_000);
      const report = await deliveryReport(
        raw,
        letter.to[0]?.address ?? '',
        '5.1.1',
        '550 5.1.1 no such user',
        this.random,
        at,
      );
      this.reports.push({ raw: report, to: letter.from.address, at });
    }
  }

  /** Fourteen messages of the last days that nobody can file without looking. */
  unsorted(): void {
    const { random } = this;
    const [tobias, ines, rufus, petra] = [this.staff(2), this.staff(3), this.staff(4), this.staff(5)];
    const hours = (n: number) => new Date(this.now.getTime() - n * 3600_000);
    const several = this.register.clients.filter(
      (client) =>
        client.files.filter((file) => !file.closed && !file.general).length > 1 &&
        client.people[0]?.addresses.length,
    );
    const person = (client: DemoClient | undefined) => ({
      name: `${client?.people[0]?.firstName ?? ''} ${client?.people[0]?.lastName ?? ''}`.trim(),
      email: client?.people[0]?.addresses[0]?.email ?? '',
    });
    const culvert = [
      'Tobias,',
      '',
      'As promised, photographs of the culvert after last week. Its lower face is another half metre out, and the ground above it is now bare.',
      '',
      'Is that something for this winter, or does it wait for the other matter?',
      '',
      'Cosmo',
    ].join('\n');
    const at = hours(3);
    this.letters.push({
      from: { name: 'Cosmo Farrant', address: 'cosmo@farrantmill.example' },
      to: [{ name: tobias.name, address: tobias.email }],
      cc: [{ name: 'Bryony Farrant', address: 'bryony@farrantmill.example' }],
      subject: 'Photos of the culvert',
      text: culvert,
      at,
      messageId: newMessageId('cosmo@farrantmill.example', random, at),
      parents: [],
      attachments: [1, 2, 3, 4].map((n) => ({
        filename: `culvert-${n}.png`,
        content: photograph(Math.floor((this.dice(9)[0] ?? 0) * 12)),
        contentType: 'image/png',
      })),
    });
    const forged = person(several[3]);
    this.plain(
      forged,
      this.staff(several[3]?.adviserId ?? 2),
      'Our new bank details',
      `Good morning,\n\nOur bank has changed. Please send the refund of the retainer to the new account, and let me have a line when it is done.\n\n${forged.name}`,
      hours(4),
    );
    const last = this.letters.at(-1);
    if (last) last.forged = true;
    for (const [index, client] of several.slice(1, 3).entries()) {
      this.plain(
        person(client),
        this.staff(client.adviserId),
        pick(random, ['A quick question', 'As discussed', 'When you have a moment', 'Tuesday']),
        `Good morning,\n\n${pick(random, GENERAL.lines)} ${pick(random, FILLER)}\n\n${person(client).name}`,
        hours(5 + index * 9),
      );
    }
    for (const [index, client] of several.slice(9, 13).entries()) {
      const [one, two] = client.files.filter((file) => !file.general && !file.closed);
      this.plain(
        person(client),
        this.staff(client.adviserId),
        pick(random, ['Two things', 'Before Friday', 'Which comes first?']),
        `Good morning,\n\nWe have both on the table now, ${one?.title.toLowerCase()} and ${two?.title.toLowerCase()}. Which of them do you want settled first?\n\n${person(client).name}`,
        hours(6 + index * 8),
      );
    }
    this.plain(
      { name: 'Idris Pell', email: 'idris@pellhouse.example' },
      rufus,
      'Fwd: boundary letter',
      'Rufus,\n\nThis came for the trust. What do we say?\n\nIdris',
      hours(20),
    );
    this.plain(
      { name: 'Tam Wexcombe', email: 'tam@wexcombecontracting.example' },
      ines,
      'Start date at the lower compartment',
      'Ines,\n\nWe can start on the lower compartment on the fourth if the ground holds.\n\nTam',
      hours(26),
    );
    const numbers = several
      .slice(5, 9)
      .map((client) => client.files.find((file) => !file.general && !file.closed))
      .filter((file) => file !== undefined);
    for (const [index, file] of numbers.entries()) {
      const name = `${pick(random, FIRST_NAMES)} ${pick(random, LAST_NAMES)}`;
      this.plain(
        {
          name,
          email: `${name.toLowerCase().replace(' ', '.')}@${placeName(random(), random()).toLowerCase()}surveyors.example`,
        },
        pick(random, [ines, tobias]),
        `Your ref ${file.number}: ${pick(random, file.matter.subjects)}`,
        `Dear colleague,\n\n${pick(random, file.matter.lines)}\n\n${name}`,
        hours(2 + index * 7),
      );
    }
    this.plain(
      { name: '', email: 'hello@tarnsideorchard.example' },
      petra,
      'Could you advise on an orchard?',
      'Hello,\n\nWe have just bought two hectares of old orchard by the tarn. Do you advise on such things, and what would it cost?\n\nKit and Lowri',
      hours(19),
    );
    this.plain(
      { name: '', email: 'm.pell@postbox.example' },
      rufus,
      'my new address',
      'Please use this one from now on.\n\nM',
      hours(31),
    );
    this.plain(
      { name: 'Yard office', email: 'yard@fellsidequarry.example' },
      tobias,
      'Walling stone',
      'We have forty tonnes of walling stone put by as you asked.\n\nThe yard',
      hours(44),
    );
  }
}

/** A list of measurements as a spreadsheet would save it. */
function measurements(random: () => number): Buffer {
  const rows = Array.from(
    { length: 12 },
    (_, index) => `Plot ${index + 1},${Math.round(random() * 400) / 10}`,
  );
  return Buffer.from(['Place,Measured in metres', ...rows, ''].join('\r\n'));
}
