import { existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { addressKey } from '../core/address/address.ts';
import type { Database, Transaction } from '../server/foundation/database.ts';
import { noteChange } from '../server/foundation/changes.ts';
import { readFirm, writeFirm } from '../server/foundation/firm.ts';
import { hashPassword } from '../server/security/passwords.ts';
import { seal } from '../server/security/seal.ts';
import type { WorldSettings } from '../outside/settings.ts';
import { Account } from '../outside/store.ts';
import { GATEWAY_KEY } from '../outside/world.ts';
import { EXCHANGE } from '../outside/vouch.ts';
import { feeNotes } from './fees.ts';
import { timeline } from './timeline.ts';
import { fillMailboxes } from './mail.ts';
import {
  FIRM,
  FIRM_DOMAIN,
  INTERESTS,
  makeRegister,
  OFFICE,
  STAFF,
  STAGES,
  TOPICS,
  type DemoRegister,
} from './register.ts';
import { drawn, ORCHARD, WOOD } from './pictures.ts';
import { wordings } from './wordings.ts';
import { keepPicture } from '../server/writing/pictures.ts';
import { halfWritten } from './mailings.ts';
import { loadOrders } from './orders.ts';
import { loadPages } from './pages.ts';
import { insertAll } from '../server/foundation/rows.ts';

export const DEMO_PASSWORD = 'open the gate';
export const DEMO_SEED = 'quillhurst';

export interface DemoOptions {
  seed: string;
  now: Date;
  clients?: number;
  files?: number;
  conversationsPerClient?: number;
  answerShare?: number;
}

/** Makes the outside world's folder: world.json and five mailboxes full of mail. Does nothing when it is there already. */
export async function makeWorld(dir: string, options: DemoOptions): Promise<DemoRegister> {
  const register = makeRegister(options.seed, options.now, options.clients, options.files);
  if (existsSync(join(dir, 'world.json'))) return register;
  rmSync(dir, { recursive: true, force: true });
  mkdirSync(dir, { recursive: true });
  const addresses = [...STAFF.map(({ email }) => email), OFFICE];
  const accounts = new Map(
    addresses.map((email) => [email, new Account(email, mailPassword(email), join(dir, 'accounts', email))]),
  );
  await fillMailboxes(register, accounts, options.seed, options.now, options.conversationsPerClient);
  for (const account of accounts.values()) account.close();
  const settings: WorldSettings = {
    seed: options.seed,
    firmDomain: FIRM_DOMAIN,
    accounts: [...STAFF, { email: OFFICE, name: 'The office' }].map(({ email, name }) => ({
      address: email,
      name,
      password: mailPassword(email),
    })),
    correspondents: register.correspondents,
    answerShare: options.answerShare ?? 0.3,
  };
  // Written last: a world without it is made again.
  writeFileSync(join(dir, 'world.json'), JSON.stringify(settings, null, 1));
  return register;
}

/** The password of a demo mailbox; not the one its owner signs in with. */
function mailPassword(address: string): string {
  return `mail-${address.split('@')[0]}`;
}

/** Loads the firm's records into an empty database; does nothing when a firm is there already. */
export async function loadRecords(db: Database, register: DemoRegister, key: Buffer): Promise<boolean> {
  if (await db('setting').where({ name: 'firm' }).first()) return false;
  const password = await hashPassword(DEMO_PASSWORD);
  await db.transaction(async (trx) => {
    await trx('staff').insert(STAFF.map((member) => ({ ...member, password_hash: password })));
    await trx('mailbox').insert(
      STAFF.map(({ id, name, email }) => ({
        staff_id: id,
        address: email,
        name,
        imap_host: '127.0.0.1',
        imap_port: 0,
        smtp_host: '127.0.0.1',
        smtp_port: 0,
        imap_security: 'none',
        smtp_security: 'none',
        verified_at: new Date(),
        user: email,
        sealed_password: seal(key, mailPassword(email)),
      })),
    );
    // The manager and the assistant keep the advisers' mailboxes with them.
    await trx('mailbox').insert({
      staff_id: 1,
      address: OFFICE,
      name: 'The office',
      shared: true,
      imap_host: '127.0.0.1',
      imap_port: 0,
      smtp_host: '127.0.0.1',
      smtp_port: 0,
      imap_security: 'none',
      smtp_security: 'none',
      verified_at: new Date(),
      user: OFFICE,
      sealed_password: seal(key, mailPassword(OFFICE)),
    });
    // As a test message that came back would have taught.
    const all: number[] = await trx('mailbox').pluck('id');
    await trx('mailbox_server').insert(
      all.map((id) => ({ mailbox_id: id, name: EXCHANGE, believed: 1, believed_since: new Date() })),
    );
    const boxes: { id: number; staff_id: number }[] = await trx('mailbox').where({ shared: 0 });
    await trx('mailbox_colleague').insert(
      [1, 5].flatMap((staffId) =>
        boxes
          .filter((box) => box.staff_id !== staffId && box.staff_id !== 1)
          .map((box) => ({ mailbox_id: box.id, staff_id: staffId, may: staffId === 1 ? 'write' : 'read' })),
      ),
    );
    await trx('wording').insert(
      wordings({
        wood: await keepPicture(trx, 1, drawn(WOOD)),
        orchard: await keepPicture(trx, 1, drawn(ORCHARD)),
      }).map((wording) => ({
        ...wording,
        staff_id: 1,
        subject: JSON.stringify(wording.subject ?? { type: 'doc', content: [{ type: 'paragraph' }] }),
        body: JSON.stringify(wording.body),
      })),
    );
    await trx('interest').insert(INTERESTS.map((name, index) => ({ id: index + 1, name })));
    await trx('document_kind').insert(
      ['Agreement', 'Map', 'Photograph', 'Report'].map((name, position) => ({ name, position })),
    );
    await trx('topic').insert(TOPICS.map((name, position) => ({ id: position + 1, name, position })));
    await trx('field').insert([
      { id: 1, label: 'Holding area', kind: 'number', unit: 'ha', position: 1 },
      { id: 2, label: 'Woodland area', kind: 'number', unit: 'ha', position: 2 },
      { id: 3, label: 'Plan review', kind: 'date', unit: '', position: 3 },
    ]);
    const { clients } = register;
    const services = [...new Set(clients.flatMap(({ service }) => service ?? []))];
    await trx('service').insert(services.map((name, position) => ({ name, position })));
    await insertAll(
      trx,
      'client',
      clients.map(({ id, name, kind, status, since, service, place, postal, greeting, adviserId }) => ({
        id,
        name,
        kind,
        status,
        since,
        service,
        place,
        postal: JSON.stringify(postal),
        greeting,
        adviser_id: adviserId,
      })),
    );
    await insertAll(
      trx,
      'client_field_value',
      clients.map(({ id, holding }) => ({ client_id: id, field_id: 1, number_value: holding })),
    );
    await insertAll(
      trx,
      'client_field_value',
      clients
        .filter(({ woodland }) => woodland > 0)
        .map(({ id, woodland }) => ({ client_id: id, field_id: 2, number_value: woodland })),
    );
    await insertAll(
      trx,
      'client_field_value',
      clients.map(({ id, review }) => ({ client_id: id, field_id: 3, date_value: review })),
    );
    await insertAll(
      trx,
      'client_interest',
      clients.flatMap(({ id, interestIds }) =>
        interestIds.map((interestId) => ({ client_id: id, interest_id: interestId })),
      ),
    );
    const people = [
      ...clients.flatMap((client) => client.people),
      ...register.thirdParties.map(({ person }) => person),
    ];
    await insertAll(
      trx,
      'person',
      people.map(({ id, firstName, lastName }) => ({ id, first_name: firstName, last_name: lastName })),
    );
    await insertAll(
      trx,
      'address',
      people.flatMap(({ id, addresses }) =>
        addresses.map(({ email, current }, position) => ({
          person_id: id,
          email,
          email_key: addressKey(email),
          current,
          position,
        })),
      ),
    );
    await insertAll(
      trx,
      'phone',
      // A range kept for fiction; the last figure says how the simulated telephone behaves.
      people
        .filter((_, index) => index % 2 === 0)
        .slice(0, 100)
        .map(({ id }, index) => ({
          person_id: id,
          number: `07700 900${String(100 + index)}`,
          number_key: `+447700900${String(100 + index)}`,
          purpose: 'mobile',
        })),
    );
    if (clients.length >= GROWN) await insertAll(trx, 'text_number', agreed());
    await insertAll(trx, 'client_person', [
      ...clients.flatMap(({ id, people: own }) =>
        own.map((person, position) => ({
          client_id: id,
          person_id: person.id,
          role: person.role,
          position,
          writes: 1,
        })),
      ),
      ...register.thirdParties.flatMap(({ person, clientIds }) =>
        clientIds.map((clientId) => ({
          client_id: clientId,
          person_id: person.id,
          role: person.role,
          position: 9,
          writes: 0,
        })),
      ),
    ]);
    await twiceHere(trx, clients);
    await trx('stage').insert(STAGES.map((name, index) => ({ id: index + 1, name, position: index })));
    await insertAll(
      trx,
      'file',
      clients.flatMap(({ id, adviserId, files }) =>
        files.map(({ id: fileId, number, title, general, opened, closed, stage }) => ({
          id: fileId,
          number,
          title,
          client_id: id,
          adviser_id: adviserId,
          stage_id: STAGES.indexOf(stage) + 1,
          general,
          opened,
          closed,
        })),
      ),
    );
    await insertAll(trx, 'fee_note', feeNotes(register, new Date()));
    await loadOrders(trx, register, FIRM.zone, new Date());
    await loadPages(trx, register, new Date());
    const written = timeline(register, FIRM.zone, new Date());
    await insertAll(trx, 'timeline', written.entries);
    await insertAll(trx, 'timeline_person', written.people);
    await insertAll(trx, 'timeline_staff', written.told);
    await insertAll(
      trx,
      'file_person',
      clients.flatMap(({ people: own, files }) =>
        files.flatMap((file) =>
          own.slice(0, 1).map((person) => ({ file_id: file.id, person_id: person.id, role: person.role })),
        ),
      ),
    );
    if (register.optOuts.length)
      await trx('opt_out').insert(
        register.optOuts.map((email) => ({ email_key: email, at: new Date(), how: 'by telephone' })),
      );
    await writeFirm(trx, FIRM);
    await halfWritten(trx);
    for (const topic of ['records', 'mailings', 'mailboxes'] as const) await noteChange(trx, topic);
  });
  return true;
}

/** Who has agreed to text messages, of the numbers above. */
function agreed() {
  return Array.from({ length: 60 }, (_, index) => ({
    number_key: `+447700900${String(100 + index)}`,
    ...{ agreed_at: new Date(), agreed_how: 'said so when their file was opened', agreed_by: 1 },
  }));
}

/** From so many clients on, some people were entered twice, as in any register that has grown. */
const GROWN = 100;
const TWICE = [8, 30, 71];

async function twiceHere(trx: Transaction, clients: DemoRegister['clients']): Promise<void> {
  if (clients.length < GROWN) return;
  for (const at of TWICE) {
    const [person] = clients[at]?.people ?? [];
    const [address] = person?.addresses ?? [];
    if (!person || !address) continue;
    const [id = 0] = await trx('person').insert({
      first_name: `${person.firstName.slice(0, 1)}.`,
      last_name: person.lastName,
    });
    await trx('address').insert({
      ...{
        person_id: id,
        email: address.email,
        email_key: addressKey(address.email),
        current: 1,
        position: 0,
      },
    });
    await trx('client_person').insert({
      ...{ client_id: clients[at]?.id ?? 0, person_id: id, role: 'contact', position: 5, writes: 0 },
    });
  }
}

/** Says where the office reaches Patient Clerk. */
export async function sayWhere(db: Database, webAddress: string): Promise<void> {
  await writeFirm(db, { ...(await readFirm(db)), webAddress });
}

/** Points the demo mailboxes at the exchange, whose ports may differ from start to start. */
export async function pointMailboxes(db: Database, imapPort: number, smtpPort: number): Promise<void> {
  await db('mailbox')
    .where({ imap_host: '127.0.0.1' })
    .update({ imap_port: imapPort, smtp_port: smtpPort, lease_owner: null, lease_until: null });
}

/** Tells the demo firm under which address its gateway for text messages is reached. @param first it has none yet */
export async function pointGateway(db: Database, key: Buffer, url: string, first: boolean): Promise<void> {
  if (first)
    await db('text_gateway').insert({
      ...{ one: 1, url, sealed_key: seal(key, GATEWAY_KEY), sender: 'Quillhurst' },
      ...{ price: 0.04, currency: 'GBP', monthly_limit: 40 },
    });
  else await db('text_gateway').where({ one: 1 }).update({ url, lease_owner: null, lease_until: null });
}
