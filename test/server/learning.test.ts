import { NewClient } from '../../contract/index.ts';
import { LEDGER } from '../../server/parts.ts';
import { expect } from 'chai';
import pino from 'pino';
import type { Sort } from '../../contract/index.ts';
import { Sort as SortSchema } from '../../contract/index.ts';
import { autoFiledAlike, autoFiledPage } from '../../server/filing/autoFiled.ts';
import { conversation } from '../../server/filing/conversation.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { messageSource, viewMessage } from '../../server/filing/message.ts';
import { rebuildLessons } from '../../server/filing/knowledge.ts';
import { addEntry } from '../../server/timeline/entries.ts';
import { dropRule, listRules, makeRule, tryRule } from '../../server/filing/rules.ts';
import { filingScore } from '../../server/filing/score.ts';
import { sortingQueue } from '../../server/filing/sorting.ts';
import { sortMessage, undoStep } from '../../server/filing/steps.ts';
import { AppContext } from '../../server/foundation/context.ts';
import { findDoubles, makeClient } from '../../server/records/create.ts';
import { openFirm, rawMessage, vouchedFor, type TestFirm, one, noteOn } from './helpers.ts';
import { filingKnowledge } from '../../server/filing/knowledge.ts';
import { filingMessage } from '../../core/filing/message.ts';
import { ruleMatches } from '../../core/filing/rules.ts';
import { readMessage } from '../../core/message/read.ts';
import { readRaw } from '../../server/foundation/sources.ts';

const MAREN = 1;
const TOBIAS = 2;

describe('learning from the desk', () => {
  let firm: TestFirm;
  let count = 0;
  before(async () => {
    firm = await openFirm({ clients: 30, files: 60 });
    await firm.sync();
  });
  after(() => firm.close());

  /** Puts a message into Tobias’s inbox and takes it in. @returns its record */
  async function arrive(from: string, subject: string, text = 'I have put it in the post.', extra = {}) {
    const id = `learn${++count}@elsewhere.example`;
    firm.world
      .account('tobias.fenn@quillhurst.example')
      ?.folder('INBOX')
      ?.append(
        rawMessage(
          {
            From: from,
            To: 'Tobias Fenn <tobias.fenn@quillhurst.example>',
            Subject: subject,
            Date: new Date().toUTCString(),
            'Message-ID': `<${id}>`,
            ...vouchedFor(from),
            ...extra,
          },
          text,
        ),
        [],
        new Date(),
      );
    await firm.sync();
    return record(id);
  }
  const record = (id: string) => one(firm.db('message').where({ message_id: id }).first());
  const again = (id: number) => one(firm.db('message').where({ id }).first());
  const settle = (messageId: number, to: Sort['to'], extra: Partial<Sort> = {}, staff = MAREN) =>
    sortMessage(firm.context, staff, SortSchema.parse({ messageId, to, ...extra }));
  const say = (work: Promise<unknown>) => work.then(() => 'done').catch((error: Error) => error.message);
  const general = (clientId: number) =>
    one(firm.db('file').where({ client_id: clientId, general: 1 }).first());

  it('files the next message of an address once one was confirmed, and unlearns it with undo', async () => {
    const { id: fileId } = await general(5);
    const first = await arrive('Kit Unknown <kit@tarn.example>', 'A gate');
    const waiting = await arrive('Kit Unknown <kit@tarn.example>', 'A second gate');
    expect([first.state, waiting.state]).to.deep.equal(['suggested', 'suggested']);
    const before = await again(waiting.id);
    const done = await settle(first.id, { kind: 'files', fileIds: [fileId] });
    // What waited is looked at again, and ranked by what was learned.
    const looked = await again(waiting.id);
    expect(`${looked.candidates}${looked.evidence}`).to.include('learned-address');
    await undoStep(firm.context, MAREN, done.stepId);
    // But for how often it was held.
    const after = await again(waiting.id);
    expect({ ...after, turn: before.turn }).to.deep.equal(before);
    const third = await arrive('Kit Unknown <kit@tarn.example>', 'A third gate');
    expect(JSON.parse(third.candidates)).to.deep.equal([]);
  });

  it('teaches every process the same, and rebuilding from history changes nothing', async () => {
    const { id: fileId } = await general(6);
    const one = await arrive('Lou Far <lou@far.example>', 'Stone');
    await settle(one.id, { kind: 'files', fileIds: [fileId] });
    const other = new AppContext(firm.db, firm.config, pino({ level: 'silent' }));
    const here = await filingKnowledge(firm.context);
    const there = await filingKnowledge(other);
    const habits = (knowledge: typeof here) => knowledge.experience.habits('lou@far.example');
    expect(habits(there)).to.deep.equal(habits(here)).and.have.length(1);
    const { lessons, mended } = await rebuildLessons(firm.db, here.register);
    expect(lessons).to.be.greaterThan(0);
    expect(mended).to.equal(0);
    // A lesson that went missing is found and given again.
    await firm.db('lesson').where({ message_id: one.id }).delete();
    const late = new AppContext(firm.db, firm.config, pino({ level: 'silent' }));
    expect(habits(await filingKnowledge(late))).to.deep.equal([]);
    expect((await rebuildLessons(firm.db, here.register)).mended).to.equal(1);
    expect(habits(await filingKnowledge(late))).to.deep.equal(habits(here));
  });

  it('adds the unknown address to a person in the same stroke, with an audit line', async () => {
    const person = await firm
      .db('person')
      .join('client_person', 'client_person.person_id', 'person.id')
      .whereNot('client_id', 6)
      .first('person.id', 'first_name', 'last_name', 'client_id');
    const name = `${person.first_name} ${person.last_name}`;
    const message = await arrive(`${name} <brand-new@larkmail.example>`, 'From my new address');
    const view = await viewMessage(firm.context, MAREN, message.id);
    expect(view.stranger?.people.map((each) => each.id)).to.include(person.id);
    const { id: fileId } = await general(person.client_id);
    await settle(message.id, { kind: 'files', fileIds: [fileId] }, { addAddressTo: person.id });
    const address = await one(firm.db('address').where({ email_key: 'brand-new@larkmail.example' }).first());
    expect(address.person_id).to.equal(person.id);
    expect(
      await firm.db('audit').where({ action: 'address added', subject_id: person.id }).first(),
    ).to.not.equal(undefined);
    expect((await viewMessage(firm.context, MAREN, message.id)).stranger).to.equal(null);
  });

  it('accepts a group, files to several, keeps remarks, and takes all of it back as one', async () => {
    const queue = await sortingQueue(firm.db, MAREN, { offset: 0, limit: 100 });
    const [one, ...rest] = queue.rows.filter((row) => row.first).map((row) => row.id);
    const done = await settle(
      one ?? 0,
      { kind: 'suggested' },
      { alsoIds: rest, note: 'As agreed by telephone' },
    );
    expect(done.messages).to.equal(rest.length + 1);
    const view = await viewMessage(firm.context, MAREN, one ?? 0);
    expect([view.state, view.history.at(-1)?.note]).to.deep.equal(['logged', 'As agreed by telephone']);
    expect(view.history[0]?.by).to.equal('Patient Clerk');
    await undoStep(firm.context, MAREN, done.stepId);
    expect((await sortingQueue(firm.db, MAREN, { offset: 0, limit: 100 })).total).to.equal(queue.total);
    const bare = queue.rows.find((row) => !row.first);
    expect(await say(settle(bare?.id ?? 0, { kind: 'suggested' }))).to.contain('Nothing is suggested');
    await settle(one ?? 0, { kind: 'files', fileIds: [3, 1] });
    expect((await viewMessage(firm.context, MAREN, one ?? 0)).files.map((file) => file.id)).to.deep.equal([
      1, 3,
    ]);
  });

  it('hides what is put off until the next working morning', async () => {
    const message = await arrive('Nobody <later@nowhere.example>', 'Not today');
    const before = (await sortingQueue(firm.db, MAREN, { offset: 0, limit: 100 })).total;
    await settle(message.id, { kind: 'later' });
    const until = (await again(message.id)).later_until!;
    expect(until.getTime()).to.be.greaterThan(Date.now());
    expect(until.getUTCDay()).to.be.within(1, 5);
    expect((await sortingQueue(firm.db, MAREN, { offset: 0, limit: 100 })).total).to.equal(before - 1);
    await firm
      .db('message')
      .where({ id: message.id })
      .update({ later_until: new Date(Date.now() - 1000) });
    expect((await sortingQueue(firm.db, MAREN, { offset: 0, limit: 100 })).total).to.equal(before);
  });

  it('keeps private mail from everybody whose mailbox does not hold it', async () => {
    const message = await arrive('A Friend <friend@nowhere.example>', 'Saturday');
    await settle(message.id, { kind: 'private' }, {}, TOBIAS);
    expect((await viewMessage(firm.context, TOBIAS, message.id)).state).to.equal('private');
    expect(await say(viewMessage(firm.context, MAREN, message.id))).to.contain('private to a colleague');
    expect(await say(messageSource(firm.db, MAREN, message.id))).to.contain('private to a colleague');
    // Nor can it be moved to where others could read it, alone or along with another.
    for (const kind of ['sorting', 'aside'] as const) {
      expect(await say(settle(message.id, { kind }))).to.contain('private to a colleague');
      const other = await one(firm.db('message').where({ state: 'suggested' }).first('id'));
      expect(await say(settle(other.id, { kind }, { alsoIds: [message.id] }))).to.contain('private');
    }
    expect((await again(message.id)).state).to.equal('private');
    const { conversation_id } = await again(message.id);
    expect(await conversation(firm.db, MAREN, conversation_id)).to.deep.equal([]);
    expect(await conversation(firm.db, TOBIAS, conversation_id)).to.have.length(1);
    expect(await firm.db('lesson').where({ message_id: message.id })).to.deep.equal([]);
  });

  it('tries a rule on the past, keeps it, and obeys it from then on', async () => {
    await arrive('Prices <prices@merchant.example>', 'Prices this week');
    const draft = { by: 'domain' as const, pattern: 'merchant.example', then: { kind: 'aside' as const } };
    const trial = await tryRule(firm.db, 1, draft);
    expect([trial.matches, trial.moves, trial.overPeople]).to.deep.equal([1, 1, 0]);
    expect(trial.sample[0]?.subject).to.equal('Prices this week');
    const rule = await makeRule(firm.db, MAREN, draft);
    expect(rule.words).to.equal('Mail with anyone at merchant.example is never client mail');
    expect(await say(makeRule(firm.db, MAREN, draft))).to.contain('such a rule already');
    const next = await arrive('Sales <sales@merchant.example>', 'Prices next week');
    expect([next.state, next.reason]).to.deep.equal(['aside', 'rule']);
    await dropRule(firm.db, MAREN, rule.id);
    expect(await listRules(firm.db)).to.deep.equal([]);
    expect((await arrive('Sales <sales2@merchant.example>', 'Prices')).state).to.equal('suggested');
  });

  it('counts on the past the very mail that a rule will take, whatever it looks at', async () => {
    await arrive('List <list@merchant.example>', 'News', 'News', {
      'List-Id': 'The news <news.merchant.example>',
    });
    await arrive('Host <desk@mail.merchant.example>', 'Summary of the week');
    const { register } = await filingKnowledge(firm.context);
    const rows = await firm.db('message').whereNot({ state: 'private' }).select('id', 'raw_hash');
    const messages = await Promise.all(
      rows.map(async ({ raw_hash }) =>
        filingMessage(register, await readMessage(await readRaw(firm.db, raw_hash))),
      ),
    );
    for (const [by, pattern] of [
      ['list', 'news.merchant.example'],
      ['list', 'merchant.example'],
      ['subject', 'prices next'],
      ['subject', 'summary  OF the'],
      ['address', 'LIST@merchant.example'],
      ['domain', 'merchant.example'],
      ['domain', '@mail.merchant.example'],
      ['domain', 'chant.example'],
    ] as const) {
      const draft = { by, pattern, then: { kind: 'file' as const, fileId: 1 } };
      const will = messages.filter((message) => ruleMatches({ id: 0, ...draft }, message)).length;
      expect([by, pattern, (await tryRule(firm.db, 1, draft)).matches]).to.deep.equal([by, pattern, will]);
    }
    const domain = { by: 'domain' as const, pattern: 'merchant.example', then: { kind: 'aside' as const } };
    const sample = (await tryRule(firm.db, 1, domain)).sample.map(({ subject }) => subject);
    expect(sample).to.include('Summary of the week');
  });

  it('looks over what was settled alone, and offers what was filed for the same reason when one is corrected', async () => {
    const person = await firm
      .db('address')
      .join('client_person', 'client_person.person_id', 'address.person_id')
      .join('file', 'file.client_id', 'client_person.client_id')
      .where('address.current', 1)
      .groupBy('address.person_id')
      .havingRaw('COUNT(DISTINCT file.id) = 1 AND COUNT(DISTINCT client_person.client_id) = 1')
      .first('address.email');
    const mail = await Promise.resolve(person.email);
    const ids: number[] = [];
    for (const subject of ['One thing', 'Another thing', 'A last thing'])
      ids.push((await arrive(mail, subject)).id);
    const page = await autoFiledPage(firm.db, 1, { state: 'logged', offset: 0, limit: 100 });
    expect(page.rows.map((row) => row.id)).to.include.members(ids);
    expect(page.days[0]?.logged).to.equal(page.total);
    await settle(ids[0] ?? 0, { kind: 'aside' });
    const alike = await autoFiledAlike(firm.db, 1, ids[0] ?? 0);
    expect(alike.map((row) => row.id))
      .to.include.members(ids.slice(1))
      .and.not.include(ids[0]);
    const left = await autoFiledPage(firm.db, 1, { state: 'logged', offset: 0, limit: 100 });
    expect(left.total).to.equal(page.total - 1);
    await settle(ids[1] ?? 0, { kind: 'right' });
    expect((await again(ids[1] ?? 0)).decided_by).to.equal(MAREN);
    const score = await filingScore(firm.db);
    const sum = (key: 'alone' | 'corrected') => score.weeks.reduce((total, week) => total + week[key], 0);
    expect(sum('corrected')).to.equal(1);
    expect(score.reasons.find((each) => each.corrected)?.reason).to.equal('person');
    expect(score.lessons).to.be.greaterThan(0);
    expect(score.mailboxes.find((box) => box.owner === 'Tobias Fenn')?.corrected).to.equal(1);
  });

  it('makes a client of a stranger, shows doubles first, and opens a General file under the next number', async () => {
    const message = await arrive(
      'Wren Ashdown <wren@ashdownmill.example>',
      'Do you take on new work?',
      'We have a mill.\n\nKind regards,\nWren Ashdown\nOwner\nAshdown Mill Ltd\nMill Lane, Ashdown\n01632 960123',
    );
    const { stranger } = await viewMessage(firm.context, MAREN, message.id);
    expect(stranger?.read).to.deep.include({
      firstName: 'Wren',
      lastName: 'Ashdown',
      organisation: 'Ashdown Mill Ltd',
      role: 'Owner',
      phone: '01632 960123',
    });
    const wanted = {
      name: 'Ashdown Mill Ltd',
      firstName: 'Wren',
      lastName: 'Ashdown',
      email: 'wren@ashdownmill.example',
    };
    expect(await findDoubles(firm.context, wanted)).to.deep.equal([]);
    const highest = (await one(firm.db('file').orderBy('number', 'desc').first('number'))).number as string;
    const made = await makeClient(firm.context, MAREN, {
      ...wanted,
      clientId: null,
      kind: 'company',
      status: 'prospect',
      place: 'Ashdown',
      role: 'Owner',
    });
    expect(Number(made.generalFile.number.slice(3))).to.equal(Number(highest.slice(3)) + 1);
    expect((await findDoubles(firm.context, wanted))[0]?.clientId).to.equal(made.clientId);
    await settle(message.id, { kind: 'files', fileIds: [made.generalFile.id] });
    const next = await arrive('Wren Ashdown <wren@ashdownmill.example>', 'Thursday');
    expect([next.state, next.reason]).to.deep.equal(['logged', 'person']);
    const joined = await makeClient(firm.context, MAREN, {
      ...wanted,
      firstName: 'Rook',
      email: 'rook@ashdownmill.example',
      clientId: made.clientId,
      kind: 'person',
      status: 'prospect',
      place: '',
      role: '',
    });
    expect([joined.clientId, joined.generalFile.id]).to.deep.equal([made.clientId, made.generalFile.id]);
    // Said by the form and by the server, by the same schema.
    const wrong = (change: object) =>
      NewClient.safeParse({ ...wanted, clientId: null, ...change }).error?.issues.map(({ path, message }) => [
        path.join(),
        message,
      ]);
    expect(wrong({ email: 'nonsense' })).to.deep.equal([['email', 'That is not an email address.']]);
    expect(wrong({ name: '' })).to.deep.equal([['name', 'Give the client a name.']]);
    expect(wrong({ firstName: '', lastName: ' ' })).to.deep.equal([['lastName', 'Give the person a name.']]);
    expect(wrong({})).to.equal(undefined);
  });

  it('shows a conversation as a thread, answers below what they answer', async () => {
    const first = await arrive('Ada <ada@thread.example>', 'The lane');
    const named = { 'In-Reply-To': `<${first.message_id}>`, References: `<${first.message_id}>` };
    const second = await arrive('Ada <ada@thread.example>', 'Re: The lane', 'Yes.', named);
    const third = await arrive('Ada <ada@thread.example>', 'Re: The lane', 'No.', {
      References: `<${first.message_id}> <${second.message_id}>`,
    });
    const rows = await conversation(firm.db, MAREN, first.conversation_id);
    expect(rows.map(({ id, depth }) => [id, depth])).to.deep.equal([
      [first.id, 0],
      [second.id, 1],
      [third.id, 2],
    ]);
    expect((await viewMessage(firm.context, MAREN, third.id)).conversationSize).to.equal(3);
  });

  it('keeps a note about a message on its file, with the way back', async () => {
    const row = await one(firm.db('filing').first('message_id', 'file_id'));
    const note = { ...noteOn(row.file_id, 'Rang about it.'), messageId: row.message_id };
    await addEntry(firm.db, MAREN, note);
    expect((await viewMessage(firm.context, MAREN, row.message_id)).notes[0]?.words).to.equal(
      'Rang about it.',
    );
    const { client_id } = await one(firm.db('file').where({ id: row.file_id }).first('client_id'));
    const page = await ledger(firm.db, LEDGER, client_id, { offset: 0, limit: 10, only: 'note' });
    const [newest] = page.entries;
    expect(newest?.kind === 'timeline' ? newest.entry : null).to.include({
      kind: 'note',
      words: 'Rang about it.',
      messageId: row.message_id,
    });
    // Page by page the same as at once, whatever kinds lie beside each other.
    const whole = await ledger(firm.db, LEDGER, client_id, { offset: 0, limit: 200 });
    expect(whole.total).to.equal(whole.entries.length);
    const paged: (typeof whole)['entries'] = [];
    for (let offset = 0; offset < whole.total; offset += 3)
      paged.push(...(await ledger(firm.db, LEDGER, client_id, { offset, limit: 3 })).entries);
    expect(paged).to.deep.equal(whole.entries);
    expect(new Set(whole.entries.map(({ kind }) => kind))).to.have.all.keys('message', 'timeline');
    const found = await ledger(firm.db, LEDGER, client_id, { offset: 0, limit: 10, q: 'rang about' });
    expect(found.entries.map(({ kind }) => kind)).to.deep.equal(['timeline']);
    expect(await say(addEntry(firm.db, MAREN, { ...noteOn(99_999, 'x'), messageId: null }))).to.contain(
      'not here',
    );
  });

  it('lets two settle at once: one place each, and lessons that add up', async () => {
    const ids: number[] = [];
    for (const n of [1, 2, 3, 4]) ids.push((await arrive(`Both <both${n}@twice.example>`, `Twice ${n}`)).id);
    const { id: fileId } = await general(7);
    const other = new AppContext(firm.db, firm.config, pino({ level: 'silent' }));
    await Promise.all(
      ids.flatMap((messageId) => [
        settle(messageId, { kind: 'files', fileIds: [fileId] }),
        sortMessage(other, TOBIAS, SortSchema.parse({ messageId, to: { kind: 'aside' } })),
      ]),
    );
    for (const id of ids) {
      const row = await again(id);
      const filed = await firm.db('filing').where({ message_id: id }).pluck('file_id');
      expect(filed).to.deep.equal(row.state === 'logged' ? [fileId] : []);
      const signs: number[] = await firm.db('lesson').where({ message_id: id }).orderBy('id').pluck('sign');
      expect(signs).to.deep.equal([1, -1, 1]);
    }
    const { register } = await filingKnowledge(firm.context);
    expect((await rebuildLessons(firm.db, register)).mended).to.equal(0);
  });

  it('asks every growing table through a key', async () => {
    for (const [sql, bindings] of [
      [
        'SELECT id FROM message WHERE decided_by IS NULL AND state = ? AND at BETWEEN ? AND ?',
        ['logged', new Date(0), new Date()],
      ],
      ['SELECT message_id FROM message_subject WHERE subject_key IN (?)', [Buffer.alloc(32)]],
      ['SELECT message_id FROM message_link WHERE link_key IN (?)', [Buffer.alloc(32)]],
      ['SELECT message_id FROM weighing WHERE stage = ? ORDER BY message_id LIMIT 200', [1]],
      ['SELECT COUNT(*) FROM weighing WHERE stage > 0', []],
      [
        'SELECT COUNT(*) FROM message WHERE state = ? AND decided_by IS NULL AND reason = ?',
        ['aside', 'unconnected'],
      ],
      ['SELECT id FROM lesson WHERE message_id = ? ORDER BY id DESC LIMIT 1', [1]],
      ['SELECT message_id FROM message_party WHERE domain = ?', ['far.example']],
      ['SELECT id, at FROM timeline WHERE client_id = ? AND gone_at IS NULL', [1]],
      ['SELECT id FROM timeline WHERE message_id = ?', [1]],
      ['SELECT id FROM timeline WHERE state = ? AND at < ?', ['planned', new Date()]],
      ['SELECT id FROM timeline WHERE remind_id = ? AND remind_at <= ?', [1, new Date()]],
      [
        'SELECT timeline_id FROM timeline_staff WHERE staff_id = ? AND tie = ? AND seen_at IS NULL',
        [1, 'told'],
      ],
      ['SELECT id FROM timeline WHERE uid IN (?)', ['x']],
    ] as const) {
      const [plan] = (await firm.db.raw(`EXPLAIN ${sql}`, bindings as unknown as string[])) as [
        { key: string | null }[],
      ];
      expect([sql, plan[0]?.key !== null]).to.deep.equal([sql, true]);
    }
  });
});
