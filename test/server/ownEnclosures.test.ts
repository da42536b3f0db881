import { expect } from 'chai';
import { simpleParser } from 'mailparser';
import { DocumentReader } from '../../server/documents/words.ts';
import { changeDocument, putDocument } from '../../server/documents/keep.ts';
import { readRaw } from '../../server/foundation/sources.ts';
import { checkMailing, previewMailing } from '../../server/mailing/checking.ts';
import { listOwn, sayOwn } from '../../server/mailing/ownEnclosures.ts';
import { createMailing } from '../../server/mailing/mailings.ts';
import { begunMailing, letGo, releaseAsChecked } from './drafts.ts';
import { MANAGER, one, openFirm, type TestFirm } from './helpers.ts';
import { pdfOf } from './papers.ts';

describe('each client’s own documents with a mailing', () => {
  let firm: TestFirm;
  let id: number;
  let kindId: number;
  /** The file of each client a mailing reaches. */
  let files: { id: number; client_id: number; number: string }[];
  let reached: Awaited<ReturnType<typeof checkMailing>>;
  const put = async (fileId: number, filename: string, words: string) => {
    const made = await putDocument(firm.db, MANAGER.id, fileId, {
      ...{ filename, mimeType: 'application/pdf', content: await pdfOf(words), kindId },
    });
    return made;
  };
  before(async () => {
    firm = await openFirm({ clients: 9, files: 14, conversationsPerClient: 0 });
    ({ id: kindId } = await one(firm.db('document_kind').where({ name: 'Agreement' }).first('id')));
    ({ id } = await begunMailing(firm));
    await sayOwn(firm.db, id, [{ kindId, needed: true }]);
    reached = await checkMailing(firm.db, id);
    files = await firm
      .db('file')
      .whereIn(
        'client_id',
        reached.order.map((key) => Number(key.split('-')[0])),
      )
      .groupBy('client_id')
      .select('client_id', { id: firm.db.raw('MIN(id)'), number: firm.db.raw('MIN(number)') });
  });
  after(() => firm.close());

  it('keep it from leaving where one is needed and missing', async () => {
    expect(reached.recipients).to.be.greaterThan(3);
    expect(reached.missing.map(({ field, label }) => [field, label])).to.deep.equal(
      reached.order.map(() => [`document:${kindId}`, 'Agreement']),
    );
    const refused = await releaseAsChecked(firm, id).catch((error: Error) => error.message);
    expect(refused).to.contain('“Agreement” is missing for');
    await sayOwn(firm.db, id, [{ kindId, needed: false }]);
    expect((await checkMailing(firm.db, id)).missing).to.deep.equal([]);
    await sayOwn(firm.db, id, [{ kindId, needed: true }]);
    expect(await listOwn(firm.db, id)).to.deep.equal([{ kindId, name: 'Agreement', needed: true }]);
  });

  it('are the newest of the kind, and told of when they bear somebody else’s file', async () => {
    for (const file of files) {
      const old = await put(file.id, `older ${file.client_id}.pdf`, `Older words for ${file.number}`);
      await changeDocument(firm.db, MANAGER.id, old, { on: '2024-01-02' });
      await put(file.id, `agreement ${file.client_id}.pdf`, `What was agreed for ${file.number}`);
    }
    const [first, second] = files;
    if (!first || !second) throw new Error('there are too few');
    await put(first.id, 'the wrong one.pdf', `What was agreed for ${second.number}.`);
    const reader = new DocumentReader(firm.context);
    while (await reader.round());
    const checks = await checkMailing(firm.db, id);
    expect(checks.missing).to.deep.equal([]);
    const client = await one(firm.db('client').where({ id: second.client_id }).first('name'));
    expect(checks.remarks.filter((words) => words.includes('bears'))).to.have.length(1);
    expect(checks.remarks.join(' ')).to.contain(`bears ${second.number}, a file of ${client.name}`);
    const key = checks.order.find((each) => each.startsWith(`${second.client_id}-`)) ?? '';
    const preview = await previewMailing(firm.context, id, key);
    expect(preview.source).to.contain(`agreement ${second.client_id}.pdf`).and.not.to.contain('older');
  });

  it('are those of its release, whatever is put on file later, each with its own client’s copy', async () => {
    const again = await createMailing(firm.db, MANAGER, { copyOf: id });
    expect((await listOwn(firm.db, again)).map((each) => each.kindId)).to.deep.equal([kindId]);
    await releaseAsChecked(firm, id);
    const [first] = files;
    await put(first?.id ?? 0, 'later.pdf', 'Agreed later');
    const rows = await letGo(firm, id);
    const returned = await firm.db('dispatch').where({ mailing_id: id, state: 'returned' }).pluck('answer');
    expect(returned.filter((answer) => !/^5\d\d /.test(answer ?? ''))).to.deep.equal([]);
    expect(rows.length + returned.length).to.equal(reached.recipients);
    for (const row of rows) {
      const mail = await simpleParser(await readRaw(firm.db, row.raw_hash ?? Buffer.alloc(0)));
      const own = row.client_id === first?.client_id ? 'the wrong one.pdf' : `agreement ${row.client_id}.pdf`;
      expect(mail.attachments.map(({ filename }) => filename)).to.deep.equal([own]);
      expect(mail.attachments[0]?.content.subarray(0, 5).toString()).to.equal('%PDF-');
    }
    expect(await sayOwn(firm.db, id, []).catch((error: Error) => error.message)).to.contain('Only a draft');
  });
});
