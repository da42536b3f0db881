import { expect } from 'chai';
import { LEDGER } from '../../server/parts.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { Refusal } from '../../server/foundation/refusal.ts';
import {
  entryCalendar,
  invitationsOf,
  plannedCalendar,
  takeInvitation,
} from '../../server/timeline/calendar.ts';
import { dueFor, settleDue } from '../../server/timeline/due.ts';
import {
  addEntry,
  changeEntry,
  fieldsOf,
  readEntry,
  removeEntry,
  restoreEntry,
} from '../../server/timeline/entries.ts';
import { leave } from '../../server/office/staff.ts';
import { readInvitation } from '../../core/timeline/invitation.ts';
import { noteOn, one, openFirm, rawMessage, vouchedFor, type TestFirm } from './helpers.ts';

const MAREN = 1;
const TOBIAS = 2;
const INES = 3;
const DAY = 24 * 3600 * 1000;
const PAGE = { offset: 0, limit: 50 };
/** To the second, as calendars tell it. */
const inDays = (days: number) => new Date(Math.round((Date.now() + days * DAY) / 1000) * 1000).toISOString();

describe('the timeline', () => {
  let firm: TestFirm;
  let fileId: number;
  let clientId: number;
  let personId: number;
  let arrived = 0;
  before(async () => {
    firm = await openFirm({ clients: 12, files: 20 });
    const file = await one(firm.db('file').where({ general: 1 }).first('id', 'client_id'));
    fileId = file.id;
    clientId = file.client_id;
    personId = (await one(firm.db('client_person').where({ client_id: clientId }).first('person_id')))
      .person_id;
    await firm.db('timeline').delete();
  });
  after(() => firm.close());
  afterEach(() => firm.db('timeline').delete());

  const meeting = (more: object = {}) => ({
    ...noteOn(fileId, 'Walk of the boundary'),
    messageId: null,
    kind: 'meeting' as const,
    state: 'planned' as const,
    at: inDays(2),
    endsAt: inDays(2.1),
    place: 'at the gate',
    personIds: [personId],
    staffIds: [TOBIAS],
    ...more,
  });
  const refusal = async (work: Promise<unknown>) => {
    const error: unknown = await work.then(
      () => null,
      (thrown: unknown) => thrown,
    );
    expect(error).to.be.instanceOf(Refusal);
    return error as Refusal;
  };
  const whys = async (staffId: number) =>
    (await dueFor(firm.db, staffId, PAGE)).rows.map(({ why, entry }) => [why, entry.words]);

  it('stands in the ledger by its time, found by kind and by words', async () => {
    await addEntry(firm.db, MAREN, { ...noteOn(fileId, 'Prefers a call'), messageId: null });
    await addEntry(firm.db, MAREN, meeting());
    const parts = async (more: object) =>
      (await ledger(firm.db, LEDGER, clientId, { ...PAGE, ...more })).entries.map((entry) =>
        entry.kind === 'timeline' ? entry.entry.kind : 'message',
      );
    expect((await parts({})).slice(0, 2)).to.deep.equal(['meeting', 'note']);
    expect(await parts({ only: 'note' })).to.deep.equal(['note']);
    expect(await parts({ only: 'call' })).to.deep.equal([]);
    expect(new Set(await parts({ only: 'message' }))).to.not.include.keys('meeting', 'note');
    expect(await parts({ q: 'the gate' })).to.include('meeting');
    const page = await ledger(firm.db, LEDGER, clientId, { ...PAGE, only: 'meeting' });
    expect(page.total).to.equal(1);
  });

  it('calls a colleague by an @, until they have seen to it; somebody who has is not called twice', async () => {
    const entry = await addEntry(firm.db, MAREN, {
      ...noteOn(fileId, '@Tobias Fenn please ring back'),
      messageId: null,
    });
    expect(await whys(TOBIAS)).to.deep.equal([['told', '@Tobias Fenn please ring back']]);
    expect(await whys(MAREN)).to.deep.equal([]);
    await settleDue(firm.db, INES, entry.id);
    expect(await whys(TOBIAS)).to.have.length(1);
    await settleDue(firm.db, TOBIAS, entry.id);
    expect(await whys(TOBIAS)).to.deep.equal([]);
    const words = '@Tobias Fenn and @Ines Calder please ring back';
    const before = fieldsOf(entry);
    await changeEntry(firm.db, MAREN, entry.id, { before, after: { words } });
    expect(await whys(TOBIAS)).to.deep.equal([]);
    expect(await whys(INES)).to.deep.equal([['told', words]]);
  });

  it('reminds whoever asked, when it is time, once', async () => {
    const soon = { ...noteOn(fileId, 'Ask about the map'), messageId: null, remindAt: inDays(1) };
    await addEntry(firm.db, TOBIAS, soon);
    expect(await whys(TOBIAS)).to.deep.equal([]);
    const due = await addEntry(firm.db, TOBIAS, { ...soon, words: 'Ask again', remindAt: inDays(-0.01) });
    expect(await whys(TOBIAS)).to.deep.equal([['reminder', 'Ask again']]);
    await settleDue(firm.db, TOBIAS, due.id);
    expect(await whys(TOBIAS)).to.deep.equal([]);
    expect(await readEntry(firm.db, due.id)).to.include({ remindAt: null, reminds: null });
  });

  it('asks those who took part how it went, and tells what comes within a week: each entry once', async () => {
    await addEntry(firm.db, MAREN, meeting({ words: 'Coming' }));
    await addEntry(firm.db, MAREN, meeting({ words: 'Far', at: inDays(9), endsAt: null }));
    const past = await addEntry(firm.db, MAREN, meeting({ words: 'Past', at: inDays(-1), endsAt: null }));
    for (const id of [MAREN, TOBIAS])
      expect(await whys(id)).to.deep.equal([
        ['passed', 'Past'],
        ['coming', 'Coming'],
      ]);
    expect(await whys(INES)).to.deep.equal([]);
    await changeEntry(firm.db, TOBIAS, past.id, {
      before: fieldsOf(past),
      after: { state: 'done', outcome: 'Agreed.' },
    });
    expect(await whys(TOBIAS)).to.deep.equal([['coming', 'Coming']]);
    const { total, rows } = await dueFor(firm.db, TOBIAS, { offset: 0, limit: 0 });
    expect([total, rows.length]).to.deep.equal([1, 0]);
  });

  it('lets two people change one entry: different fields both stand, the same field is shown to the second', async () => {
    const entry = await addEntry(firm.db, MAREN, meeting());
    const before = fieldsOf(entry);
    await changeEntry(firm.db, MAREN, entry.id, { before, after: { place: 'by the mill' } });
    await changeEntry(firm.db, TOBIAS, entry.id, {
      before: { outcome: before.outcome },
      after: { outcome: 'Done.' },
    });
    const refused = await refusal(
      changeEntry(firm.db, TOBIAS, entry.id, {
        before: { place: before.place },
        after: { place: 'at the barn' },
      }),
    );
    expect(refused.status).to.equal(409);
    expect(refused.now).to.deep.equal({ place: 'by the mill' });
    expect(await readEntry(firm.db, entry.id)).to.include({ place: 'by the mill', outcome: 'Done.' });
    const lines = await firm.db('audit').where({ subject: 'timeline', subject_id: entry.id }).pluck('action');
    expect(lines).to.deep.equal(['meeting written', 'meeting changed', 'meeting changed']);
  });

  it('is taken away and brought back whole, and refuses what is not there', async () => {
    const entry = await addEntry(firm.db, MAREN, meeting());
    await removeEntry(firm.db, MAREN, entry.id);
    expect((await refusal(readEntry(firm.db, entry.id))).status).to.equal(404);
    expect(await whys(MAREN)).to.deep.equal([]);
    expect(await restoreEntry(firm.db, MAREN, entry.id)).to.deep.equal(entry);
    await refusal(restoreEntry(firm.db, MAREN, entry.id));
    await refusal(addEntry(firm.db, MAREN, meeting({ fileId: 99_999 })));
    expect((await refusal(addEntry(firm.db, MAREN, meeting({ personIds: [99_999] })))).field).to.equal(
      'personIds',
    );
    expect((await refusal(addEntry(firm.db, MAREN, meeting({ staffIds: [99] })))).field).to.equal('staffIds');
    const backwards = { before: fieldsOf(entry), after: { endsAt: inDays(-3) } };
    const error: unknown = await changeEntry(firm.db, MAREN, entry.id, backwards).catch(
      (thrown: unknown) => thrown,
    );
    expect(String((error as Error).message)).to.contain('ends before it begins');
  });

  it('goes into a calendar and counts each time it is moved', async () => {
    const entry = await addEntry(firm.db, MAREN, meeting());
    const { calendar } = await entryCalendar(firm.db, entry.id);
    const out = readInvitation(calendar, 'Europe/London');
    expect(out).to.include({
      at: entry.at,
      endsAt: entry.endsAt,
      place: 'at the gate',
      off: false,
      sequence: 0,
    });
    expect(out?.attendees.map(({ name }) => name)).to.include('Tobias Fenn');
    await changeEntry(firm.db, MAREN, entry.id, { before: fieldsOf(entry), after: { state: 'off' } });
    const moved = readInvitation((await entryCalendar(firm.db, entry.id)).calendar, 'UTC');
    expect(moved).to.include({ uid: out?.uid, sequence: 1, off: true });
    await addEntry(firm.db, INES, meeting({ words: 'Of Ines and Tobias' }));
    for (const [staff, found] of [
      [TOBIAS, true],
      [INES, true],
      [MAREN, false],
    ] as const)
      expect((await plannedCalendar(firm.db, staff)).includes('Of Ines and Tobias')).to.equal(found);
    const note = await addEntry(firm.db, MAREN, { ...noteOn(fileId, 'x'), messageId: null });
    expect((await refusal(entryCalendar(firm.db, note.id))).status).to.equal(400);
  });

  /** An invitation that comes by mail to Tobias. @returns the message */
  async function invite(lines: readonly string[], method = 'REQUEST', type = 'text/calendar') {
    const calendar = [
      'BEGIN:VCALENDAR',
      'VERSION:2.0',
      `METHOD:${method}`,
      'BEGIN:VEVENT',
      'UID:walk-1@elsewhere.example',
      ...lines,
      'END:VEVENT',
      'END:VCALENDAR',
    ].join('\r\n');
    const { email } = await one(firm.db('address').where({ person_id: personId }).first('email'));
    const id = `invited${++arrived}@elsewhere.example`;
    const raw = rawMessage(
      {
        From: `Somebody <${email}>`,
        To: 'Tobias Fenn <tobias.fenn@quillhurst.example>',
        Subject: 'A walk',
        Date: new Date().toUTCString(),
        'Message-ID': `<${id}>`,
        'MIME-Version': '1.0',
        'Content-Type': 'multipart/alternative; boundary="b"',
        ...vouchedFor(email),
      },
      [
        '--b',
        'Content-Type: text/plain',
        '',
        'Come and walk.',
        '--b',
        `Content-Type: ${type}; method=${method}; charset=utf-8`,
        '',
        calendar,
        '--b--',
        '',
      ].join('\r\n'),
    );
    firm.world.account('tobias.fenn@quillhurst.example')?.folder('INBOX')?.append(raw, [], new Date());
    await firm.sync();
    return one(firm.db('message').where({ message_id: id }).first());
  }

  it('takes a meeting from an invitation, follows what moves it and calls it off, and nothing older', async () => {
    const { email } = await one(firm.db('address').where({ person_id: personId }).first('email'));
    const first = await invite([
      'SEQUENCE:1',
      'DTSTART:20270603T100000Z',
      'DTEND:20270603T113000Z',
      'SUMMARY:Walk of the culvert',
      'LOCATION:the bridge',
      `ORGANIZER:mailto:${email}`,
      'ATTENDEE:mailto:tobias.fenn@quillhurst.example',
      'ATTENDEE:mailto:stranger@nowhere.example',
    ]);
    const [told] = await invitationsOf(firm.db, TOBIAS, first.id);
    expect(told).to.include({ summary: 'Walk of the culvert', off: false, kept: null });
    const nowhere = takeInvitation(firm.db, TOBIAS, first.id, told?.index ?? 0, null);
    expect((await refusal(nowhere)).field).to.equal('fileId');
    const kept = await takeInvitation(firm.db, TOBIAS, first.id, told?.index ?? 0, fileId);
    expect(kept).to.deep.include({
      kind: 'meeting',
      state: 'planned',
      words: 'Walk of the culvert',
      place: 'the bridge',
      at: '2027-06-03T10:00:00.000Z',
      messageId: first.id,
      personIds: [personId],
      staffIds: [TOBIAS],
    });
    expect((await invitationsOf(firm.db, TOBIAS, first.id))[0]?.kept).to.include({
      id: kept.id,
      older: false,
    });
    expect(
      (await refusal(takeInvitation(firm.db, TOBIAS, first.id, told?.index ?? 0, fileId))).status,
    ).to.equal(409);

    const moved = await invite(['SEQUENCE:2', 'DTSTART:20270604T100000Z', 'DTEND:20270604T113000Z']);
    const [again] = await invitationsOf(firm.db, TOBIAS, moved.id);
    expect(again?.kept).to.include({ id: kept.id, older: true });
    const after = await takeInvitation(firm.db, TOBIAS, moved.id, again?.index ?? 0, null);
    expect(after).to.include({ id: kept.id, at: '2027-06-04T10:00:00.000Z', place: 'the bridge' });
    // What was sent before it, and comes later or is opened again, moves nothing back.
    expect((await invitationsOf(firm.db, TOBIAS, first.id))[0]?.kept?.older).to.equal(false);

    const off = await invite(['SEQUENCE:3', 'DTSTART:20270604T100000Z'], 'CANCEL');
    const [gone] = await invitationsOf(firm.db, TOBIAS, off.id);
    expect((await takeInvitation(firm.db, TOBIAS, off.id, gone?.index ?? 0, fileId)).state).to.equal('off');
  });

  it('hands over to a colleague what somebody who leaves was called to, reminded of, or had planned', async () => {
    const called = { ...noteOn(fileId, '@Ines Calder please ring'), messageId: null };
    const seen = await addEntry(firm.db, MAREN, called);
    await settleDue(firm.db, INES, seen.id);
    await addEntry(firm.db, MAREN, { ...called, words: '@Ines Calder once more' });
    await addEntry(firm.db, INES, { ...called, words: 'Reminder', remindAt: inDays(-0.01) });
    await addEntry(firm.db, INES, meeting({ words: 'Planned', staffIds: [] }));
    await leave(firm.db, MAREN, INES, TOBIAS);
    expect(await whys(TOBIAS)).to.deep.equal([
      ['told', '@Ines Calder once more'],
      ['reminder', 'Reminder'],
      ['coming', 'Planned'],
    ]);
    await firm.db('staff').where({ id: INES }).update({ active: 1, left_at: null });
  });

  it('sees none where there is none, and lets a broken one cost nothing but itself', async () => {
    const broken = await invite(['DTSTART:whenever']);
    expect(await invitationsOf(firm.db, TOBIAS, broken.id)).to.deep.equal([]);
    expect((await refusal(takeInvitation(firm.db, TOBIAS, broken.id, 0, fileId))).status).to.equal(404);
    const other = await invite(['DTSTART:20270603T100000Z'], 'REQUEST', 'text/x-other');
    expect(await invitationsOf(firm.db, TOBIAS, other.id)).to.deep.equal([]);
  });
});
