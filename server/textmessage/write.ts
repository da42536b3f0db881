import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { StaffMember, TextDesk, TextDraft } from '../../contract/index.ts';
import { readPhone } from '../../core/address/phone.ts';
import { textLength } from '../../core/textmessage/gsm.ts';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { readFirm } from '../foundation/firm.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { select } from '../foundation/rows.ts';
import { filesByIds } from '../records/files.ts';
import { changeWithin, readRecord } from '../records/changing.ts';
import type { GatewayRow } from './gateway.ts';
import { readGateway, spentThisMonth } from './settings.ts';

/** Numbers of a client and its people, and what is to be known where one writes. @throws Refusal when there is no such client */
export async function readDesk(db: Knex, clientId: number): Promise<TextDesk> {
  const client = await db('client').where({ id: clientId }).first('name');
  if (!client) throw notFound('That client');
  const people = await select(
    db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .where('client_person.client_id', clientId)
      .orderBy(['client_person.position', 'person.id']),
    { id: 'person.id', first: 'person.first_name', last: 'person.last_name' },
  );
  const nameOf = new Map(people.map(({ id, first, last }) => [id, `${first} ${last}`.trim()]));
  const [phones, files, gateway, spent] = await Promise.all([
    db('phone')
      .where({ client_id: clientId })
      .orWhereIn(
        'person_id',
        people.map(({ id }) => id),
      )
      .orderBy(['person_id', 'position', 'id']),
    db('file').where({ client_id: clientId }).whereNull('closed').orderBy(['general', 'id']).pluck('id'),
    readGateway(db),
    spentThisMonth(db),
  ]);
  const known = await db('text_number').whereIn(
    'number_key',
    phones.map(({ number_key }) => number_key),
  );
  const refs = await filesByIds(db, files);
  return {
    price: gateway?.price ?? null,
    currency: gateway?.currency ?? '',
    monthlyLimit: gateway?.monthly_limit ?? null,
    spent,
    sender: gateway?.sender ?? '',
    people: people.map(({ id }) => ({ id, name: nameOf.get(id) ?? '' })),
    files: files.flatMap((id) => refs.get(id) ?? []),
    numbers: phones.map(({ number, number_key, person_id, purpose }) => {
      const own = known.find((row) => row.number_key === number_key);
      const whose = person_id === null ? client.name : (nameOf.get(person_id) ?? '');
      return {
        ...{ key: number_key, number, personId: person_id },
        whose: purpose ? `${whose}, ${purpose}` : whose,
        agreed: own?.agreed_at ? { at: own.agreed_at.toISOString(), how: own.agreed_how } : null,
        stopped: own?.stopped_at ? { at: own.stopped_at.toISOString(), how: own.stopped_how } : null,
      };
    }),
  };
}

/**
 * Sends a text message off. A number that is not in the records yet joins the person it is written to.
 * @returns its number
 * @throws Refusal when it is no number, they do not want any, have not agreed, or the month's limit would be passed
 */
export async function sendText(db: Database, staff: StaffMember, draft: TextDraft): Promise<number> {
  const [{ country: home }, gateway] = await Promise.all([readFirm(db), readGateway(db)]);
  if (!gateway)
    throw new Refusal(409, 'No gateway for text messages is set. An office manager does so in Settings.');
  return transact(db, async (trx) => {
    const client = await trx('client').where({ id: draft.clientId }).first('id', 'country');
    if (!client) throw notFound('That client');
    const phone = readPhone(draft.number, client.country || home, home);
    if (!phone.valid) throw new Refusal(400, 'That is no telephone number.', 'number');
    const fileId = await fileFor(trx, draft);
    await refuseUnwanted(trx, staff, phone.key, draft.agreed);
    await keepNumber(trx, staff, draft, phone);
    const { parts } = textLength(draft.text);
    const price = parts * gateway.price;
    await refuseCost(trx, gateway, price);
    const now = new Date();
    const [id = 0] = await trx('text_message').insert({
      ...{
        mark: randomUUID(),
        direction: 'sent',
        state: 'waiting',
        number_key: phone.key,
        number: phone.shown,
      },
      ...{ client_id: draft.clientId, person_id: draft.personId, file_id: fileId, staff_id: staff.id },
      ...{ text: draft.text, parts, price, at: now, next_at: now },
    });
    await trx('text_message').where({ number_key: phone.key, waits: 1 }).update({ waits: 0 });
    const after = { number: phone.key, parts };
    await noteAudit(trx, {
      staffId: staff.id,
      action: 'text message written',
      subject: 'client',
      id: draft.clientId,
      after,
    });
    await tellOf(trx, [fileId]);
    return id;
  });
}

/** @throws Refusal when so much more would pass the month's limit; reckoned one after the other */
export async function refuseCost(
  trx: Transaction,
  gateway: Pick<GatewayRow, 'price' | 'currency' | 'monthly_limit'>,
  price: number,
): Promise<void> {
  // A lock is a write: two who write at once wait for one another.
  await trx('text_gateway').where({ one: 1 }).update({ price: gateway.price });
  if (gateway.monthly_limit !== null && (await spentThisMonth(trx)) + price > gateway.monthly_limit)
    throw new Refusal(
      409,
      `That would pass the month’s limit of ${gateway.currency} ${gateway.monthly_limit}.`,
      'text',
    );
}

/** What a standing order writes to somebody, within a transaction. */
export interface OrderedText {
  clientId: number;
  /** Whom it is about; null: whoever of the client's people agreed first. */
  personId: number | null;
  fileId: number;
  text: string;
  courseId: number;
  /** It goes at once; else it lies prepared. */
  goes: boolean;
}

/**
 * Writes a text message for a standing order, to a number of theirs that agreed.
 * @returns to whom, and to which number
 * @throws Refusal when there is none, or it would cost too much
 */
export async function orderText(
  trx: Transaction,
  { clientId, personId, fileId, text, courseId, goes }: OrderedText,
): Promise<{ name: string; key: string }> {
  const gateway = await readGateway(trx);
  if (!gateway) throw new Refusal(409, 'No gateway for text messages is set.');
  const [to] = await select(
    trx('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .join('phone', 'phone.person_id', 'person.id')
      .join('text_number', 'text_number.number_key', 'phone.number_key')
      .where('client_person.client_id', clientId)
      .whereNotNull('text_number.agreed_at')
      .whereNull('text_number.stopped_at')
      .modify((all) => (personId === null ? all : void all.where('person.id', personId)))
      .orderByRaw('client_person.writes DESC, client_person.position, phone.position, phone.id')
      .limit(1),
    {
      ...{ personId: 'person.id', first: 'person.first_name', last: 'person.last_name' },
      ...{ number: 'phone.number', key: 'phone.number_key' },
    },
  );
  if (!to) throw new Refusal(409, 'Nobody of them has agreed to text messages.');
  const { parts } = textLength(text);
  const price = parts * gateway.price;
  if (goes) await refuseCost(trx, gateway, price);
  const now = new Date();
  await trx('text_message').insert({
    ...{ mark: randomUUID(), direction: 'sent', state: goes ? 'waiting' : 'prepared', course_id: courseId },
    ...{ number_key: to.key, number: to.number, client_id: clientId, person_id: to.personId },
    ...{ file_id: fileId, text, parts, price, at: now, next_at: now },
  });
  await tellOf(trx, [fileId]);
  return { name: `${to.first} ${to.last}`.trim() || to.number, key: to.key };
}

/** Tells the screens that show text messages, and the ledgers of their files. */
export async function tellOf(trx: Transaction, fileIds: readonly (number | null)[]): Promise<void> {
  await noteChange(trx, 'texts');
  await noteChange(trx, 'mail', 'file', fileIds);
}

async function fileFor(trx: Transaction, { clientId, fileId }: TextDraft): Promise<number> {
  const file = await trx('file')
    .where(fileId === null ? { client_id: clientId, general: 1 } : { client_id: clientId, id: fileId })
    .orderBy('id')
    .first('id');
  if (!file) throw new Refusal(400, 'That file is another client’s.', 'fileId');
  return file.id;
}

async function refuseUnwanted(
  trx: Transaction,
  staff: StaffMember,
  key: string,
  agreed: string,
): Promise<void> {
  const known = await trx('text_number').where({ number_key: key }).forUpdate().first();
  if (known?.stopped_at)
    throw new Refusal(
      409,
      'They want no text messages: they have answered so. Write to them otherwise.',
      'number',
    );
  if (known?.agreed_at) return;
  if (!agreed) throw new Refusal(400, 'Say how they agreed to get text messages.', 'agreed');
  const row = { agreed_at: new Date(), agreed_how: agreed, agreed_by: staff.id };
  await trx('text_number')
    .insert({ number_key: key, ...row })
    .onConflict('number_key')
    .merge(row);
}

async function keepNumber(
  trx: Transaction,
  staff: StaffMember,
  { clientId, personId }: TextDraft,
  { key, shown }: { key: string; shown: string },
): Promise<void> {
  if (
    personId !== null &&
    !(await trx('client_person').where({ client_id: clientId, person_id: personId }).first('role'))
  )
    throw new Refusal(400, 'That person is not one of this client’s.', 'personId');
  const there = await trx('phone')
    .where({ number_key: key })
    .where((own) => {
      void own.where({ client_id: clientId });
      if (personId !== null) void own.orWhere({ person_id: personId });
    })
    .first('id');
  if (there) return;
  const [subject, id] = personId === null ? (['client', clientId] as const) : (['person', personId] as const);
  const { phones } = await readRecord(trx, subject, id);
  const after = { phones: [...phones, { number: shown, purpose: 'mobile' }] };
  await changeWithin(trx, { staffId: staff.id }, subject, id, { before: { phones }, after });
}
