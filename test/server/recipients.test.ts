import { expect } from 'chai';
import { simpleParser } from 'mailparser';
import type { MailingDraft } from '../../contract/index.ts';
import { SELECTION_VERSION } from '../../core/selection/tree.ts';
import { countOf } from '../../server/foundation/rows.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { checkMailing, previewMailing } from '../../server/mailing/checking.ts';
import { changeCopy } from '../../server/mailing/ownCopies.ts';
import { tellPresence } from '../../server/mailing/presence.ts';
import { findRecipients, listRecipients } from '../../server/mailing/recipients.ts';
import { readResults, listDispatch } from '../../server/mailing/results.ts';
import { listSenders } from '../../server/mailing/senders.ts';
import { addToSeries } from '../../server/mailing/series.ts';
import { viewMailing } from '../../server/mailing/view.ts';
import { begunMailing, letGo, mailingDraft, releaseAsChecked, words } from './drafts.ts';
import { MANAGER, one, openFirm, type TestFirm } from './helpers.ts';

describe('whom a mailing goes to, and from whom', () => {
  let firm: TestFirm;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  before(async () => {
    firm = await openFirm({ clients: 20, files: 30, conversationsPerClient: 0.1 });
    await firm.sync();
  });
  after(() => firm.close());

  const begun = (instead: Partial<MailingDraft>) => begunMailing(firm, instead);
  async function released(id: number) {
    await releaseAsChecked(firm, id);
    return letGo(firm, id);
  }
  const mailOf = async (row: { raw_hash: Buffer | null }) =>
    simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));

  it('comes from the office where that is chosen, and its answers go where they are wanted', async () => {
    const senders = await listSenders(firm.db);
    const office = senders.find(({ shared }) => shared);
    const petra = senders.find(({ name }) => name === 'Petra Lund');
    const { id } = await begun({ senderId: office?.id ?? 0, answersId: petra?.id ?? 0 });
    const [row] = await released(id);
    const mail = await mailOf(row!);
    expect(mail.from?.value).to.deep.equal([{ name: office?.name, address: office?.address }]);
    expect(office?.name).to.equal('Quillhurst Land Advisers');
    expect(mail.replyTo?.value).to.deep.equal([{ name: petra?.name, address: petra?.address }]);
    // One that is connected no more sends nothing.
    await firm
      .db('mailbox')
      .where({ id: petra?.id ?? 0 })
      .update({ disconnected_at: new Date() });
    const { draft } = await begun({ senderId: petra?.id ?? 0 });
    const found = await findRecipients(firm.db, draft, MANAGER.id);
    expect(found.recipients).to.deep.equal([]);
    expect(new Set(found.leftOut.map(({ why }) => why))).to.include('nobody to send as');
    await firm
      .db('mailbox')
      .where({ id: petra?.id ?? 0 })
      .update({ disconnected_at: null });
  });

  it('goes to each person, greeted alone, or to one of each household', async () => {
    const first = await one(
      firm.db('client').where({ kind: 'couple', status: 'active' }).orderBy('id').first(),
    );
    const people = await firm
      .db('client_person')
      .where({ client_id: first.id, writes: 1 })
      .pluck('person_id');
    const whole = await findRecipients(firm.db, mailingDraft(), MANAGER.id);
    const each = await findRecipients(firm.db, mailingDraft({ eachOf: 'person' }), MANAGER.id);
    const own = each.recipients.filter(({ clientId }) => clientId === first.id);
    const left = each.leftOut.filter(({ clientId }) => clientId === first.id);
    expect(own.length + left.length)
      .to.equal(people.length)
      .and.be.greaterThan(1);
    for (const { greeting, name } of own) expect(name.startsWith(greeting ?? '?')).to.equal(true);
    expect(new Set(each.recipients.map(({ email }) => email.toLowerCase())).size).to.equal(
      each.recipients.length,
    );
    expect(each.recipients.length).to.be.greaterThan(whole.recipients.length);
    const { id } = await begun({ eachOf: 'person' });
    const rows = await released(id);
    const returned = await firm.db('dispatch').where({ mailing_id: id, state: 'returned' });
    expect(rows.length + returned.length).to.equal(each.recipients.length);
    const [a, b] = whole.recipients;
    await firm
      .db('client')
      .whereIn('id', [a!.clientId, b!.clientId])
      .update({ postal: JSON.stringify(['The Old Mill', 'Holt']) });
    await firm
      .db('client')
      .where({ id: b!.clientId })
      .update({ postal: JSON.stringify(['The old mill,', 'HOLT']) });
    const homes = await findRecipients(firm.db, mailingDraft({ eachOf: 'household' }), MANAGER.id);
    expect(homes.recipients.some(({ clientId }) => clientId === b!.clientId)).to.equal(false);
    expect(homes.leftOut.find(({ clientId }) => clientId === b!.clientId)).to.deep.include({
      why: 'lives with another recipient',
      detail: a!.client,
    });
  });

  it('goes to people who were picked, or to those with a role on picked files, logged where that is wanted', async () => {
    const whole = { version: SELECTION_VERSION, past: false, of: [], added: [], removed: [] } as const;
    const everybody: MailingDraft['selection'] = {
      ...whole,
      of: [],
      added: [],
      removed: [],
      subject: 'person',
    };
    await firm.db('person').insert({ id: 900, first_name: 'Nobody', last_name: 'Knows' });
    const all = await findRecipients(firm.db, mailingDraft({ selection: everybody }), MANAGER.id);
    const tied = firm.db('client_person').select('person_id');
    expect(all.ofNobody).to.equal(await countOf(firm.db('person').whereNotIn('id', tied)));
    expect(all.recipients.length).to.be.greaterThan(10);
    expect(new Set(all.recipients.map(({ email }) => email.toLowerCase())).size).to.equal(
      all.recipients.length,
    );
    for (const { picks, personId } of all.recipients) expect(picks).to.deep.equal([personId]);
    // One who takes no mailings for their client is written to all the same: they were picked themselves.
    const quiet = all.recipients[0]!;
    await firm.db('client_person').where({ person_id: quiet.personId }).update({ writes: 0 });
    const again = await findRecipients(firm.db, mailingDraft({ selection: everybody }), MANAGER.id);
    expect(again.recipients.map(({ key }) => key)).to.include(quiet.key);
    await firm.db('client_person').where({ person_id: quiet.personId }).update({ writes: 1 });
    // A couple is greeted together; one of the two who was picked is not.
    await firm.db('client').where({ id: quiet.clientId }).update({ greeting: 'Ada and Somebody' });
    const named = await findRecipients(
      firm.db,
      mailingDraft({ selection: { ...everybody, only: [quiet.personId] } }),
      MANAGER.id,
    );
    expect(named.recipients.map((row) => [row.greeting, row.known.words.greeting])).to.deep.equal([
      [quiet.name.split(' ')[0], quiet.name.split(' ')[0]],
    ]);
    await firm.db('client').where({ id: quiet.clientId }).update({ greeting: null });
    // Two of the files of one client, with an agent on one of them.
    const { client_id: clientId } = await one(
      firm
        .db('file')
        .whereIn(
          'client_id',
          all.recipients.map((row) => row.clientId),
        )
        .whereNull('closed')
        .groupBy('client_id')
        .havingRaw('COUNT(*) > 1')
        .first('client_id'),
    );
    const files: number[] = await firm
      .db('file')
      .where({ client_id: clientId })
      .whereNull('closed')
      .orderBy('opened', 'desc')
      .orderBy('id', 'desc')
      .pluck('id');
    const agent = all.recipients.find((row) => row.clientId === clientId)!;
    await firm.db('file_person').whereIn('file_id', files).delete();
    await firm.db('file_person').insert({ file_id: files[1] ?? 0, person_id: agent.personId, role: 'Agent' });
    const picked = { ...everybody, subject: 'file' as const, of: [], added: files.slice(0, 2) };
    const none: MailingDraft['selection'] = {
      ...picked,
      of: [{ fact: 'file.number', test: { op: 'is', text: 'no such number' } }],
    };
    const draft = (roles: string[], fileChoice: 'general' | 'latest' = 'latest') =>
      findRecipients(firm.db, mailingDraft({ selection: none, roles, fileChoice }), MANAGER.id);
    const usual = await draft([]);
    expect(usual.recipients.map((row) => [row.clientId, row.file?.id, [...row.picks].sort()])).to.deep.equal([
      [clientId, files[0], files.slice(0, 2).sort()],
    ]);
    expect((await draft([], 'general')).recipients[0]?.file?.general).to.equal(true);
    // An agent need be nobody of the client.
    await firm
      .db('client_person')
      .where({ client_id: clientId, person_id: agent.personId })
      .update({ client_id: again.recipients.find((row) => row.clientId !== clientId)!.clientId })
      .catch(() => 0);
    const agents = await draft(['Agent']);
    expect(agents.recipients.map((row) => [row.personId, row.known.words['file.number']])).to.deep.equal([
      [agent.personId, agents.recipients[0]?.file?.number],
    ]);
    expect((await draft(['Solicitor'])).recipients).to.deep.equal([]);
    // Taken out by hand, all that leads to the copy is, and is put back together.
    const { id } = await begun({ selection: none, roles: ['Agent'] });
    const ask = {
      ...mailingDraft({ selection: { ...none, removed: files.slice(0, 2) }, roles: ['Agent'] }),
      mailingId: id,
      offset: 0,
      limit: 50,
    };
    const shown = await listRecipients(firm.db, ask);
    expect([shown.ticked, shown.total, shown.rows[0]?.ticked]).to.deep.equal([0, 1, false]);
    expect(shown.leftOut[0]?.clients[0]?.picks).to.have.members(files.slice(0, 2));
    const kept = await listRecipients(firm.db, { ...ask, selection: { ...none, removed: [files[0] ?? 0] } });
    expect(kept.ticked).to.equal(1);
    await firm.db('person').where({ id: 900 }).delete();
  });

  it('goes to all colleagues or to some, greeted by name, logged on no file and with no way to opt out', async () => {
    const staff = await firm.db('staff').where({ active: 1 }).orderBy('name');
    const greeting = { type: 'mergeField', attrs: { field: 'greeting', fallback: '', format: '' } };
    const body = {
      type: 'doc',
      content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Dear ' }, greeting] }],
    };
    const { id, draft } = await begun({ colleagues: 'all', body, fileChoice: 'general' });
    const ask = { ...draft, mailingId: id, offset: 0, limit: 50 };
    const all = await listRecipients(firm.db, ask);
    expect(all.rows.map((row) => [row.to, row.address, row.greeting, row.file])).to.deep.equal(
      staff.map(({ name, email }) => [name, email, name.split(' ')[0], null]),
    );
    const some = await listRecipients(firm.db, { ...ask, colleagues: [staff[1]!.id] });
    expect([some.ticked, some.total, some.leftOut]).to.deep.equal([1, staff.length, []]);
    expect(some.rows.filter(({ ticked }) => ticked).map(({ to }) => to)).to.deep.equal([staff[1]!.name]);

    const key = `0-${staff[0]!.id}`;
    expect(await say(changeCopy(firm.db, MANAGER, id, key, { subject: body, body }))).to.contain(
      'A colleague',
    );
    expect(await say(addToSeries(firm.db, MANAGER, id))).to.contain('A series goes to clients');
    expect((await previewMailing(firm.context, id, key)).text).to.contain(
      `Dear ${staff[0]!.name.split(' ')[0]}`,
    );
    const rows = await released(id);
    expect(rows.map((row) => [row.staff_id, row.client_id, row.file_id])).to.have.deep.members(
      staff.map((each) => [each.id, null, null]),
    );
    for (const row of rows) {
      const mail = await mailOf(row);
      expect([mail.to && 'text' in mail.to && mail.to.text.includes(row.to_address)]).to.deep.equal([true]);
      expect(mail.headers.has('list')).to.equal(false);
      expect(mail.from?.value[0]?.name).to.equal(MANAGER.name);
    }
    expect((await viewMailing(firm.db, id)).draft.fileChoice).to.equal('nowhere');
    expect((await readResults(firm.db, id)).counts.sent).to.equal(staff.length);
    expect(
      (await listDispatch(firm.db, id, { fared: 'all', offset: 0, limit: 50 })).rows.map(
        ({ client }) => client,
      ),
    ).to.have.members(staff.map(({ name }) => name));
  });

  it('names what a colleague’s copy lacks, and says that a series goes to clients', async () => {
    const place = { type: 'mergeField', attrs: { field: 'client.place', fallback: '', format: '' } };
    const body = { type: 'doc', content: [{ type: 'paragraph', content: [place] }] };
    const { id } = await begun({ colleagues: [MANAGER.id], body });
    const { missing, recipients } = await checkMailing(firm.db, id);
    expect([recipients, missing.map((row) => [row.clientId, row.picks, row.field])]).to.deep.equal([
      1,
      [[0, [MANAGER.id], 'client.place']],
    ]);
    const series = await begun({});
    await addToSeries(firm.db, MANAGER, series.id);
    await firm.db('mailing').where({ id: series.id }).update({ colleagues: '"all"' });
    expect((await checkMailing(firm.db, series.id)).problems.join(' ')).to.contain(
      'A series goes to clients',
    );
  });

  it('tells who else is at a mailing, until they leave it or are heard of no more', async () => {
    const { id } = await begun({ body: words('A word') });
    const petra = { ...MANAGER, id: 5, name: 'Petra Lund' };
    const since = (await one(firm.db('change_event').orderBy('id', 'desc').first('id'))).id;
    expect(await tellPresence(firm.db, MANAGER, id, 'message')).to.deep.equal([]);
    expect(await tellPresence(firm.db, petra, id, 'recipients')).to.deep.equal([
      { name: MANAGER.name, step: 'message' },
    ]);
    const told = () =>
      firm.db('change_event').where('id', '>', since).where({ subject_id: id }).pluck('topic');
    expect(await told()).to.deep.equal(['mailings', 'mailings']);
    // Saying the same again is news to nobody.
    await tellPresence(firm.db, petra, id, 'recipients');
    expect(await told()).to.have.length(2);
    await tellPresence(firm.db, petra, id, null);
    expect(await tellPresence(firm.db, MANAGER, id, 'checks')).to.deep.equal([]);
    await tellPresence(firm.db, petra, id, 'message');
    await firm
      .db('mailing_presence')
      .where({ staff_id: petra.id })
      .update({ seen_at: new Date(Date.now() - 70_000) });
    expect(await tellPresence(firm.db, MANAGER, id, 'checks')).to.deep.equal([]);
    expect(await tellPresence(firm.db, MANAGER, 99_999, 'checks')).to.deep.equal([]);
  });
});
