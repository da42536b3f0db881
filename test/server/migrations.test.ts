import { readFileSync } from 'node:fs';
import { TABLES_FILE, tablesSource } from '../../scripts/tables.ts';
import { expect } from 'chai';
import type { DocNode } from '../../core/merge/document.ts';
import { plain } from '../../core/merge/plain.ts';
import * as signatures from '../../server/foundation/migrations/0032_signatures.ts';
import { ensureDatabase, openDatabase } from '../../server/foundation/database.ts';
import * as firstDay from '../../server/foundation/migrations/0001_first_day.ts';
import { hashOf, packRaw } from '../../server/foundation/sources.ts';
import { refill } from '../../server/intake/refill.ts';
import { Selection } from '../../contract/index.ts';
import * as timeline from '../../server/foundation/migrations/0017_timeline.ts';
import * as selections from '../../server/foundation/migrations/0015_selections.ts';
import { freshDatabase, rawMessage } from './helpers.ts';
import { migrate } from '../../server/foundation/migrate.ts';

describe('migrations', () => {
  it('give mail that was there before what newer versions ask of it: subject keys, words for search, who owes an answer', async () => {
    const { url, db: other } = await freshDatabase();
    await other.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_old`;
    await ensureDatabase(own.toString());
    const db = openDatabase(own.toString(), { pool: 2 });
    try {
      const first = {
        getMigrations: async () => ['0001_first_day'],
        getMigrationName: (name: string) => name,
        getMigration: async () => firstDay,
      };
      await db.migrate.latest({ migrationSource: first });
      await db('setting').insert({
        name: 'firm',
        value: JSON.stringify({
          name: 'Firm',
          domains: ['firm.example'],
          fileNumberPattern: 'F-00000',
          zone: 'UTC',
          notice: '',
        }),
      });
      const raw = await packRaw(
        rawMessage({ From: 'ada@fell.example', Subject: 'Re: The Wall' }, 'Could you look at the coping?'),
      );
      await db('raw').insert(raw);
      const [conversation = 0] = await db('conversation').insert({});
      const [id = 0] = await db<Record<string, unknown>>('message').insert({
        identity: hashOf('one'),
        raw_hash: raw.hash,
        conversation_id: conversation,
        direction: 'received',
        at: new Date(),
        from_name: '',
        from_address: 'ada@fell.example',
        to_words: '',
        subject: 'Re: The Wall – plan',
        subject_key: hashOf('old'),
        base_subject: 'The Wall – plan',
        snippet: '',
        state: 'logged',
        decided_at: new Date(),
        evidence: '[]',
        candidates: '[]',
        taken_in_at: new Date(),
      });
      const parties = [
        ['from', 'ada@fell.example'],
        ['to', 'us@firm.example'],
        ['cc', 'ben@dale.example'],
      ] as const;
      await db('message_party').insert(
        parties.map(([role, email]) => ({ message_id: id, role, email_key: email, email, name: '' })),
      );
      await migrate(db);
      expect(await refill(db)).to.equal(1);
      const keys: Buffer[] = await db('message_subject').where({ message_id: id }).pluck('subject_key');
      expect(keys.map((key) => key.toString('hex'))).to.have.members(
        ['ada@fell.example', 'ben@dale.example'].map((who) =>
          hashOf(`the wall plan\n${who}`).toString('hex'),
        ),
      );
      expect(await db.schema.hasColumn('message', 'subject_key')).to.equal(false);
      expect(await db('message').where({ id }).first('waits', 'asks')).to.deep.equal({
        waits: 'we',
        asks: 1,
      });
      const found = await db('raw_words').whereRaw("MATCH (words) AGAINST ('+coping' IN BOOLEAN MODE)");
      expect(found).to.have.length(1);
      // A second start finds nothing to do.
      await migrate(db);
    } finally {
      await db.destroy();
    }
  });

  /** A database of its own with nothing in it. */
  async function empty(name: string) {
    const { url, db } = await freshDatabase();
    await db.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_${name}`;
    await ensureDatabase(own.toString());
    return own.toString();
  }

  it('are carried out once by four that start at the same time, also on a database that has them', async () => {
    const url = await empty('four');
    const starts = Array.from({ length: 4 }, () => openDatabase(url, { pool: 3 }));
    for (let round = 0; round < 2; round++) await Promise.all(starts.map((db) => migrate(db)));
    const names: string[] = await (starts[0] ?? openDatabase(url))('knex_migrations').pluck('name');
    expect(new Set(names).size).to.equal(names.length);
    await Promise.all(starts.map((db) => db.destroy()));
  });

  it('are told to the compiler as they are: `npm run tables` writes what stands in the project', async () => {
    const db = openDatabase(await empty('tables'), { pool: 3 });
    await migrate(db);
    expect(await tablesSource(db)).to.equal(readFileSync(TABLES_FILE, 'utf8'));
    await db.destroy();
  });

  it('go on after a kill at any statement, with the lock of the killed one left behind', async () => {
    const whole = openDatabase(await empty('whole'), { pool: 3 });
    await migrate(whole);
    const tablesOf = async (db: ReturnType<typeof openDatabase>) =>
      (
        (await db.raw(
          "SELECT table_name AS t, column_name AS c, column_type AS k FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name NOT LIKE 'knex%' ORDER BY 1, 2",
        )) as [object[]]
      )[0];
    const wanted = JSON.stringify(await tablesOf(whole));
    await whole.destroy();
    const url = await empty('killed');
    for (const after of [3, 20, 34, 41, 52, 60, 66]) {
      const db = openDatabase(url, { pool: 3 });
      let left = after;
      // From some statement on nothing is answered any more: the process is gone.
      db.on('query', ({ sql }: { sql: string }) => {
        if (/^\s*(?:CREATE|ALTER|UPDATE)/i.test(sql) && !/migration_lease|knex_/.test(sql) && --left < 0)
          throw new Error('killed');
      });
      await migrate(db).catch(() => undefined);
      await db('knex_migrations_lock').update({ is_locked: 1 });
      await db('migration_lease').update({ owner: 'killed', until: new Date(0) });
      await db.destroy();
    }
    const next = openDatabase(url, { pool: 3 });
    await migrate(next);
    expect(JSON.stringify(await tablesOf(next))).to.equal(wanted);
    await next.destroy();
  });

  it('bring selections of older forms up to date, with whom mailings left out by hand', async () => {
    const { url, db: other } = await freshDatabase();
    await other.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_trees`;
    await ensureDatabase(own.toString());
    const db = openDatabase(own.toString(), { pool: 2 });
    try {
      await migrate(db);
      // As it was before: the newest steps of that migration are undone by hand.
      await db.raw('ALTER TABLE mailing ADD COLUMN unticked LONGTEXT NULL');
      await db('staff').insert({
        id: 1,
        name: 'A',
        email: 'a@x.example',
        role: 'manager',
        password_hash: '',
      });
      await db('service').insert([{ id: 4, name: 'Project' }]);
      const line = { field: 'status', values: ['active'] };
      const trees = [
        { all: [line] },
        {
          version: 1,
          root: {
            match: 'all',
            of: [
              { field: 'service', values: ['project', 'Gone'] },
              { field: 'interest', interestId: 3, has: false },
              { field: 'number', fieldId: 2, test: 'at least', value: 10 },
              {
                match: 'none',
                of: [
                  { field: 'email', has: true },
                  { field: 'words', text: 'mill' },
                ],
              },
            ],
          },
        },
        { version: 1, root: { match: 'any', of: [line] } },
      ];
      for (const [at, tree] of trees.entries())
        await db('selection').insert({
          ...{ id: at + 1, owner_id: 1, tree: JSON.stringify(tree), saved_at: new Date() },
        });
      await db('mailing').insert({
        ...{ id: 1, name: 'M', owner_id: 1, selection_id: 2, subject: '{}', body: '{}' },
        ...{ file_choice: 'general', saved_at: new Date(), unticked: '[7,9]' },
      } as object);
      await selections.up(db);
      await selections.up(db);
      const kept = await db('selection').orderBy('id').pluck('tree');
      const [first, second, third] = kept.map((tree) => Selection.parse(JSON.parse(tree)));
      const status = { fact: 'client.status', test: { op: 'one of', values: ['active'] } };
      expect([first?.of, first?.past]).to.deep.equal([[status], true]);
      expect(second?.removed).to.deep.equal([7, 9]);
      expect(second?.of).to.deep.equal([
        { fact: 'client.service', test: { op: 'one of', values: [4, 0] } },
        { fact: 'client.interests', test: { op: 'none of', values: [3] } },
        { fact: 'field:2', test: { op: 'at least', value: 10 } },
        {
          match: 'none',
          of: [
            { fact: 'client.email', test: { op: 'yes' } },
            {
              match: 'any',
              of: [
                { fact: 'client.words', test: { op: 'contains', text: 'mill' } },
                { fact: 'client.fileNumbers', test: { op: 'begins with', text: 'mill' } },
              ],
            },
          ],
        },
      ]);
      expect(third?.of).to.deep.equal([{ match: 'any', of: [status] }]);
      expect(await db.schema.hasColumn('mailing', 'unticked')).to.equal(false);
    } finally {
      await db.destroy();
    }
  });

  it('put the signatures of older versions into the cupboard, once, whatever was killed meanwhile', async () => {
    const { url, db: other } = await freshDatabase();
    await other.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_signatures`;
    await ensureDatabase(own.toString());
    const db = openDatabase(own.toString(), { pool: 2 });
    try {
      await migrate(db);
      const older = () => db.raw("ALTER TABLE staff ADD COLUMN signature TEXT NOT NULL DEFAULT ''");
      await older();
      for (const [id, signature] of [
        [1, 'Ann\nat the Wool Loft'],
        [2, ''],
        [3, 'Bo'],
      ] as const)
        await db('staff').insert({
          ...{ id, name: 'A', email: `${id}@x.example`, role: 'adviser', password_hash: '', signature },
        });
      await signatures.up(db);
      // Killed before the old column was taken away.
      await older();
      await db.raw("UPDATE staff SET signature = 'Bo' WHERE id = 3");
      await signatures.up(db);
      await signatures.up(db);
      const kept = await db('wording').where({ kind: 'signature' }).orderBy('id');
      expect(
        kept.map((row) => [row.staff_id, row.own, plain(JSON.parse(row.body) as DocNode)]),
      ).to.deep.equal([
        [1, 1, 'Ann\nat the Wool Loft\n'],
        [3, 1, 'Bo\n'],
      ]);
      expect(await db('staff').orderBy('id').pluck('signature_id')).to.deep.equal([
        kept[0]?.id,
        null,
        kept[1]?.id,
      ]);
      expect(await db.schema.hasColumn('staff', 'signature')).to.equal(false);
    } finally {
      await db.destroy();
    }
  });

  it('take the notes of older versions over into the timeline, once, whatever was killed meanwhile', async () => {
    const { url, db: other } = await freshDatabase();
    await other.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_notes`;
    await ensureDatabase(own.toString());
    const db = openDatabase(own.toString(), { pool: 2 });
    try {
      await migrate(db);
      await db('staff').insert({
        id: 1,
        name: 'A',
        email: 'a@x.example',
        role: 'manager',
        password_hash: '',
      });
      await db('client').insert({ id: 3, name: 'C', kind: 'person', postal: '[]' });
      await db('file').insert({ id: 5, number: 'N1', title: 'T', client_id: 3, opened: '2026-01-02' });
      const at = new Date('2026-03-04T05:06:07.000Z');
      const notes = async () => {
        await db.raw(
          'CREATE TABLE note (id INT UNSIGNED PRIMARY KEY, file_id INT UNSIGNED, message_id BIGINT UNSIGNED, staff_id INT UNSIGNED, at DATETIME(3), words TEXT)',
        );
        await db('note' as 'timeline').insert({
          id: 7,
          file_id: 5,
          staff_id: 1,
          at,
          words: 'Rang.',
        } as object);
      };
      await notes();
      await timeline.up(db);
      await timeline.up(db);
      // Killed between taking them over and taking the table away.
      await notes();
      await timeline.up(db);
      expect(await db.schema.hasTable('note')).to.equal(false);
      const rows = await db('timeline').select(
        'id',
        'kind',
        'state',
        'client_id',
        'file_id',
        'at',
        'words',
        'outcome',
      );
      expect(rows).to.deep.equal([
        { id: 7, kind: 'note', state: 'done', client_id: 3, file_id: 5, at, words: 'Rang.', outcome: '' },
      ]);
    } finally {
      await db.destroy();
    }
  });
});
