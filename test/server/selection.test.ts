import { expect } from 'chai';
import fc from 'fast-check';
import { Selection } from '../../contract/index.ts';
import {
  selectionOf,
  selects,
  type Criterion,
  type Line,
  type SelectableClient,
} from '../../core/selection/tree.ts';
import { listRecipients } from '../../server/mailing/recipients.ts';
import { listClients } from '../../server/records/clients.ts';
import { search } from '../../server/records/search.ts';
import { selectedClients } from '../../server/selection/query.ts';
import { openFirm, type TestFirm } from './helpers.ts';
import { groupBy } from '../../server/foundation/rows.ts';
import { filingRegister } from '../../server/records/filingRegister.ts';

async function selectable(firm: TestFirm): Promise<Map<number, SelectableClient>> {
  const { db } = firm;
  const clients = await db('client').select();
  const interests = groupBy(
    (await db('client_interest').select()) as { client_id: number; interest_id: number }[],
    (row) => row.client_id,
  );
  const values = groupBy(
    (await db('client_field_value').whereNotNull('number_value').select()) as {
      client_id: number;
      field_id: number;
      number_value: number;
    }[],
    (row) => row.client_id,
  );
  const withEmail: number[] = await db('client_person')
    .join('address', 'address.person_id', 'client_person.person_id')
    .where({ writes: 1, current: 1 })
    .distinct('client_id')
    .pluck('client_id');
  const people = groupBy(
    (await db('client_person')
      .join('person', 'person.id', 'client_person.person_id')
      .leftJoin('address', 'address.person_id', 'person.id')
      .select('client_id', 'first_name', 'last_name', 'email_key')) as {
      client_id: number;
      first_name: string;
      last_name: string;
      email_key: string | null;
    }[],
    (row) => row.client_id,
  );
  const files = groupBy(await db('file').select('client_id', 'number'), (row) => row.client_id);
  return new Map(
    clients.map((client) => [
      client.id,
      {
        status: client.status,
        adviserId: client.adviser_id,
        service: client.service,
        interestIds: (interests.get(client.id) ?? []).map((row) => row.interest_id),
        numbers: new Map((values.get(client.id) ?? []).map((row) => [row.field_id, row.number_value])),
        hasEmail: withEmail.includes(client.id),
        words: [
          client.name,
          client.place,
          ...(people.get(client.id) ?? []).flatMap((row) => [
            `${row.first_name} ${row.last_name}`,
            row.email_key ?? '',
          ]),
        ],
        fileNumbers: (files.get(client.id) ?? []).map((row) => row.number),
      },
    ]),
  );
}

describe('selections', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 90, files: 120, conversationsPerClient: 0.1 });
    await firm.db('client').where('id', '>', 80).update({ adviser_id: null, service: null });
  });
  after(() => firm.close());

  it('SQL and core select the same clients, whatever the criteria', async () => {
    const clients = await selectable(firm);
    const criterion: fc.Arbitrary<Criterion> = fc.oneof(
      fc.record({
        field: fc.constant('status' as const),
        values: fc.subarray(['active', 'past', 'prospect'] as ('active' | 'past' | 'prospect')[]),
      }),
      fc.record({ field: fc.constant('adviser' as const), values: fc.subarray([2, 3, 4, 99]) }),
      fc.record({
        field: fc.constant('service' as const),
        values: fc.subarray(['Annual retainer', 'Project', 'By the hour', 'None such']),
      }),
      fc.record({
        field: fc.constant('interest' as const),
        interestId: fc.integer({ min: 1, max: 4 }),
        has: fc.boolean(),
      }),
      fc.record({
        field: fc.constant('number' as const),
        fieldId: fc.integer({ min: 1, max: 3 }),
        test: fc.constantFrom('at least' as const, 'at most' as const),
        value: fc.integer({ min: 0, max: 400 }).map((n) => n / 2),
      }),
      fc.record({ field: fc.constant('email' as const), has: fc.boolean() }),
      fc.record({
        field: fc.constant('words' as const),
        text: fc.constantFrom('farrant', 'MILL', 'ran', 'QL-240', 'clerk@', '%', 'nobody at all'),
      }),
    );
    const { line } = fc.letrec<{ line: Line }>((tie) => ({
      line: fc.oneof(
        // No deeper than what may be sent.
        { depthSize: 'small', maxDepth: 5, withCrossShrink: true },
        criterion,
        fc.record({
          match: fc.constantFrom('all' as const, 'any' as const, 'none' as const),
          of: fc.array(tie('line'), { maxLength: 3 }),
        }),
      ),
    }));
    await fc.assert(
      fc.asyncProperty(fc.array(line, { maxLength: 4 }), async (lines) => {
        const selection = selectionOf(...lines);
        expect(Selection.parse(JSON.parse(JSON.stringify(selection)))).to.deep.equal(selection);
        const bySql: number[] = await selectedClients(firm.db, selection).orderBy('id').pluck('client.id');
        const byCore = [...clients].filter(([, client]) => selects(selection, client)).map(([id]) => id);
        expect(bySql).to.deep.equal(byCore.sort((a, b) => a - b));
      }),
      { numRuns: 200 },
    );
  });

  it('are read in the form they were kept in before, and not when they are nested without end', () => {
    expect(Selection.parse({ all: [{ field: 'status', values: ['past'] }] })).to.deep.equal(
      selectionOf({ field: 'status', values: ['past'] }),
    );
    let deep: unknown = { match: 'all', of: [] };
    for (let depth = 0; depth < 20_000; depth++) deep = { match: 'any', of: [deep] };
    expect(Selection.safeParse({ version: 1, root: deep }).success).to.equal(false);
    expect(Selection.safeParse({ version: 99, root: { match: 'all', of: [] } }).success).to.equal(false);
  });

  it('counts after each line and says who is left out, and why', async () => {
    await firm.db('opt_out').delete();
    const rows = await firm
      .db('client_person')
      .join('address', 'address.person_id', 'client_person.person_id')
      .where({ writes: 1, current: 1 })
      .where('client_person.position', 0)
      .where('client_id', '<', 80)
      .orderBy('client_id')
      .limit(4)
      .select('address.*', 'client_id');
    const [optedOut, returned, first, second] = rows;
    const others = (row: { client_id: number; person_id: number }) =>
      firm
        .db('client_person')
        .where({ client_id: row.client_id })
        .whereNot({ person_id: row.person_id })
        .delete();
    for (const row of rows) await others(row);
    await firm.db('opt_out').insert({ email_key: optedOut.email_key, at: new Date(), how: 'by letter' });
    await firm
      .db('address')
      .where({ id: returned.id })
      .update({ returned_at: new Date(), returned_why: 'the address does not exist' });
    await firm.db('address').where({ person_id: second.person_id }).delete();
    await firm.db('address').insert({
      person_id: second.person_id,
      email: first.email.toUpperCase(),
      email_key: first.email_key,
      current: 1,
    });
    const found = await listRecipients(firm.db, {
      selection: selectionOf(),
      unticked: [first.client_id],
      fileChoice: 'general',
      offset: 0,
      limit: 200,
    });
    const why = (clientId: number) =>
      found.leftOut.find((group) => group.clients.some((client) => client.id === clientId))?.why;
    expect(why(optedOut.client_id)).to.equal('opted out');
    expect(why(returned.client_id)).to.equal('email returned undelivered');
    expect([why(first.client_id), why(second.client_id)]).to.include.members([
      'same address as another recipient',
    ]);
    expect(why(85)).to.be.oneOf(['nobody to send as', 'no email address']);
    const everybody =
      found.total +
      found.leftOut
        .filter((group) => group.why !== 'taken out by hand')
        .reduce((sum, group) => sum + group.clients.length, 0);
    expect(everybody).to.equal(90);
    expect(found.rows.find((row) => row.client === 'Cosmo & Bryony Farrant')?.greeting ?? 'Cosmo').to.match(
      /^Cosmo/,
    );
  });

  it('finds clients and files by any word, and treats wildcards as letters', async () => {
    const register = await filingRegister(firm.context);
    expect((await search(firm.db, register, 'farrant mill')).files.map((file) => file.title)).to.include(
      'River bank repair, Farrant Mill',
    );
    expect((await search(firm.db, register, 'Idris Pe')).clients.map((client) => client.name)).to.deep.equal([
      'Pell Family Trust',
    ]);
    expect(await search(firm.db, register, '%_%')).to.deep.equal({ files: [], clients: [] });
    const page = await listClients(firm.db, {
      q: 'clerk@ashgill',
      sort: 'name',
      order: 'asc',
      offset: 0,
      limit: 10,
    });
    expect(page.rows.map((row) => row.name)).to.deep.equal(['Ashgill Parish Council']);
    const all = await listClients(firm.db, { q: '', sort: 'files', order: 'desc', offset: 30, limit: 30 });
    expect([all.total, all.rows.length]).to.deep.equal([90, 30]);
    expect(
      all.rows.every((row, index) => index === 0 || row.openFiles <= (all.rows[index - 1]?.openFiles ?? 0)),
    ).to.equal(true);
  });

  it('asks growing tables through their indexes', async () => {
    const used = async (sql: string, bindings: unknown[] = []) => {
      const [rows] = (await firm.db.raw(`EXPLAIN ${sql}`, bindings as string[])) as [
        { table: string; key: string | null }[],
      ];
      return Object.fromEntries(rows.map((row) => [row.table, row.key]));
    };
    expect(
      (await used("SELECT id FROM message WHERE state = 'suggested' ORDER BY at DESC LIMIT 50")).message,
    ).to.equal('message_sorting');
    expect(
      (await used('SELECT id FROM message WHERE message_key IN (UNHEX(SHA2(1, 256)), UNHEX(SHA2(2, 256)))'))
        .message,
    ).to.equal('message_key');
    expect(
      (await used('SELECT message_id FROM message_link WHERE link_key = UNHEX(SHA2(1, 256))')).message_link,
    ).to.equal('message_link_key');
    expect(
      (await used('SELECT message_id FROM filing WHERE file_id = 3 ORDER BY at DESC LIMIT 20')).filing,
    ).to.equal('filing_file');
    expect(
      (
        await used(
          "SELECT id FROM dispatch WHERE state IN ('waiting', 'delayed') AND next_at <= NOW() ORDER BY next_at LIMIT 40",
        )
      ).dispatch,
    ).to.be.oneOf(['dispatch_due', 'dispatch_lease', 'dispatch_log', 'dispatch_copy']);
    expect((await used("SELECT person_id FROM address WHERE email_key = 'x'")).address).to.equal(
      'address_key',
    );
  });
});
