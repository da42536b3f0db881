import { expect } from 'chai';
import { ensureDatabase, migrate, openDatabase } from '../../server/database/database.ts';
import * as firstDay from '../../server/database/migrations/0001_first_day.ts';
import { hashOf, packRaw } from '../../server/database/raw.ts';
import { freshDatabase, rawMessage } from './helpers.ts';

describe('migrations', () => {
  it('give mail that was there before what newer versions ask of it: subject keys, words for search, who owes an answer', async () => {
    const { url, db: other } = await freshDatabase();
    await other.destroy();
    const own = new URL(url);
    own.pathname = `${own.pathname}_old`;
    await ensureDatabase(own.toString());
    const db = openDatabase(own.toString(), 2);
    try {
      const first = {
        getMigrations: async () => ['0001_first_day'],
        getMigrationName: (name: string) => name,
        getMigration: async () => firstDay,
      };
      await db.migrate.latest({ migrationSource: first });
      await db('setting').insert({ name: 'firm', value: JSON.stringify({ domains: ['firm.example'] }) });
      const raw = await packRaw(
        rawMessage({ From: 'ada@fell.example', Subject: 'Re: The Wall' }, 'Could you look at the coping?'),
      );
      await db('raw').insert(raw);
      const [conversation = 0] = await db('conversation').insert({});
      const [id = 0] = await db('message').insert({
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
      await db('message_party').insert(
        [
          ['from', 'ada@fell.example'],
          ['to', 'us@firm.example'],
          ['cc', 'ben@dale.example'],
        ].map(([role, email]) => ({ message_id: id, role, email_key: email, email, name: '' })),
      );
      await migrate(db);
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
});
