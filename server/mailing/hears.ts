import type { Knex } from 'knex';
import type { OwnChoice, OwnPage } from '../../contract/index.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { changeWithin, readRecord } from '../records/changing.ts';
import { readQuiet, writeQuiet } from '../textmessage/quiet.ts';
import { standing, writeChoice } from './optOut.ts';

/** Somebody who says on their page how they wish to hear from us. */
export interface Hearer {
  clientId: number;
  personId: number;
  email: string;
}

const HOW = 'on their page';
const KINDS = ['letters', 'statements'] as const;

/** What somebody hears from us, how and about what. The ways of their client's letters only those say who write for it. */
export async function readHears(db: Knex, { clientId, personId, email }: Hearer): Promise<OwnPage['hears']> {
  const [{ all, topics, out }, client, numbers] = await Promise.all([
    standing(db, email),
    readRecord(db, 'client', clientId),
    readQuiet(db, personId),
  ]);
  const writes = client.people.some((each) => each.personId === personId && each.writes);
  return {
    topics: topics.map(({ id, name }) => ({ id, name, wanted: !all && !out.has(id) })),
    none: all,
    ways: writes
      ? KINDS.map((kind) => ({
          kind,
          way: client.delivery.find((each) => each.kind === kind)?.way ?? 'email',
        }))
      : null,
    numbers,
  };
}

/** Keeps what somebody chose on their page; what they said nothing of stays. The office finds it in the record's history. */
export async function writeHears(db: Database, hearer: Hearer, choice: OwnChoice): Promise<void> {
  const { clientId, personId, email } = hearer;
  await writeChoice(db, { email, how: HOW, dispatchId: null }, await standing(db, email), {
    none: choice.none,
    topicIds: choice.topicIds,
  });
  await transact(db, async (trx) => {
    await writeWays(trx, hearer, choice.ways);
    await writeQuiet(trx, personId, choice.quiet, HOW);
    await noteChange(trx, 'records', 'client', [clientId]);
  });
}

async function writeWays(
  trx: Transaction,
  { clientId, personId }: Hearer,
  ways: OwnChoice['ways'],
): Promise<void> {
  const { delivery, people } = await readRecord(trx, 'client', clientId);
  if (!people.some((each) => each.personId === personId && each.writes)) return;
  const after = delivery.map((line) => {
    const said = ways.find(({ kind }) => kind === line.kind);
    return said ? { ...line, way: said.way } : line;
  });
  if (after.every((line, index) => line.way === delivery[index]?.way)) return;
  const change = { before: { delivery }, after: { delivery: after } };
  await changeWithin(trx, { staffId: null }, 'client', clientId, change);
}
