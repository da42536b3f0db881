import { expect } from 'chai';
import type { ImapFlow } from 'imapflow';
import { actOnMail } from '../../server/mailbox/list/acts.ts';
import { MailboxSupervisor } from '../../server/mailbox/sync/supervisor.ts';
import { openFolder } from '../../server/mailserver/imap.ts';
import { Dovecot, skipWithoutDovecot } from './dovecot.ts';
import { openFirm, rawMessage, type TestFirm } from './helpers.ts';

const INES = 'ines.calder@quillhurst.example';
const INES_ID = 3;
/** `npm run test:long` does more of them, from more seeds. */
const ACTS = Number(process.env.IN_STEP_ACTS ?? 90);
const SEEDS = (process.env.IN_STEP_SEEDS ?? '1').split(',').map(Number);
const AT_REST_SECONDS = 60;

/** Numbers from a seed (mulberry32, public domain; from memory). */
function numbersFrom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

const NAMES = [
  'Work',
  'Work/2024',
  'Caf\u00e9',
  'Cafe\u0301',
  'Tail',
  'Tail ',
  '\u{1F33F} woods',
  'Fields',
  'Fields/Low meadow',
  'Old years',
];
const UNTOUCHED = 'Untouched';

/** What one side or the other does to a mailbox, and what that may do to the number of copies of each message. */
class Acts {
  private made = 0;
  readonly copied = new Map<string, number>();
  readonly mayBeGone = new Set<string>();
  private moved: { messageId: number; folderId: number; nowIn: number }[] = [];
  /** What either side did, for whoever looks for the fault. */
  readonly told: string[] = [];

  constructor(
    private readonly firm: TestFirm,
    public there: ImapFlow,
    private readonly again: () => Promise<ImapFlow>,
    private readonly chance: () => number,
  ) {}

  private pick<T>(of: readonly T[]): T | undefined {
    return of[Math.floor(this.chance() * of.length)];
  }

  private async folders(): Promise<string[]> {
    const listed = await this.there.list();
    return listed.map(({ path }) => path).filter((path) => !['Drafts', 'Junk', UNTOUCHED].includes(path));
  }

  async append(path: string): Promise<void> {
    const name = `m${++this.made}@there.example`;
    const raw = rawMessage(
      {
        From: 'Ada Fell <ada@fell.example>',
        To: INES,
        Subject: `About ${name}`,
        'Message-ID': `<${name}>`,
        Date: new Date().toUTCString(),
      },
      'Good morning.',
    );
    await this.there.append(path, raw, this.chance() < 0.5 ? ['\\Seen'] : []);
  }

  /** A server may end a connection whose folder is deleted. */
  async connected(): Promise<ImapFlow> {
    if (!this.there.usable) this.there = await this.again();
    return this.there;
  }

  /** One act of the other client. What it is refused, since a folder has gone meanwhile, is no act. */
  async onTheServer(): Promise<void> {
    await this.connected();
    const folders = await this.folders();
    const path = this.pick(folders) ?? 'INBOX';
    const roll = this.chance();
    const own = folders.filter((each) => NAMES.includes(each) || each.startsWith('N'));
    try {
      if (roll < 0.12) await this.append(path);
      else if (roll < 0.16) {
        const name = this.pick(NAMES) ?? 'Work';
        this.told.push(`there: make ${name}`);
        await this.there.mailboxCreate(name);
      } else if (roll < 0.21) {
        const from = this.pick(own);
        const to = this.chance() < 0.7 ? this.pick(NAMES) : `N${Math.floor(this.chance() * 1000)}`;
        this.told.push(`there: rename ${from} to ${to}`);
        if (from && to) await this.there.mailboxRename(from, to);
      } else if (roll < 0.24) await this.deleteFolder(this.pick(own), roll < 0.225);
      else await this.onMessages(path, folders, (roll - 0.24) / 0.76);
    } catch (error) {
      if (!(error instanceof Error)) throw error;
    }
  }

  private async deleteFolder(path: string | undefined, again: boolean): Promise<void> {
    if (!path) return;
    this.told.push(`there: delete ${path}${again ? ' and make it again' : ''}`);
    // What is on its way into it from here may arrive just before it goes.
    const coming: string[] = await this.firm
      .db('mail_change')
      .join('message_copy', (copy) =>
        copy
          .on('message_copy.folder_id', 'mail_change.folder_id')
          .andOn('message_copy.uid', 'mail_change.uid'),
      )
      .join('message', 'message.id', 'message_copy.message_id')
      .where('mail_change.kind', 'move')
      .pluck('message.message_id');
    for (const name of [...coming, ...(await this.namesIn(path))]) this.mayBeGone.add(name);
    await this.there.mailboxDelete(path);
    if (!again) return;
    await this.there.mailboxCreate(path);
    for (let n = 0; n < 3; n++) await this.append(path);
  }

  private async namesIn(path: string): Promise<string[]> {
    return [...(await whatLiesIn(this.there, path)).values()].map(([name]) => name);
  }

  private async onMessages(path: string, folders: readonly string[], roll: number): Promise<void> {
    const lock = await openFolder(this.there, path);
    try {
      const uids = await this.there.search({ all: true }, { uid: true });
      const uid = this.pick(uids || []);
      if (!uid) return;
      const flag = this.chance() < 0.5 ? '\\Seen' : '\\Flagged';
      const to = this.pick(folders) ?? 'INBOX';
      const found = await this.there.fetchOne(String(uid), { envelope: true }, { uid: true });
      const name = (found && found.envelope?.messageId?.replace(/[<>]/g, '')) || '';
      const where = { uid: true };
      this.told.push(
        `there: ${roll < 0.5 ? flag : roll < 0.75 ? 'move' : roll < 0.88 ? 'copy' : 'delete'} ${name} in ${path}${roll < 0.5 ? '' : ` to ${to}`}`,
      );
      if (roll < 0.25) await this.there.messageFlagsAdd(String(uid), [flag], where);
      else if (roll < 0.5) await this.there.messageFlagsRemove(String(uid), [flag], where);
      else if (roll < 0.75) await this.there.messageMove(String(uid), to, where);
      else if (roll < 0.88) {
        this.copied.set(name, (this.copied.get(name) ?? 0) + 1);
        await this.there.messageCopy(String(uid), to, where);
      } else {
        this.mayBeGone.add(name);
        await this.there.messageDelete(String(uid), where);
      }
    } finally {
      lock.release();
    }
  }

  /** One act of somebody here. */
  async here(): Promise<void> {
    const { db, context } = this.firm;
    const rows: { id: number; name: string; role: string }[] = await db('message_copy')
      .join('folder', 'folder.id', 'message_copy.shown_in')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .join('message', 'message.id', 'message_copy.message_id')
      .where('mailbox.address', INES)
      .whereNot('folder.path', UNTOUCHED)
      .select('message.id', 'message.message_id as name', 'folder.role');
    const row = this.pick(rows);
    const folders: number[] = await db('folder')
      .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
      .where({ address: INES })
      .whereNotIn('role', ['drafts', 'junk'])
      .whereNot({ path: UNTOUCHED })
      .pluck('folder.id');
    const folderId = this.pick(folders);
    if (!row || !folderId) return;
    const on = this.chance() < 0.5;
    const roll = this.chance();
    const act = (what: Parameters<typeof actOnMail>[2]['act'], ids = [row.id]) => {
      this.told.push(`here: ${JSON.stringify(what)} ${row.name}`);
      return actOnMail(context, INES_ID, { messageIds: ids, act: what }).catch((error: unknown) => {
        if ((error as { status?: number }).status === undefined) throw error;
        return { moved: [] };
      });
    };
    if (roll < 0.25) await act({ kind: 'star', on });
    else if (roll < 0.45) await act({ kind: 'read', on });
    else if (roll < 0.7) this.moved = (await act({ kind: 'move', folderId })).moved;
    else if (roll < 0.85) {
      if (row.role === 'trash') this.mayBeGone.add(row.name);
      this.moved = (await act({ kind: 'throw away', forGood: false })).moved;
    } else if (this.moved.length) {
      await act({ kind: 'put back', copies: this.moved }, [
        ...new Set(this.moved.map(({ messageId }) => messageId)),
      ]);
      this.moved = [];
    }
  }
}

type Lying = Map<number, [name: string, marks: string]>;

async function whatLiesIn(client: ImapFlow, path: string): Promise<Lying> {
  const lock = await openFolder(client, path, { readOnly: true });
  const found: Lying = new Map();
  try {
    for await (const { uid, envelope, flags } of client.fetch(
      '1:*',
      { uid: true, envelope: true, flags: true },
      { uid: true },
    ))
      found.set(uid, [
        envelope?.messageId?.replace(/[<>]/g, '') ?? '',
        marks(flags?.has('\\Seen'), flags?.has('\\Flagged')),
      ]);
    return found;
  } finally {
    lock.release();
  }
}

function marks(seen: unknown, flagged: unknown): string {
  return `${seen ? 'read' : 'unread'} ${flagged ? 'starred' : 'plain'}`;
}

/** Every copy on the server, one a line: where it lies, its number, its marks. */
async function onServer(client: ImapFlow): Promise<string[]> {
  const lines: string[] = [];
  for (const { path, flags } of await client.list()) {
    if (flags.has('\\Noselect') || flags.has('\\NonExistent') || ['Drafts', 'Junk'].includes(path)) continue;
    for (const [uid, [name, said]] of await whatLiesIn(client, path))
      lines.push(`${path} ${uid} ${name} ${said}`);
  }
  return lines.sort();
}

/** The same as it is known here. */
async function known(firm: TestFirm): Promise<string[]> {
  const rows: {
    path: string;
    uid: number;
    name: string;
    seen: number;
    flagged: number;
    folder_id: number;
    shown_in: number;
  }[] = await firm
    .db('message_copy')
    .join('folder', 'folder.id', 'message_copy.folder_id')
    .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
    .join('message', 'message.id', 'message_copy.message_id')
    .where('mailbox.address', INES)
    .select('folder.path', 'uid', 'message.message_id as name', 'seen', 'flagged', 'folder_id', 'shown_in');
  return rows
    .map(
      (row) =>
        `${row.path} ${row.uid} ${row.name} ${marks(row.seen, row.flagged)}${row.shown_in === row.folder_id ? '' : ' shown elsewhere'}`,
    )
    .sort();
}

function differences(one: readonly string[], two: readonly string[]): string[] {
  const [here, there] = [new Set(one), new Set(two)];
  return [
    ...two.filter((line) => !here.has(line)).map((line) => `there: ${line}`),
    ...one.filter((line) => !there.has(line)).map((line) => `here: ${line}`),
  ];
}

const EVERYTHING =
  'IMAP4rev1 SASL-IR ID ENABLE IDLE CHILDREN NAMESPACE UIDPLUS LIST-EXTENDED CONDSTORE QRESYNC ESEARCH LIST-STATUS MOVE SPECIAL-USE LITERAL+';
const without = (...gone: string[]) =>
  EVERYTHING.split(' ')
    .filter((each) => !gone.includes(each))
    .join(' ');
const KINDS: Record<string, string | undefined> = {
  'all it can do': undefined,
  'nothing but IMAP4rev1': 'IMAP4rev1',
  'no MOVE': without('MOVE'),
  'no UIDPLUS': without('UIDPLUS'),
  'no QRESYNC': without('QRESYNC'),
  'no CONDSTORE': without('CONDSTORE', 'QRESYNC', 'ENABLE'),
  'no IDLE': without('IDLE'),
  'no LIST-STATUS': without('LIST-STATUS', 'LIST-EXTENDED'),
  'no SPECIAL-USE': without('SPECIAL-USE'),
};
const CHOSEN =
  process.env.IN_STEP_KINDS === 'all'
    ? Object.keys(KINDS)
    : ['all it can do', 'nothing but IMAP4rev1', 'no UIDPLUS'];

describe('in step with an independent server while both sides act', function () {
  before(function () {
    skipWithoutDovecot(this);
  });

  for (const [at, kind] of CHOSEN.entries())
    for (const seed of SEEDS)
      it(`that offers ${kind}, from seed ${seed}: both are equal at rest`, async () => {
        const server = await Dovecot.start({
          ...(KINDS[kind] ? { capability: KINDS[kind] } : {}),
          layout: at % 2 ? 'maildir' : 'sdbox',
        });
        const firm = await openFirm({ clients: 3, files: 4, conversationsPerClient: 0.2 });
        await server.serve(firm, INES);
        const supervisor = new MailboxSupervisor(firm.context);
        const chance = numbersFrom(seed);
        const acts = new Acts(firm, await server.other(INES), () => server.other(INES), chance);
        try {
          await acts.there.mailboxCreate(UNTOUCHED);
          for (const path of ['INBOX', UNTOUCHED]) for (let n = 0; n < 12; n++) await acts.append(path);
          const untouched = await whatLiesIn(acts.there, UNTOUCHED);
          supervisor.start();
          await equal(firm, acts);
          for (let n = 0; n < ACTS; n++) {
            if (chance() < 0.5) await acts.onTheServer();
            else await acts.here();
            if (chance() < 0.3) await new Promise((resolve) => setTimeout(resolve, chance() * 300));
          }
          await equal(firm, acts);
          expect([...(await whatLiesIn(await acts.connected(), UNTOUCHED))]).to.deep.equal([...untouched]);
          const lies = await onServer(await acts.connected());
          checkNumbers(lies, acts, kind);
          expect(await firm.db('mail_change')).to.deep.equal([]);
        } finally {
          await supervisor.stop();
          await acts.there.logout().catch(() => undefined);
          await firm.close();
          await server.stop();
        }
      }).timeout(120_000 + ACTS * 400);
});

/** Nothing is lost that nobody threw away, and nothing doubled that nobody copied. */
function checkNumbers(lies: readonly string[], acts: Acts, kind: string): void {
  const count = new Map<string, number>();
  for (const line of lies) {
    const name = /\S+@there\.example/.exec(line)?.[0] ?? '';
    count.set(name, (count.get(name) ?? 0) + 1);
  }
  for (let n = 1; n <= 24; n++) {
    const name = `m${n}@there.example`;
    if (!acts.mayBeGone.has(name))
      expect(
        count.get(name) ?? 0,
        `${name} is lost:\n${acts.told.filter((act) => act.includes(name)).join('\n')}\n`,
      ).to.be.at.least(1);
  }
  // Without MOVE two who move one message at the same time each copy it; no client can do otherwise (RFC 6851).
  if (kind === 'nothing but IMAP4rev1' || kind === 'no MOVE') return;
  for (const [name, number] of count)
    expect(number, `${name} is doubled`).to.be.at.most(1 + (acts.copied.get(name) ?? 0));
}

async function equal(firm: TestFirm, acts: Acts): Promise<void> {
  const end = Date.now() + AT_REST_SECONDS * 1000;
  for (;;) {
    const different = differences(await known(firm), await onServer(await acts.connected()));
    if (!different.length) return;
    if (Date.now() > end)
      throw new Error(
        `still ${different.length} differences after ${AT_REST_SECONDS} s:\n${different.slice(0, 12).join('\n')}\nlast acts:\n${acts.told.slice(-40).join('\n')}`,
      );
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
}
