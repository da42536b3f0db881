import { randomBytes } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pino from 'pino';
import { addressKey } from '../core/address/address.ts';
import type { CorpusRegister } from '../core/filing/replay.ts';
import { readMbox } from '../core/message/mbox.ts';
import { readMessage } from '../core/message/read.ts';
import type { WorldSettings } from '../outside/settings.ts';
import { Account } from '../outside/store.ts';
import { World } from '../outside/world.ts';
import { AppContext } from '../server/foundation/context.ts';
import { ensureDatabase, openDatabase, transact, type Database } from '../server/foundation/database.ts';
import { writeFirm } from '../server/foundation/firm.ts';
import { migrate } from '../server/foundation/migrate.ts';
import { noteChange } from '../server/foundation/changes.ts';
import { insertAll } from '../server/foundation/rows.ts';
import { seal } from '../server/security/seal.ts';
import { startMariaDB } from './mariadb.ts';

/** A message of a corpus: by what its decision is told, and in whose mailbox it lies. */
export interface CorpusMessage {
  raw: Uint8Array;
  /** As it stands in the header, with its angle brackets. */
  header: string;
  messageId: string | null;
  mailbox: string;
  folder: string;
  at: Date;
}

export interface CorpusOffice {
  db: Database;
  context: AppContext;
  messages: readonly CorpusMessage[];
  /** The number of a file, by its id. */
  numberOf(id: number): string;
  /** Enters the corpus's clients, people and files in the records. */
  enterRecords(): Promise<void>;
  close(): Promise<void>;
}

/** A filing corpus as an office of its own: a fresh database with nothing in its records, its mail in mailboxes of an exchange. */
export async function openCorpusOffice(folder: string): Promise<CorpusOffice> {
  const corpus = JSON.parse(readFileSync(join(folder, 'register.json'), 'utf8')) as CorpusRegister;
  const messages: CorpusMessage[] = [];
  for (const raw of readMbox(readFileSync(join(folder, 'mail.mbox')))) {
    const read = await readMessage(raw);
    messages.push({
      raw,
      header: (read.headers.get('message-id') ?? '').trim(),
      messageId: read.messageId,
      mailbox: (read.headers.get('x-corpus-mailbox') ?? '').trim().toLowerCase(),
      folder: (read.headers.get('x-corpus-folder') ?? 'INBOX').trim(),
      at: read.date ?? new Date(),
    });
  }
  const dir = mkdtempSync(join(tmpdir(), 'patient-clerk-corpus-'));
  const world = await openWorld(join(dir, 'world'), messages);
  const mariadb = await startMariaDB(join(dir, 'mariadb'));
  const url = mariadb.url('corpus');
  await ensureDatabase(url);
  const db = openDatabase(url);
  await migrate(db);
  const key = randomBytes(32);
  await loadOffice(db, corpus, world, key);
  const config = {
    databaseUrl: url,
    port: 0,
    key,
    workers: false,
    sendGap: 0,
    waitScale: 1,
    secureCookies: false,
    webDir: '',
  };
  return {
    db,
    context: new AppContext(db, config, pino({ level: 'warn' }, pino.destination(2))),
    messages,
    enterRecords: () => loadRecords(db, corpus),
    numberOf: (id) => corpus.files[id - 1]?.number ?? '',
    close: async () => {
      await db.destroy();
      await world.close();
      await mariadb.stop();
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

async function openWorld(dir: string, messages: readonly CorpusMessage[]): Promise<World> {
  mkdirSync(dir, { recursive: true });
  const addresses = [...new Set(messages.map(({ mailbox }) => mailbox))];
  const settings: WorldSettings = {
    seed: 'corpus',
    firmDomain: addresses[0]?.split('@')[1] ?? '',
    accounts: addresses.map((address) => ({ address, name: address, password: address })),
    correspondents: [],
    answerShare: 0,
  };
  writeFileSync(join(dir, 'world.json'), JSON.stringify(settings));
  for (const address of addresses) {
    const account = new Account(address, address, join(dir, 'accounts', address));
    for (const { raw, mailbox, folder, at } of messages)
      if (mailbox === address) account.folder(folder)?.append(raw, ['\\Seen'], at);
    account.close();
  }
  return World.open({ dir, imapPort: 0, smtpPort: 0, speed: 1 });
}

async function loadOffice(db: Database, { firm }: CorpusRegister, world: World, key: Buffer): Promise<void> {
  const addresses = world.settings.accounts.map(({ address }) => address);
  await transact(db, async (trx) => {
    await writeFirm(trx, {
      name: 'The office of the corpus',
      domains: firm.domains,
      fileNumberPattern: firm.fileNumberPattern,
      freemail: firm.freemail ?? [],
      personalFolders: [],
      zone: 'UTC',
      notice: '',
      filingAddress: '',
    });
    await insertAll(
      trx,
      'staff',
      addresses.map((email, index) => ({
        id: index + 1,
        name: email,
        email,
        phone: '',
        title: '',
        role: index ? 'adviser' : 'manager',
        password_hash: '',
      })),
    );
    await insertAll(
      trx,
      'mailbox',
      addresses.map((address, index) => ({
        staff_id: index + 1,
        address,
        name: address,
        imap_host: '127.0.0.1',
        imap_port: world.imapPort,
        smtp_host: '127.0.0.1',
        smtp_port: world.smtpPort,
        imap_security: 'none',
        smtp_security: 'none',
        verified_at: new Date(),
        user: address,
        sealed_password: seal(key, address),
      })),
    );
  });
}

async function loadRecords(db: Database, { clients, contacts, files }: CorpusRegister): Promise<void> {
  const clientIds = new Map(clients.map(({ id }, index) => [id, index + 1]));
  const personIds = new Map(contacts.map(({ id }, index) => [id, index + 1]));
  await transact(db, async (trx) => {
    await insertAll(
      trx,
      'client',
      clients.map(({ name }, index) => ({
        id: index + 1,
        name,
        kind: 'person',
        status: 'active',
        postal: '[]',
        place: '',
      })),
    );
    await insertAll(
      trx,
      'person',
      contacts.map(({ name }, index) => {
        const words = name.split(' ');
        return { id: index + 1, first_name: words.slice(0, -1).join(' '), last_name: words.at(-1) ?? '' };
      }),
    );
    await insertAll(
      trx,
      'address',
      contacts.flatMap((contact, index) =>
        contact.addresses.map((email, position) => ({
          person_id: index + 1,
          email,
          email_key: addressKey(email),
          position,
        })),
      ),
    );
    await insertAll(
      trx,
      'client_person',
      contacts.flatMap((contact, index) =>
        [...new Set(contact.links.map(({ clientId }) => clientIds.get(clientId) ?? 0))].map((clientId) => ({
          client_id: clientId,
          person_id: index + 1,
          role: '',
          position: 0,
        })),
      ),
    );
    await insertAll(
      trx,
      'file',
      files.map(({ number, title, clientId, closed }, index) => ({
        id: index + 1,
        number,
        title,
        client_id: clientIds.get(clientId) ?? 0,
        general: title === 'General correspondence',
        opened: '2000-01-01',
        closed,
      })),
    );
    await insertAll(
      trx,
      'file_person',
      files.flatMap(({ contactIds }, index) =>
        [...new Set(contactIds)].map((id) => ({
          file_id: index + 1,
          person_id: personIds.get(id) ?? 0,
          role: '',
        })),
      ),
    );
    await noteChange(trx, 'records');
  });
}
