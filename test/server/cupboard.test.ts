import { expect } from 'chai';
import { DraftBegin, type StaffMember, type WordingDraft } from '../../contract/index.ts';
import { checkMailing } from '../../server/mailing/checking.ts';
import { encloseKeptWithAll, listEnclosures, renewEnclosure } from '../../server/mailing/enclosures.ts';
import { beginDraft } from '../../server/writing/begin.ts';
import {
  bringContentBack,
  encloseKept,
  keepEnclosure,
  readContent,
  replaceContent,
} from '../../server/writing/keptEnclosures.ts';
import {
  dropWording,
  keepWording,
  listCupboard,
  listVersions,
  readWording,
  saveWording,
  tryWording,
} from '../../server/writing/cupboard.ts';
import { listWordings } from '../../server/writing/offered.ts';
import { begunMailing, words } from './drafts.ts';
import { MANAGER, one, openFirm, type TestFirm } from './helpers.ts';

const PETRA: StaffMember = {
  id: 5,
  name: 'Petra Lund',
  email: 'petra.lund@quillhurst.example',
  role: 'assistant',
};
const field = (key: string) => ({ type: 'mergeField', attrs: { field: key, fallback: '', format: '' } });
const wording = (instead: Partial<WordingDraft> = {}): WordingDraft => ({
  kind: 'template',
  name: 'The winter round',
  description: 'For the visits before spring',
  own: false,
  letters: '',
  occasion: null,
  subject: {
    type: 'doc',
    content: [{ type: 'paragraph', content: [{ type: 'text', text: 'At ' }, field('client.place')] }],
  },
  body: words('We shall come.'),
  enclosureIds: [],
  ...instead,
});

describe('the cupboard of wordings', () => {
  let firm: TestFirm;
  const say = (work: Promise<unknown>) =>
    work.then(
      () => 'done',
      (error: Error) => error.message,
    );
  before(async () => {
    firm = await openFirm({ clients: 12, files: 16, conversationsPerClient: 0 });
  });
  after(() => firm.close());

  it('keeps what each was before, and brings it back as another change', async () => {
    const id = await keepWording(firm.db, MANAGER, wording());
    expect(await saveWording(firm.db, MANAGER, id, wording({ body: words('We come.') }), 1)).to.equal(2);
    expect(
      await saveWording(firm.db, MANAGER, id, wording({ body: words('Come.'), name: 'Winter' }), 2),
    ).to.equal(3);
    // What it is for alone makes no earlier version.
    await saveWording(
      firm.db,
      MANAGER,
      id,
      wording({ body: words('Come.'), name: 'Winter', description: '' }),
      3,
    );
    const versions = await listVersions(firm.db, MANAGER, id);
    expect(versions.map(({ version, name, body }) => [version, name, body])).to.deep.equal([
      [2, 'The winter round', words('We come.')],
      [1, 'The winter round', words('We shall come.')],
    ]);
    const [, first] = versions;
    await saveWording(firm.db, MANAGER, id, wording({ body: first!.body }), 4);
    expect((await readWording(firm.db, MANAGER, id)).body).to.deep.equal(words('We shall come.'));
    expect(await say(saveWording(firm.db, MANAGER, id, wording(), 4))).to.contain(
      'changed this wording meanwhile',
    );
    await dropWording(firm.db, MANAGER, id);
    expect(await firm.db('wording_version').where({ wording_id: id })).to.deep.equal([]);
  });

  it('shows one’s own to oneself alone, and lets only its keeper or those who may change it', async () => {
    const own = await keepWording(firm.db, PETRA, wording({ name: 'Petra’s own', own: true }));
    const shared = await keepWording(firm.db, MANAGER, wording({ name: 'Everybody’s' }));
    const names = async (staff: StaffMember) =>
      (await listCupboard(firm.db, staff, { words: '', offset: 0, limit: 100 })).rows.map(({ name }) => name);
    expect(await names(PETRA)).to.include.members(['Petra’s own', 'Everybody’s']);
    expect(await names(MANAGER))
      .to.include('Everybody’s')
      .and.not.include('Petra’s own');
    const put = await listWordings(firm.db, MANAGER.id, { for: 'messages' });
    expect(put.map(({ name }) => name)).to.not.include('Petra’s own');
    expect(await say(readWording(firm.db, MANAGER, own))).to.contain('not here any more');
    expect(await say(saveWording(firm.db, MANAGER, own, wording(), 1))).to.contain('not here any more');
    expect(await say(saveWording(firm.db, PETRA, shared, wording(), 1))).to.not.equal('done');
    expect((await readWording(firm.db, PETRA, shared)).mine).to.equal(false);
    const found = await listCupboard(firm.db, MANAGER, {
      words: 'everyb',
      kind: 'template',
      offset: 0,
      limit: 10,
    });
    expect(found.total).to.equal(1);
  });

  it('has one template at most for each occasion, and no paragraph for any', async () => {
    await firm.db('wording').update({ occasion: null });
    await keepWording(firm.db, MANAGER, wording({ name: 'A', occasion: 'fee note sent' }));
    expect(
      await say(keepWording(firm.db, MANAGER, wording({ name: 'B', occasion: 'fee note sent' }))),
    ).to.contain('Another template serves that');
    const id = await keepWording(
      firm.db,
      MANAGER,
      wording({ name: 'C', kind: 'paragraph', occasion: 'file opened', letters: 'cc' }),
    );
    expect(await readWording(firm.db, MANAGER, id)).to.include({ occasion: null, letters: 'cc' });
    expect(await say(keepWording(firm.db, MANAGER, wording({ name: 'A' })))).to.contain('of that name');
  });

  it('is seen with a real client’s facts, and says what is not known of them', async () => {
    const client = await one(firm.db('client').where('place', '<>', '').orderBy('id').first());
    const body = {
      type: 'doc',
      content: [
        { type: 'paragraph', content: [field('client.name'), field('client.service'), field('firm.name')] },
      ],
    };
    await firm.db('client').where({ id: client.id }).update({ service: null });
    const look = await tryWording(firm.db, {
      kind: 'template',
      subject: wording().subject,
      body,
      clientId: client.id,
    });
    expect(look).to.deep.include({
      client: client.name,
      subject: `At ${client.place}`,
      missing: ['Service'],
    });
    expect(look.text).to.contain(client.name).and.contain('Quillhurst Land Advisers');
    expect(
      await say(tryWording(firm.db, { kind: 'template', subject: body, body, clientId: 99_999 })),
    ).to.contain('not here any more');
  });

  it('fills a template’s subject and text in for a file, and leaves its fields in a mailing', async () => {
    await firm.db('wording').delete();
    await keepWording(firm.db, MANAGER, wording());
    const file = await one(
      firm
        .db('file')
        .join('client', 'client.id', 'file.client_id')
        .where('client.place', '<>', '')
        .first('file.id', 'client.place'),
    );
    const [filled] = await listWordings(firm.db, MANAGER.id, { file: file.id, for: 'messages' });
    expect(filled?.subject).to.equal(`At ${file.place}`);
    const [kept] = await listWordings(firm.db, MANAGER.id, { for: 'mailings' });
    expect(kept?.missing).to.deep.equal([]);
    const [missing] = await listWordings(firm.db, MANAGER.id, { for: 'messages' });
    expect([missing?.subject, missing?.missing]).to.deep.equal(['At [Place]', ['Place']]);
  });

  describe('files kept in it', () => {
    const file = (text: string, filename = 'Orchard leaflet.pdf') => ({
      filename,
      type: 'application/pdf',
      content: Buffer.from(text),
    });
    const text = async (id: number, version: number | null = null) =>
      (await readContent(firm.db, MANAGER, id, version)).content.toString('utf8');

    it('are kept once, with what each was before, and brought back', async () => {
      const id = await keepEnclosure(firm.db, MANAGER, file('the first'));
      const twin = await keepEnclosure(firm.db, MANAGER, file('the first'));
      const twins = await firm.db('wording').whereIn('id', [id, twin]).orderBy('id');
      expect(twins.map(({ name }) => name)).to.deep.equal(['Orchard leaflet', 'Orchard leaflet (2)']);
      expect(twins[0]?.hash).to.deep.equal(twins[1]?.hash);
      expect(await readWording(firm.db, MANAGER, id)).to.deep.include({
        kind: 'enclosure',
        enclosed: { filename: 'Orchard leaflet.pdf', size: 9 },
        version: 1,
      });
      expect(await replaceContent(firm.db, MANAGER, id, 1, file('the second', 'new.pdf'))).to.equal(2);
      expect(await say(replaceContent(firm.db, MANAGER, id, 1, file('late')))).to.contain('meanwhile');
      expect(await say(replaceContent(firm.db, MANAGER, id, 2, file('the second', 'new.pdf')))).to.contain(
        'the very file',
      );
      expect([await text(id), await text(id, 1)]).to.deep.equal(['the second', 'the first']);
      expect(await bringContentBack(firm.db, MANAGER, id, 2, 1)).to.equal(3);
      expect(await text(id)).to.equal('the first');
      expect((await listVersions(firm.db, MANAGER, id)).map(({ version, enclosed }) => [version, enclosed]))
        // Newest first.
        .to.deep.equal([
          [2, { filename: 'new.pdf', size: 10 }],
          [1, { filename: 'Orchard leaflet.pdf', size: 9 }],
        ]);
      // What it is called and is for is changed like that of any wording; a file stays a file.
      const kept = wording({ kind: 'enclosure', name: 'The leaflet', body: words('x') });
      expect(await say(saveWording(firm.db, MANAGER, id, { ...kept, kind: 'paragraph' }, 3))).to.contain(
        'stays a file',
      );
      await saveWording(firm.db, MANAGER, id, kept, 3);
      expect(await text(id)).to.equal('the first');
      const found = await listCupboard(firm.db, PETRA, {
        kind: 'enclosure',
        words: 'leaf',
        offset: 0,
        limit: 9,
      });
      expect(found.rows.map(({ name, enclosed }) => [name, enclosed?.filename])).to.deep.equal([
        ['Orchard leaflet (2)', 'Orchard leaflet.pdf'],
        ['The leaflet', 'Orchard leaflet.pdf'],
      ]);
    });

    it('are refused when empty or too large, and belong to whoever keeps them alone where that is said', async () => {
      expect(await say(keepEnclosure(firm.db, MANAGER, file('')))).to.contain('empty');
      const large = { ...file(''), content: Buffer.alloc(10 * 1024 * 1024 + 1) };
      expect(await say(keepEnclosure(firm.db, MANAGER, large))).to.contain('10 MB');
      expect(await say(keepWording(firm.db, MANAGER, wording({ kind: 'enclosure' })))).to.contain(
        'as a file',
      );
      const id = await keepEnclosure(firm.db, PETRA, file('hers', 'hers.txt'));
      await firm.db('wording').where({ id }).update({ own: 1 });
      expect(await say(readContent(firm.db, MANAGER, id, null))).to.contain('not here any more');
      await firm.db('wording').where({ id }).update({ staff_id: MANAGER.id });
      const theirs = wording({ name: 'Everybody’s, with mine', enclosureIds: [id] });
      expect(await say(keepWording(firm.db, MANAGER, theirs))).to.contain('yours alone');
      expect(await say(keepWording(firm.db, MANAGER, { ...theirs, own: true }))).to.equal('done');
      await firm.db('wording').where({ id }).update({ staff_id: PETRA.id });
      const { id: mailing } = await begunMailing(firm);
      expect(await say(encloseKeptWithAll(firm.db, MANAGER, mailing, [id]))).to.contain('not here any more');
    });

    it('go with a template into mailings and letters, and say when a newer one lies in the cupboard', async () => {
      const id = await keepEnclosure(firm.db, MANAGER, file('as sent', 'With it.pdf'));
      const template = await keepWording(
        firm.db,
        MANAGER,
        wording({ name: 'With a file', enclosureIds: [id] }),
      );
      expect((await readWording(firm.db, MANAGER, template)).enclosureIds).to.deep.equal([id]);
      const [offered] = (await listWordings(firm.db, MANAGER.id, { for: 'mailings' })).filter(
        (each) => each.id === template,
      );
      expect(offered?.enclosures).to.deep.equal([{ id, filename: 'With it.pdf' }]);
      const { id: mailing } = await begunMailing(firm);
      await encloseKeptWithAll(firm.db, MANAGER, mailing, [id]);
      await encloseKeptWithAll(firm.db, MANAGER, mailing, [id]);
      const enclosed = () => listEnclosures(firm.db, mailing);
      expect((await enclosed()).map((each) => [each.filename, each.newer])).to.deep.equal([
        ['With it.pdf', false],
      ]);
      await replaceContent(firm.db, MANAGER, id, 1, file('as it is now', 'Newer.pdf'));
      const [old] = await enclosed();
      expect(old).to.include({ filename: 'With it.pdf', newer: true });
      expect((await checkMailing(firm.db, mailing)).remarks.join(' ')).to.contain('A newer “With it.pdf”');
      await renewEnclosure(firm.db, MANAGER, mailing, old?.id ?? 0);
      expect((await enclosed()).map((each) => [each.filename, each.newer])).to.deep.equal([
        ['Newer.pdf', false],
      ]);
      const draft = await beginDraft(firm.context, MANAGER.id, DraftBegin.parse({}));
      await encloseKept(firm.db, MANAGER, draft, [id]);
      expect(await firm.db('draft_enclosure').where({ draft_id: draft }).pluck('filename')).to.deep.equal([
        'Newer.pdf',
      ]);
      // Thrown away, it stays where it was enclosed, and goes with the template no more.
      await dropWording(firm.db, MANAGER, id);
      expect((await enclosed()).map((each) => [each.filename, each.newer])).to.deep.equal([
        ['Newer.pdf', false],
      ]);
      expect((await readWording(firm.db, MANAGER, template)).enclosureIds).to.deep.equal([]);
      expect(
        await say(saveWording(firm.db, MANAGER, template, wording({ name: 'x', enclosureIds: [id] }), 1)),
      ).to.contain('thrown away meanwhile');
    });
  });
});
