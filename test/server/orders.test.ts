import { expect } from 'chai';
import fc from 'fast-check';
import { DateTime } from 'luxon';
import { simpleParser } from 'mailparser';
import pino from 'pino';
import { AppContext } from '../../server/foundation/context.ts';
import { openDatabase } from '../../server/foundation/database.ts';
import { readFirm } from '../../server/foundation/firm.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { DispatchWorker } from '../../server/dispatch/worker.ts';
import { dropOrder, letSend, saveOrder, turnOrder } from '../../server/orders/keep.ts';
import { actOnPrepared, listPrepared } from '../../server/orders/prepared.ts';
import { listCourses, listOrders, tryOrder, turnHeld, viewOrder } from '../../server/orders/view.ts';
import { OrderWorker } from '../../server/orders/worker.ts';
import { outgoing } from '../../server/parts.ts';
import { changeRecord, readRecord } from '../../server/records/changing.ts';
import { recordHistory } from '../../server/records/history.ts';
import { addFeeNote, changeFeeNote } from '../../server/records/feeNotes.ts';
import { changeMany } from '../../server/records/many/changes.ts';
import { openFile } from '../../server/records/people.ts';
import { addEntry } from '../../server/timeline/entries.ts';
import { dueFor } from '../../server/timeline/due.ts';
import {
  changeTask,
  keepTask,
  listTasks,
  settleTask,
  addTask,
  officeDay,
  tasksDue,
} from '../../server/tasks/tasks.ts';
import { selectionOf } from '../../core/selection/tree.ts';
import { mailingDraft, releaseDraft, words } from './drafts.ts';
import { keepWording } from '../../server/writing/cupboard.ts';
import { deliver, MANAGER, noteOn, one, openFirm, until, type TestFirm } from './helpers.ts';
import { order, orderFor, orderOn, step, task } from './orders.ts';

const PAGE = { offset: 0, limit: 200 };

describe('standing orders', () => {
  let firm: TestFirm;
  let clients: { id: number; name: string; adviser_id: number | null }[];
  let welcome: number;
  let users = 0;
  const client = (at: number) => clients[at]?.id ?? 0;
  const worker = () => new OrderWorker(firm.context);
  const settle = (now: DateTime = DateTime.now()) => worker().settle(now);
  const courses = async (id: number) => (await listCourses(firm.db, id, { ...PAGE, state: 'all' })).rows;
  const open = (clientId: number) =>
    openFile(firm.db, MANAGER.id, clientId, {
      number: '',
      title: 'A new wood',
      adviserId: null,
      stage: null,
    });
  const note = (paidOn: string | null = null, dueOn = '2026-10-01') => ({
    ...{
      number: `N${Math.random()}`.slice(0, 18),
      issuedOn: '2026-09-01',
      dueOn,
      amount: 100,
      tax: 0,
      paidOn,
    },
    ...{ fileId: null, words: 'Advice' },
  });
  const set = async (id: number, status: 'active' | 'past' | 'prospect') => {
    const before = await readRecord(firm.db, 'client', id);
    await changeRecord(firm.db, MANAGER.id, 'client', id, {
      before: { status: before.status },
      after: { status },
    });
  };
  const tasks = () => firm.db('task').whereNotNull('course_id').orderBy('id').select();
  const templateOf = (name: string, occasion: 'file opened' | null = null) =>
    keepWording(firm.db, MANAGER, {
      ...{ kind: 'template', name, description: '', own: false, letters: '', occasion, enclosureIds: [] },
      subject: {
        type: 'doc',
        content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Your file with us' }] }],
      },
      body: {
        type: 'doc',
        content: [
          {
            type: 'paragraph',
            content: [
              { type: 'text', text: 'Dear ' },
              { type: 'mergeField', attrs: { field: 'greeting', fallback: '' } },
              { type: 'text', text: ', we have begun ' },
              { type: 'mergeField', attrs: { field: 'file.title', fallback: '' } },
            ],
          },
        ],
      },
    });

  before(async () => {
    firm = await openFirm({ clients: 14, files: 20, conversationsPerClient: 0 });
    await firm.sync();
    clients = await firm
      .db('client')
      .where({ status: 'active', kind: 'person' })
      .whereNotNull('adviser_id')
      .orderBy('id')
      .select('id', 'name', 'adviser_id');
    expect(clients.length).to.be.greaterThan(3);
    await firm.db('wording').update({ occasion: null });
    welcome = await templateOf('Begun', 'file opened');
    await firm.db('delivery').where({ kind: 'letters' }).delete();
  });
  beforeEach(async () => {
    await firm.db('dispatch').delete();
    await firm.db('order_act').delete();
    await firm.db('task').delete();
    await firm.db('draft').delete();
    await firm.db('paper_piece').delete();
    await firm.db('paper_run').delete();
    await firm.db('order_course').delete();
    await firm.db('standing_order').delete();
    await firm.db('happening').delete();
    await firm.db('fee_note').delete();
    await firm
      .db('client')
      .whereIn(
        'id',
        clients.map(({ id }) => id),
      )
      .update({ status: 'active' });
  });
  after(() => firm.close());

  it('prepare what always follows, on its day, in the adviser’s name, and once', async () => {
    const id = await orderOn(
      firm,
      order({ on: 'file opened' }, [step({ do: 'message', wordingId: null, by: 'adviser' }, 1, true)]),
    );
    const fileId = await open(client(0));
    await settle();
    expect(await firm.db('draft').select()).to.have.lengthOf(0);
    expect((await viewOrder(firm.db, MANAGER, id)).counts.going).to.equal(1);
    const later = DateTime.now().plus({ days: 5 });
    await Promise.all([settle(later), settle(later)]);
    await settle(later);
    const [draft, ...more] = await firm.db('draft').select();
    expect(more).to.have.lengthOf(0);
    expect(draft?.staff_id).to.equal(clients[0]?.adviser_id);
    expect(draft?.state).to.equal('draft');
    expect(draft?.subject).to.equal('Your file with us');
    expect(draft?.body).to.contain('A new wood');
    expect(JSON.parse(draft?.file_ids ?? '')).to.deep.equal([fileId]);
    const [course] = await courses(id);
    expect(course?.state).to.equal('done');
    expect(course?.why).to.match(/^File \S+, A new wood was opened$/);
    expect(course?.acts.map(({ state }) => state)).to.deep.equal(['prepared']);
    const mine = await listPrepared(firm.db, draft?.staff_id ?? 0, { ...PAGE, whose: 'mine' });
    expect(mine.rows.map(({ subject, mine: own }) => [subject, own])).to.deep.equal([
      ['Your file with us', true],
    ]);
    expect((await listPrepared(firm.db, MANAGER.id, { ...PAGE, whose: 'mine' })).total).to.equal(0);
  });

  it('send by themselves only where a manager lets them, and say that nobody wrote it', async () => {
    const steps = [step({ do: 'message', wordingId: welcome, by: MANAGER.id })];
    const id = await orderOn(firm, order({ on: 'file opened' }, steps), { sends: true });
    await open(client(0));
    await settle();
    const draft = await one(firm.db('draft').first());
    expect(draft.state).to.equal('waiting');
    const sender = new DispatchWorker(firm.context, outgoing(firm.context));
    await until('it is sent', async () => {
      await sender.work();
      const row = await firm.db('dispatch').first('state', 'logged_message_id');
      return row?.state === 'sent' && row.logged_message_id !== null;
    });
    const sent = await one(firm.db('dispatch').first());
    const mail = await simpleParser(Buffer.from(await readRaw(firm.db, sent.raw_hash as Buffer)));
    expect(mail.headers.get('auto-submitted')).to.equal('auto-generated');
    expect(mail.text).to.contain('we have begun A new wood');
    // Taken back to preparing, it prepares.
    await letSend(firm.db, MANAGER, id, false);
    await open(client(1));
    await settle();
    expect((await one(firm.db('draft').orderBy('id', 'desc').first())).state).to.equal('draft');
  });

  it('keep what has gaps for somebody to read, though they may send', async () => {
    const gap = await keepWording(firm.db, MANAGER, {
      ...{ kind: 'template', name: 'With a gap', description: '', own: false, letters: '', occasion: null },
      enclosureIds: [],
      subject: words('A word'),
      body: {
        type: 'doc',
        content: [
          {
            type: 'paragraph',
            content: [{ type: 'mergeField', attrs: { field: 'file.stage', fallback: '' } }],
          },
        ],
      },
    });
    await orderOn(
      firm,
      order({ on: 'file opened' }, [step({ do: 'message', wordingId: gap, by: 'owner' })]),
      {
        sends: true,
      },
    );
    await open(client(0));
    await settle();
    const draft = await one(firm.db('draft').first());
    expect(draft.state).to.equal('draft');
    expect(draft.waits).to.match(/^Not known: /);
    const sent = await actOnPrepared(firm.context, MANAGER.id, {
      what: 'send',
      drafts: [{ id: draft.id, version: draft.version }],
    });
    expect(sent.done).to.equal(0);
    expect(sent.left[0]?.why).to.equal(draft.waits);
  });

  it('release what they prepared, some at once, or throw it away', async () => {
    const steps = [step({ do: 'message', wordingId: welcome, by: 'owner' })];
    const id = await orderOn(firm, order({ on: 'file opened' }, steps));
    for (const at of [0, 1, 2]) await open(client(at));
    await settle();
    const { rows } = await listPrepared(firm.db, MANAGER.id, { ...PAGE, whose: 'mine' });
    const drafts = rows.map(({ draftId, version }) => ({ id: draftId, version }));
    const sent = await actOnPrepared(firm.context, MANAGER.id, { what: 'send', drafts: drafts.slice(0, 2) });
    expect(sent).to.deep.equal({ done: 2, left: [] });
    await actOnPrepared(firm.context, MANAGER.id, { what: 'throw away', drafts: drafts.slice(2) });
    const states = (await courses(id)).flatMap(({ acts }) => acts.map(({ state }) => state));
    expect(states.sort()).to.deep.equal(['done', 'done', 'left']);
    // What was thrown away was not said: it may be said again.
    await open(client(2));
    await open(client(0));
    await settle();
    const [again, twice] = (await courses(id)).slice(0, 2);
    expect(twice?.acts[0]?.state).to.equal('prepared');
    expect(again?.acts[0]?.words).to.match(/^They were written the same on /);
  });

  it('ask a selection of whom it happened to, and stop for those who fit it no more', async () => {
    const line = { fact: 'client.tags', test: { op: 'one of' as const, values: [] as number[] } };
    const [tag = 0] = await firm.db('tag').insert({ name: `wooded ${Date.now()}` });
    line.test.values.push(tag);
    await firm
      .db('client_tag')
      .insert([client(0), client(1)].map((client_id) => ({ client_id, tag_id: tag })));
    const id = await orderOn(
      firm,
      orderFor(line, { on: 'file opened' }, [task('Look at the map'), task('Ring them', 7)]),
    );
    for (const at of [0, 1, 2]) await open(client(at));
    await settle();
    expect((await tasks()).map(({ client_id }) => client_id)).to.have.members([client(0), client(1)]);
    await firm
      .db('client_tag')
      .where({ client_id: client(1) })
      .delete();
    await settle(DateTime.now().plus({ days: 8 }));
    expect(
      (await tasks()).filter(({ words: said }) => said === 'Ring them').map(({ client_id }) => client_id),
    ).to.deep.equal([client(0)]);
    const stopped = (await courses(id)).find(({ client: whom }) => whom?.id === client(1));
    expect([stopped?.state, stopped?.stoppedWhy]).to.deep.equal(['stopped', 'they fit the order no more']);
  });

  it('do not set each other off in a circle', async () => {
    const becomes = (value: string) => ({
      on: 'becomes' as const,
      of: 'client' as const,
      fact: 'status',
      value,
    });
    const change = (value: 'active' | 'past') =>
      step({ do: 'change', of: 'client', change: { what: 'status', value } });
    const back = await orderOn(firm, order(becomes('past'), [change('active')]));
    const forth = await orderOn(firm, order(becomes('active'), [change('past')]));
    await set(client(0), 'past');
    await settle();
    const all = [...(await courses(back)), ...(await courses(forth))];
    expect(all.map(({ state }) => state).sort()).to.deep.equal(['done', 'done', 'stopped']);
    expect(all.find(({ state }) => state === 'stopped')?.stoppedWhy).to.equal('it would have set itself off');
    const { steps } = await recordHistory(firm.db, { subject: 'client', id: client(0), ...PAGE });
    expect(steps[0]?.order?.id).to.equal(forth);
  });

  it('ask before they act for more than they may on a day', async () => {
    const becomes = { on: 'becomes' as const, of: 'client' as const, fact: 'status', value: 'prospect' };
    const id = await orderOn(firm, order(becomes, [task('Ring them')], { mostADay: 2 }));
    const some = clients.slice(0, 4).map((each) => each.id);
    await changeMany(firm.db, MANAGER.id, {
      selection: { ...selectionOf(), only: some },
      change: { what: 'status', value: 'prospect' },
      changed: 4,
    });
    await settle();
    expect(await tasks()).to.have.lengthOf(2);
    expect((await viewOrder(firm.db, MANAGER, id)).counts.held).to.equal(2);
    const held = (await listCourses(firm.db, id, { ...PAGE, state: 'held' })).rows.map((row) => row.id);
    expect(await turnHeld(firm.db, MANAGER, id, { to: 'begin', courseIds: held.slice(0, 1) })).to.equal(1);
    expect(await turnHeld(firm.db, MANAGER, id, { to: 'leave', courseIds: null })).to.equal(1);
    await settle();
    expect(await tasks()).to.have.lengthOf(3);
    // Tomorrow is another day.
    await set(client(0), 'active');
    await set(client(0), 'prospect');
    await settle(DateTime.now().plus({ days: 1 }));
    expect(await tasks()).to.have.lengthOf(4);
  });

  it('hear of fee notes that are over their day, and let go when they are paid', async () => {
    const { zone } = await readFirm(firm.db);
    const today = DateTime.now().setZone(zone).startOf('day');
    const due = today.minus({ days: 4 }).toISODate() ?? '';
    const id = await orderOn(
      firm,
      order({ on: 'fee note overdue', days: 5 }, [task('Ring them'), task('Write', 3)]),
      {
        since: today.minus({ hours: 1 }),
      },
    );
    const fields = note(null, due);
    const noteId = await addFeeNote(firm.db, MANAGER.id, client(0), fields);
    await settle(today.plus({ hours: 10 }));
    expect(await tasks()).to.have.lengthOf(0);
    const tomorrow = today.plus({ days: 1, hours: 7 });
    await Promise.all([settle(tomorrow), settle(tomorrow)]);
    expect(await tasks()).to.have.lengthOf(1);
    await changeFeeNote(firm.db, MANAGER.id, noteId, { ...fields, paidOn: due });
    await settle(today.plus({ days: 10 }));
    expect(await tasks()).to.have.lengthOf(1);
    expect((await courses(id))[0]?.stoppedWhy).to.equal('the fee note was paid, or is gone');
  });

  it('hear of messages that come, with their words, from whom a selection takes', async () => {
    const person = await one(
      firm
        .db('client_person')
        .join('address', 'address.person_id', 'client_person.person_id')
        .where('client_person.client_id', client(0))
        .first('address.email'),
    );
    const id = await orderOn(
      firm,
      order({ on: 'message comes', words: 'felling licence' }, [
        step({ do: 'tell', who: 'adviser', words: 'A licence is asked for' }),
      ]),
    );
    const file = await one(
      firm
        .db('file')
        .where({ client_id: client(0), general: 0 })
        .first('number'),
    );
    const send = (key: string, text: string) =>
      deliver(firm, 'ines.calder@quillhurst.example', `${key}@far.example`, {
        text,
        headers: {
          From: `A <${(person as unknown as { email: string }).email}>`,
          Subject: `${file.number} ${key}`,
        },
      });
    send('one', 'We need a licence for felling, could you say how?');
    send('two', 'Thank you for your visit.');
    await firm.sync();
    await settle();
    const all = await courses(id);
    expect(all.map(({ why }) => why)).to.have.lengthOf(1);
    expect(all[0]?.why).to.contain('one');
    const due = await dueFor(firm.db, clients[0]?.adviser_id ?? 0, PAGE);
    expect(
      due.rows.some(({ entry, why }) => why === 'told' && entry.words.includes('A licence is asked for')),
    ).to.equal(true);
  });

  it('hear when a meeting is over, but not when it was called off', async () => {
    const file = await one(
      firm
        .db('file')
        .where({ client_id: client(0) })
        .first('id'),
    );
    const at = DateTime.now().plus({ hours: 2 });
    const meet = (state: 'planned' | 'off', hours: number) =>
      addEntry(firm.db, MANAGER.id, {
        ...noteOn(file.id, `Walk ${state}`),
        ...{ kind: 'meeting', state, messageId: null },
        at: at.plus({ hours }).toUTC().toISO() ?? '',
        endsAt:
          at
            .plus({ hours: hours + 1 })
            .toUTC()
            .toISO() ?? '',
      });
    const id = await orderOn(firm, order({ on: 'meeting over' }, [task('Write it up')]));
    await meet('planned', 0);
    await meet('off', 0);
    await settle(at.plus({ minutes: 30 }));
    expect(await tasks()).to.have.lengthOf(0);
    await settle(at.plus({ minutes: 90 }));
    await settle(at.plus({ minutes: 95 }));
    expect((await courses(id)).map(({ why }) => why)).to.deep.equal(['The meeting “Walk planned” is over']);
  });

  it('lay letters on the desk of Paperwork, a day’s together', async () => {
    const id = await orderOn(
      firm,
      order({ on: 'file opened' }, [step({ do: 'letter', wordingId: welcome })]),
    );
    await open(client(0));
    await open(client(1));
    await settle();
    const runs = await firm.db('paper_run').select();
    expect(runs).to.have.lengthOf(1);
    expect(runs[0]?.order_id).to.equal(id);
    const pieces = await firm.db('paper_piece').select();
    expect(pieces.map(({ client_id }) => client_id)).to.have.members([client(0), client(1)]);
    expect(pieces.every(({ state }) => state === 'waiting')).to.equal(true);
  });

  it('let a mailing go to one more, once, where a manager lets them send', async () => {
    const { id: mailingId } = await releaseDraft(firm, mailingDraft(), 1);
    const had = await one(firm.db('dispatch').where({ mailing_id: mailingId }).first());
    const whom = clients.find((each) => each.id !== had.client_id)?.id ?? 0;
    const fields = order({ on: 'file opened' }, [step({ do: 'mailing', mailingId })]);
    const refused = await orderOn(firm, fields).catch((error: Error) => error.message);
    expect(refused).to.contain('an office manager has to let this order send first');
    const id = await orderOn(firm, fields, { sends: true });
    await open(whom);
    await open(whom);
    await settle();
    const copies = await firm.db('dispatch').where({ mailing_id: mailingId, client_id: whom }).select();
    expect(copies).to.have.lengthOf(1);
    const said = (await courses(id)).map(({ acts }) => acts[0]?.words ?? '');
    expect(said.filter((each) => each === 'They have had it already.')).to.have.lengthOf(1);
  });

  it('tell what they would have done, before they are switched on', async () => {
    const { zone } = await readFirm(firm.db);
    const day = (ago: number) => DateTime.now().setZone(zone).minus({ days: ago }).toISODate() ?? '';
    for (const [at, ago] of [40, 20, 6].entries())
      await addFeeNote(firm.db, MANAGER.id, client(at), note(null, day(ago)));
    await addFeeNote(firm.db, MANAGER.id, client(3), note(day(19), day(20)));
    const { told } = order({ on: 'fee note overdue', days: 10 }, [task('Ring'), task('Write', 3)]);
    const tried = await tryOrder(firm.db, MANAGER.id, { told, days: 90, ...PAGE });
    expect(tried.total).to.equal(2);
    expect(tried.rows.map(({ clientId }) => clientId)).to.deep.equal([client(1), client(0)]);
    expect(tried.rows[0]?.steps).to.have.lengthOf(2);
    expect(await firm.db('order_course').select()).to.have.lengthOf(0);
    const selection = { ...selectionOf(), only: [client(0)] };
    const narrowed = await tryOrder(firm.db, MANAGER.id, { told: { ...told, selection }, days: 90, ...PAGE });
    expect(narrowed.total).to.equal(1);
  });

  it('tell of the past what they would have heard, for all that can happen', async () => {
    await set(client(0), 'past');
    await open(client(1));
    const tried = async (when: Parameters<typeof order>[0]) =>
      (await tryOrder(firm.db, MANAGER.id, { told: order(when, []).told, days: 90, ...PAGE })).rows;
    expect(await tried({ on: 'becomes', of: 'client', fact: 'status', value: 'past' })).to.not.have.lengthOf(
      0,
    );
    expect((await tried({ on: 'file opened' })).some(({ clientId }) => clientId === client(1))).to.equal(
      true,
    );
    for (const on of [
      'client new',
      'person new',
      'fee note entered',
      'fee note paid',
      'meeting over',
    ] as const)
      expect(await tried({ on }), on).to.be.an('array');
    for (const on of ['mailing answered', 'mailing opened'] as const)
      expect(await tried({ on, mailingId: null }), on).to.be.an('array');
    for (const on of ['mailing unanswered', 'mailing unopened'] as const)
      expect(await tried({ on, mailingId: 1, days: 3 }), on).to.be.an('array');
    for (const on of ['message comes', 'message leaves', 'document comes'] as const)
      expect(await tried({ on, words: '' }), on).to.be.an('array');
    expect(await tried({ on: 'answer owed', days: 3 })).to.be.an('array');
    expect(await tried({ on: 'month', day: 1 })).to.not.have.lengthOf(0);
    expect(
      // Of what was opened today: its morning may be still to come.
      await tried({ on: 'day', of: 'file', fact: 'opened', days: 1, side: 'before', yearly: true }),
    ).to.not.have.lengthOf(0);
  });

  it('go on by the words they began with, and stop when they are ended so', async () => {
    const fields = order({ on: 'file opened' }, [task('First'), task('Second', 3)]);
    const id = await orderOn(firm, fields);
    await open(client(0));
    await settle();
    const { version } = await viewOrder(firm.db, MANAGER, id);
    await saveOrder(
      firm.db,
      MANAGER,
      id,
      { ...fields, told: { ...fields.told, steps: [task('Other')] } as typeof fields.told },
      version,
    );
    await open(client(1));
    await settle(DateTime.now().plus({ days: 4 }));
    expect((await tasks()).map(({ words: said }) => said)).to.have.members(['First', 'Other', 'Second']);
    const stale = await saveOrder(firm.db, MANAGER, id, fields, version).catch(
      (error: Error) => error.message,
    );
    expect(stale).to.contain('A colleague has changed this order');
    await saveOrder(firm.db, MANAGER, id, fields, version + 1);
    await open(client(2));
    await settle();
    await turnOrder(firm.db, MANAGER, id, { to: 'ended', underWay: 'stops' });
    await open(client(3));
    await settle(DateTime.now().plus({ days: 9 }));
    expect(await tasks()).to.have.lengthOf(4);
    expect((await courses(id)).find(({ client: whom }) => whom?.id === client(2))?.stoppedWhy).to.equal(
      'the order was ended',
    );
    const kept = await dropOrder(firm.db, MANAGER, id).catch((error: Error) => error.message);
    expect(kept).to.contain('It has acted already');
  });

  it('wait while they are paused, and hear nothing of what happens meanwhile', async () => {
    const id = await orderOn(firm, order({ on: 'file opened' }, [task('First'), task('Second', 1)]));
    await open(client(0));
    await settle();
    await turnOrder(firm.db, MANAGER, id, { to: 'paused', underWay: 'goes on' });
    await open(client(1));
    await settle(DateTime.now().plus({ days: 3 }));
    expect(await tasks()).to.have.lengthOf(1);
    await turnOrder(firm.db, MANAGER, id, { to: 'on', underWay: 'goes on' });
    await settle(DateTime.now().plus({ days: 3 }));
    expect((await tasks()).map(({ client_id }) => client_id)).to.deep.equal([client(0), client(0)]);
  });

  it('are a colleague’s own, and sending is a manager’s word', async () => {
    const adviser = { ...MANAGER, id: clients[0]?.adviser_id ?? 2, role: 'adviser' as const };
    const id = await orderOn(firm, order({ on: 'file opened' }, [task('Ring')]));
    const refused = await turnOrder(firm.db, adviser, id, { to: 'paused', underWay: 'goes on' }).catch(
      (error: Error) => error.message,
    );
    expect(refused).to.contain('a colleague’s');
    await firm.db('standing_order').where({ id }).update({ owner_id: adviser.id });
    await letSend(firm.db, MANAGER, id, true);
    const { version } = await viewOrder(firm.db, MANAGER, id);
    const fields = { ...order({ on: 'file opened' }, [task('Write')]), ownerId: adviser.id };
    await saveOrder(firm.db, adviser, id, fields, version);
    expect((await viewOrder(firm.db, MANAGER, id)).sends).to.equal(false);
  });

  it('stop no other where something they name is gone, and tell whoever keeps them', async () => {
    const [fieldId = 0] = await firm
      .db('field')
      .insert({ of: 'client', label: `Gone ${Date.now()}`, kind: 'number', position: 99 });
    const line = { fact: `field:${fieldId}`, test: { op: 'at least' as const, value: 1 } };
    const broken = await orderOn(firm, orderFor(line, { on: 'file opened' }, [task('Never')]));
    const timed = await orderOn(
      firm,
      orderFor(line, { on: 'month', day: DateTime.now().plus({ days: 1 }).day }, [task('Never')]),
    );
    const sound = await orderOn(firm, order({ on: 'file opened' }, [task('Ring')]));
    await firm.db('field').where({ id: fieldId }).update({ gone_at: new Date() });
    await open(client(0));
    // Whatever time it is now, that day's morning has come by noon.
    await settle(DateTime.now().plus({ days: 1 }).set({ hour: 12 }));
    expect((await courses(sound)).map(({ state }) => state)).to.deep.equal(['done']);
    for (const id of [broken, timed]) {
      const view = await viewOrder(firm.db, MANAGER, id);
      expect([view.state, view.problems.length]).to.deep.equal(['paused', 1]);
    }
    const told = await firm.db('task').where('words', 'like', 'See to the standing order%').select('for_id');
    expect(told.map(({ for_id }) => for_id)).to.deep.equal([MANAGER.id, MANAGER.id]);
  });

  it('are listed with what they say and have done', async () => {
    await orderOn(firm, order({ on: 'file opened' }, [task('Ring')], { name: 'Alpha' }));
    const { rows, total } = await listOrders(firm.db, MANAGER.id, { ...PAGE, state: 'on', words: 'alp' });
    expect(total).to.equal(1);
    expect(rows[0]?.sentence).to.equal(
      'When a file is opened, give whoever keeps this order the task “Ring”, due the same day.',
    );
  });

  it('act once each, whatever dies: a property over histories, kills and two processes', async function () {
    this.timeout(120_000);
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.record({
            who: fc.nat({ max: 3 }),
            what: fc.constantFrom('file', 'past', 'active', 'round', 'kill'),
          }),
          { minLength: 3, maxLength: 14 },
        ),
        async (events) => {
          await firm.db('task').delete();
          await firm.db('order_course').delete();
          await firm.db('standing_order').delete();
          await firm.db('happening').delete();
          await firm
            .db('client')
            .whereIn(
              'id',
              clients.map((each) => each.id),
            )
            .update({ status: 'active' });
          const opened = await orderOn(
            firm,
            order({ on: 'file opened' }, [task('one'), task('two', 1)], { mostADay: 100 }),
          );
          const left = await orderOn(
            firm,
            order({ on: 'becomes', of: 'client', fact: 'status', value: 'past' }, [task('left')], {
              mostADay: 100,
            }),
          );
          const expected = { opened: 0, left: 0 };
          const state = new Map<number, string>();
          const later = DateTime.now().plus({ days: 3 });
          const processes = async () => {
            const url = new URL(firm.url);
            const user = `process${++users}`;
            await firm.db.raw(`CREATE USER '${user}'@'%' IDENTIFIED BY 'one'`);
            await firm.db.raw(`GRANT ALL ON ${url.pathname.slice(1)}.* TO '${user}'@'%'`);
            [url.username, url.password] = [user, 'one'];
            const db = openDatabase(url.toString(), { pool: 4 });
            const own = new OrderWorker(new AppContext(db, firm.config, pino({ level: 'silent' })));
            return { db, own, user };
          };
          let [a, b] = [await processes(), await processes()];
          const running: Promise<unknown>[] = [];
          const dead: { destroy(): Promise<void> }[] = [];
          for (const { who, what } of events) {
            const id = client(who);
            if (what === 'file') {
              await open(id);
              expected.opened++;
            } else if (what === 'past' || what === 'active') {
              if ((state.get(id) ?? 'active') !== what) {
                await set(id, what);
                if (what === 'past') expected.left++;
              }
              state.set(id, what);
            } else if (what === 'round')
              running.push(
                a.own.round(later).catch(() => undefined),
                b.own.round(later).catch(() => undefined),
              );
            else {
              // A process dies with its connections: whatever it had open is undone by the database.
              running.push(a.own.settle(later).catch(() => undefined));
              await new Promise((resolve) => setTimeout(resolve, who * 8));
              await firm.db.raw(`KILL USER '${a.user}'`);
              dead.push(a.db);
              [a, b] = [b, await processes()];
            }
          }
          await Promise.all(running);
          await Promise.all([a.own.settle(later), b.own.settle(later)]);
          await a.own.settle(later.plus({ days: 3 }));
          for (const db of [...dead, a.db, b.db]) await db.destroy();
          const count = async (words: string) => (await firm.db('task').where({ words }).select('id')).length;
          expect([await count('one'), await count('two'), await count('left')]).to.deep.equal([
            expected.opened,
            expected.opened,
            expected.left,
          ]);
          expect((await courses(opened)).every(({ acts }) => acts.length === 2)).to.equal(true);
          expect((await courses(left)).every(({ acts }) => acts.length === 1)).to.equal(true);
        },
      ),
      { numRuns: 15 },
    );
  });
});

describe('tasks', () => {
  let firm: TestFirm;
  const fields = {
    words: 'Ring the miller',
    dueOn: '2026-11-20',
    clientId: null,
    fileId: null,
    messageId: null,
  };
  const all = { ...PAGE, whose: 'all', done: false, words: '', sort: 'due', order: 'asc' } as const;

  before(async () => {
    firm = await openFirm({ clients: 4, files: 6, conversationsPerClient: 0 });
    await firm.db('task').delete();
  });
  after(() => firm.close());

  it('are left for somebody, on a record, and done', async () => {
    const file = await one(firm.db('file').where({ general: 0 }).first('id', 'client_id'));
    const id = await addTask(firm.db, MANAGER.id, { ...fields, forId: 2, fileId: file.id });
    const { rows } = await listTasks(firm.db, MANAGER.id, { ...all, clientId: file.client_id });
    expect(rows[0]).to.include({ id, words: 'Ring the miller', forId: 2, madeBy: MANAGER.name });
    expect(rows[0]?.late).to.be.greaterThan(0);
    expect((await listTasks(firm.db, MANAGER.id, { ...all, whose: 'mine' })).total).to.equal(0);
    expect((await tasksDue(firm.db, 2, await officeDay(firm.db), 5)).late).to.equal(1);
    await settleTask(firm.db, 2, id, true);
    await settleTask(firm.db, 2, id, true);
    expect((await listTasks(firm.db, 2, all)).total).to.equal(0);
    expect((await listTasks(firm.db, 2, { ...all, done: true })).rows[0]?.doneBy).to.be.a('string');
    await settleTask(firm.db, 2, id, false);
    expect((await listTasks(firm.db, 2, all)).total).to.equal(1);
  });

  it('are changed by one at a time, taken away and brought back', async () => {
    const id = await addTask(firm.db, MANAGER.id, { ...fields, forId: MANAGER.id });
    const change = { words: 'Write to the miller', forId: MANAGER.id, dueOn: null, version: 1 };
    await changeTask(firm.db, MANAGER.id, id, change);
    const stale = await changeTask(firm.db, MANAGER.id, id, change).catch((error: Error) => error.message);
    expect(stale).to.contain('Somebody else changed this task');
    await keepTask(firm.db, MANAGER.id, id, false);
    expect((await listTasks(firm.db, MANAGER.id, { ...all, whose: 'mine' })).total).to.equal(0);
    await keepTask(firm.db, MANAGER.id, id, true);
    const { rows } = await listTasks(firm.db, MANAGER.id, { ...all, whose: 'mine' });
    expect(rows[0]).to.include({ words: 'Write to the miller', dueOn: null, late: 0 });
  });

  it('are for nobody who has left, and about nothing that is not here', async () => {
    const refused = async (instead: object) =>
      addTask(firm.db, MANAGER.id, { ...fields, forId: MANAGER.id, ...instead }).catch(
        (error: Error) => error.message,
      );
    expect(await refused({ forId: 999 })).to.contain('not here any more');
    expect(await refused({ clientId: 99_999 })).to.be.a('string');
    expect(await refused({ messageId: 99_999 })).to.be.a('string');
  });
});
