import { LEDGER } from '../../server/parts.ts';
import { expect } from 'chai';
import fc from 'fast-check';
import type { SortTarget } from '../../contract/index.ts';
import { ledger } from '../../server/correspondence/ledger/ledger.ts';
import { viewMessage } from '../../server/filing/message.ts';
import { sortingQueue } from '../../server/filing/sorting.ts';
import { sortMessage, undoStep } from '../../server/filing/steps.ts';
import { openFirm, rawMessage, type TestFirm, vouchedFor, one } from './helpers.ts';
import { Refusal } from '../../server/foundation/refusal.ts';

/** Nothing beyond the place itself. */
const PLAIN = { alsoIds: [], note: '', addAddressTo: null };

/** Everything that says where messages are. */
async function snapshot(firm: TestFirm) {
  return {
    messages: await firm
      .db('message')
      .orderBy('id')
      .select(
        'id',
        'state',
        'sorting',
        'decided_by',
        'decided_at',
        'evidence',
        'candidates',
        'reason',
        'later_until',
        'corrected_at',
      ),
    filing: await firm.db('filing').orderBy(['message_id', 'file_id']),
  };
}

describe('sorting', () => {
  let firm: TestFirm;
  before(async () => {
    firm = await openFirm({ clients: 40, files: 90 });
    await firm.sync();
  });
  after(() => firm.close());

  it('leaves the unsure ones for a person, with candidates and evidence', async () => {
    const queue = await sortingQueue(firm.db, 1, { offset: 0, limit: 50 });
    expect(queue.total).to.be.within(8, 20);
    const culvert = queue.rows.find((row) => row.subject === 'Photos of the culvert');
    const message = await viewMessage(firm.context, 1, culvert?.id ?? 0);
    expect(message.enclosures.length).to.equal(4);
    expect(message.candidates.map(({ file }) => file.title)).to.include('River bank repair, Farrant Mill');
    expect(message.candidates.length).to.equal(3);
    expect(message.candidates[0]?.evidence.map((reason) => reason.side)).to.include.members([
      'for',
      'against',
    ]);
  });

  it('files to a file, shows it on the ledger, and keeps its history', async () => {
    const queue = await sortingQueue(firm.db, 1, { offset: 0, limit: 50 });
    const row = queue.rows.find((each) => each.subject === 'Photos of the culvert');
    const message = await viewMessage(firm.context, 1, row?.id ?? 0);
    const file = message.candidates[0]?.file;
    await sortMessage(firm.context, 1, {
      messageId: message.id,
      to: { kind: 'files', fileIds: [file?.id ?? 0] },
      restOfConversation: false,
      ...PLAIN,
    });
    const after = await viewMessage(firm.context, 1, message.id);
    expect([after.state, after.files.map((each) => each.number), after.decidedBy]).to.deep.equal([
      'logged',
      [file?.number],
      'Maren Okell',
    ]);
    expect(after.history.map((step) => step.words)).to.deep.equal([
      'Put into Sorting without help',
      `Filed to ${file?.number}`,
    ]);
    const page = await ledger(firm.db, LEDGER, file?.clientId ?? 0, {
      ...{ offset: 0, limit: 10, only: 'message' },
    });
    expect(page.entries[0]?.id).to.equal(message.id);
    const counted = (await sortingQueue(firm.db, 1, { offset: 0, limit: 50 })).total;
    expect(counted).to.equal(queue.total - 1);
  });

  it('files the waiting answers of a conversation once its beginning is filed', async () => {
    const inbox = firm.world.account('tobias.fenn@quillhurst.example')?.folder('INBOX');
    const put = (id: string, extra: Record<string, string>) =>
      inbox?.append(
        rawMessage(
          {
            From: 'Nobody Known <n@nowhere.example>',
            To: 'tobias.fenn@quillhurst.example',
            Subject: 'A gate',
            Date: new Date().toUTCString(),
            'Message-ID': `<${id}@nowhere.example>`,
            ...vouchedFor('n@nowhere.example'),
            ...extra,
          },
          'About the gate.',
        ),
        [],
        new Date(),
      );
    put('gate1', {});
    put('gate2', { References: '<gate1@nowhere.example>' });
    await firm.sync();
    const first = await one(firm.db('message').where({ message_id: 'gate1@nowhere.example' }).first());
    const second = await one(firm.db('message').where({ message_id: 'gate2@nowhere.example' }).first());
    expect([first.state, second.state]).to.deep.equal(['suggested', 'suggested']);
    expect(second.conversation_id).to.equal(first.conversation_id);
    const done = await sortMessage(firm.context, 1, {
      messageId: first.id,
      to: { kind: 'files', fileIds: [1] },
      restOfConversation: true,
      ...PLAIN,
    });
    expect(done.messages).to.equal(2);
    put('gate3', { References: '<gate1@nowhere.example> <gate2@nowhere.example>' });
    await firm.sync();
    const third = await one(firm.db('message').where({ message_id: 'gate3@nowhere.example' }).first());
    expect([third.state, third.decided_by]).to.deep.equal(['logged', null]);
    await undoStep(firm.context, 1, done.stepId);
  });

  it('undo restores the exact state, however many steps back', async () => {
    const queue = await sortingQueue(firm.db, 1, { offset: 0, limit: 10 });
    const ids = queue.rows.map((row) => row.id);
    // Who makes a message private must be able to read it afterwards: each step is taken by one who holds it.
    const holders = new Map<number, number>(
      (
        await firm
          .db('message_copy')
          .join('folder', 'folder.id', 'message_copy.folder_id')
          .join('mailbox', 'mailbox.id', 'folder.mailbox_id')
          .whereIn('message_id', ids)
          .select('message_id', 'staff_id')
      ).map((row) => [row.message_id, row.staff_id]),
    );
    const holder = (id: number) => holders.get(id) ?? 1;
    const target: fc.Arbitrary<SortTarget> = fc.oneof(
      fc.record({
        kind: fc.constant('files' as const),
        fileIds: fc.uniqueArray(fc.integer({ min: 1, max: 30 }), { minLength: 1, maxLength: 3 }),
      }),
      fc.constant({ kind: 'aside' as const }),
      fc.constant({ kind: 'private' as const }),
      fc.constant({ kind: 'later' as const }),
      fc.constant({ kind: 'sorting' as const }),
    );
    const step = fc.record({
      messageId: fc.constantFrom(...ids),
      to: target,
      restOfConversation: fc.boolean(),
      alsoIds: fc.constant<number[]>([]),
      note: fc.constant(''),
      addAddressTo: fc.constant(null),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 5 }), async (steps) => {
        const before = await snapshot(firm);
        const done: { by: number; id: number }[] = [];
        for (const each of steps) {
          const by = holder(each.messageId);
          // What has been on a file is not made private any more.
          const step = await sortMessage(firm.context, by, each).catch((error: unknown) => {
            if (error instanceof Refusal && each.to.kind === 'private') return null;
            throw error;
          });
          if (step) done.push({ by, id: step.stepId });
        }
        for (const { by, id } of done.reverse()) await undoStep(firm.context, by, id);
        expect(await snapshot(firm)).to.deep.equal(before);
      }),
      { numRuns: 12 },
    );
  });

  it('refuses to take back a step over a later one, or twice', async () => {
    const [row] = (await sortingQueue(firm.db, 1, { offset: 0, limit: 1 })).rows;
    const one = await sortMessage(firm.context, 1, {
      messageId: row!.id,
      to: { kind: 'aside' },
      restOfConversation: false,
      ...PLAIN,
    });
    const two = await sortMessage(firm.context, 5, {
      messageId: row!.id,
      to: { kind: 'files', fileIds: [2] },
      restOfConversation: false,
      ...PLAIN,
    });
    const say = (work: Promise<unknown>) => work.then(() => 'done').catch((error: Error) => error.message);
    expect(await say(undoStep(firm.context, 1, one.stepId))).to.contain('A colleague has moved');
    await undoStep(firm.context, 5, two.stepId);
    await undoStep(firm.context, 1, one.stepId);
    expect(await say(undoStep(firm.context, 1, one.stepId))).to.contain('taken back already');
  });
});
