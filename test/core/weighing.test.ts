import { expect } from 'chai';
import { decide, lessonOf, type FilingKnowledge } from '../../core/filing/decide.ts';
import { Experience } from '../../core/filing/experience.ts';
import { filingMessage, subjectKeys } from '../../core/filing/message.ts';
import { FilingRegister, type FileData } from '../../core/filing/register.ts';
import { ruleMatches, ruleWords, type OfficeRule } from '../../core/filing/rules.ts';
import type { EarlierMessage, FilingContext, FilingMessage } from '../../core/filing/types.ts';
import { acronymsOf, stem, tellingWords } from '../../core/filing/words.ts';
import { readMessage } from '../../core/message/read.ts';
import { plainMessage } from './messages.ts';

/** A register of some size, so that rare names are rare. */
const fillers = Array.from({ length: 60 }, (_, index) => index + 100);
const file = (
  id: number,
  title: string,
  clientId: number,
  personIds: number[] = [],
  closed = false,
): FileData => ({
  id,
  number: `TW${20 + (id % 7)}-${1000 + id}`,
  title,
  clientId,
  general: title === 'General correspondence',
  closed,
  personIds,
});
const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: [],
  freemail: ['post.example'],
  fileNumberPattern: 'TW\\d{2}-\\d{4}',
  clients: [
    { id: 1, name: 'Larkhow Estate', domain: 'larkhow.example' },
    { id: 2, name: 'Brock & Daughters' },
    { id: 3, name: 'Sedge Parish Council' },
    { id: 4, name: 'The Whinfold Trust' },
    ...fillers.map((id) => ({ id, name: `Filler${id} Holding` })),
  ],
  people: [
    { id: 1, name: 'Odile Larkhow', addresses: ['odile@larkhow.example'], clientIds: [1] },
    { id: 2, name: 'Ned Brock', addresses: ['brocks@post.example'], clientIds: [2] },
    { id: 3, name: 'Wyn Brock', addresses: ['brocks@post.example'], clientIds: [4] },
    { id: 4, name: 'Perdita Sale', addresses: ['perdita@salewalls.example'], clientIds: [1, 2, 3] },
    { id: 5, name: 'Cass Tolland', addresses: ['clerk@sedge.example'], clientIds: [3] },
    ...fillers.map((id) => ({
      id,
      name: `Nomen${id} Cognomen${id}`,
      addresses: [`n${id}@post.example`],
      clientIds: [id],
    })),
  ],
  files: [
    file(10, 'General correspondence', 1),
    file(11, 'Repair of field walls, Upper Larkhow', 1, [4]),
    file(12, 'Heather Renewal Fund – Crag End', 1),
    file(13, 'Bridge gatherSignals', 1, [], true),
    file(20, 'General correspondence', 2),
    file(21, 'Orchard wall, Brockley', 2, [4]),
    file(30, 'General correspondence', 3),
    file(31, 'Village pond', 3, [4]),
    file(32, 'Allotments', 3),
    file(40, 'General correspondence', 4),
    ...fillers.map((id) => file(id, 'General correspondence', id)),
  ],
});
const from = plainMessage;
const nothing: FilingContext = { earlier: new Map(), sameSubject: [] };
const mind = (extra: Partial<FilingKnowledge> = {}): FilingKnowledge => ({
  register,
  experience: new Experience(),
  rules: [],
  ...extra,
});
const earlier = (messageId: string, fileIds: number[], key = 'a matter'): FilingContext => {
  const one: EarlierMessage = {
    messageId,
    state: fileIds.length ? 'logged' : 'aside',
    fileIds,
    subjectKey: key,
  };
  return { earlier: new Map([[messageId, one]]), sameSubject: [] };
};
/** Files it is filed to; negative ones are suggested; else the state. */
function where(message: FilingMessage, context = nothing, own = mind()): number[] | string {
  const decision = decide(own, message, context);
  if (decision.state === 'logged') return decision.fileIds;
  return decision.state === 'suggested' ? decision.candidates.map((each) => -each.fileId) : decision.state;
}
const first = (result: number[] | string) => (typeof result === 'string' ? result : result[0]);

describe('how common a name is', () => {
  it('is reckoned from how many bear each of its words', () => {
    expect(register.namesakesByChance('Ned Brock')).to.be.closeTo(2 / 65, 1e-9);
    expect(register.namesakesByChance('Nomen101 Tolland')).to.be.closeTo(1 / 65, 1e-9);
    expect(register.namesakesByChance('Ned Nobody')).to.equal(0);
    expect(register.namesakesByChance('Ned')).to.equal(65);
  });
});

describe('weighing the evidence', () => {
  it('takes a stranger at a client’s own domain for one of theirs, hosts below it too, but not at freemail', () => {
    expect(first(where(from('new@mail.larkhow.example', { subject: 'The field walls' })))).to.equal(11);
    expect(where(from('new@post.example'))).to.deep.equal([]);
  });
  it('tells two who share an address apart by the signature, and when we write by the greeting', () => {
    expect(where(from('brocks@post.example', { signature: 'Regards\nNed Brock' }))).to.deep.equal([21]);
    expect(where(from('brocks@post.example', { signature: 'Regards\nWyn Brock' }))).to.deep.equal([40]);
    expect(
      where(
        from('adviser@firm.example', {
          recipients: [{ name: 'The Brocks', address: 'brocks@post.example' }],
          own: 'Dear Wyn,\nI have put it in the post.',
        }),
      ),
    ).to.deep.equal([40]);
    expect(where(from('brocks@post.example'))).to.include.members([-21, -40]);
  });
  it('finds whom a third party writes about by client, place or matter, and asks when nothing is named', () => {
    const perdita = (own: string, subject = 'Start date') =>
      where(from('perdita@salewalls.example', { own, subject }));
    expect(perdita('We can begin for the Larkhow Estate on Monday.')).to.deep.equal([11]);
    expect(perdita('The lorry is at Brockley now.', 'Orchard wall')).to.deep.equal([21]);
    expect(perdita('We can begin on Monday.')).to.include.members([-11, -21, -31]);
  });
  it('leaves a third party’s other clients alone when one of a client’s own people takes part', () => {
    const both = from('clerk@sedge.example', {
      recipients: [
        { name: '', address: 'adviser@firm.example' },
        { name: '', address: 'perdita@salewalls.example' },
      ],
      subject: 'Pond',
      own: 'The wall by the pond is down.',
    });
    expect(where(both)).to.deep.equal([31]);
  });
  it('files a message between the people of two clients on both when it names both, and asks otherwise', () => {
    const two = (own: string) =>
      where(
        from('odile@larkhow.example', {
          recipients: [
            { name: '', address: 'adviser@firm.example' },
            { name: '', address: 'clerk@sedge.example' },
          ],
          subject: 'The field walls and the village pond',
          own,
        }),
      );
    expect(two('It bears on Larkhow Estate and on Sedge Parish Council alike.')).to.deep.equal([11, 31]);
  });
  it('knows a grant by its initials', () => {
    expect(acronymsOf('Hedge and Wall Renewal Fund: walls at Crag')).to.deep.equal(['hwrf']);
    expect(
      first(where(from('odile@larkhow.example', { subject: 'HRF claim form', own: 'It wants a date.' }))),
    ).to.equal(12);
  });
  it('takes no number or name from footers, signatures and quoted text', () => {
    const message = from('clerk@sedge.example', {
      subject: 'Pond levels',
      own: 'The village pond is low.',
      footer: 'As used in TW24-1011. Larkhow Estate walks.',
      quoted: '> TW24-1011',
    });
    expect(where(message)).to.deep.equal([31]);
  });
  it('asks when a number of one client comes from the people of another', () => {
    const number = register.file(11)?.number ?? '';
    const result = where(from('clerk@sedge.example', { subject: `Re ${number}` }));
    expect(result).to.include(-11);
  });
  it('lets a number decide over what is usual, General or not', () => {
    const general = register.file(30)?.number ?? '';
    expect(where(from('clerk@sedge.example', { subject: `${general}: village pond` }))).to.deep.equal([30]);
  });
  it('uses a closed file only where something points at it', () => {
    const odile = (extra: Partial<FilingMessage>, context = nothing) =>
      where(from('odile@larkhow.example', { subject: 'Bridge gatherSignals', ...extra }), context);
    expect(odile({})).to.not.include(-13).and.not.include(13);
    expect(
      odile(
        { subject: 'Re: Bridge gatherSignals', named: ['m'] },
        earlier('m', [13], 'bridge gatherSignals'),
      ),
    ).to.deep.equal([13]);
    expect(
      odile({ subject: 'Re: Old', isReply: true, quoted: '> the bridge gatherSignals is done' }),
    ).to.include(-13);
  });
  it('follows a lost thread by its mark and subject', () => {
    const context: FilingContext = {
      earlier: new Map(),
      sameSubject: [{ messageId: 'm', state: 'logged', fileIds: [32], subjectKey: 'plots' }],
    };
    expect(where(from('clerk@sedge.example', { subject: 'AW: Plots' }), context)).to.deep.equal([32]);
  });
  it('is not turned by a subject that the conversation always had', () => {
    const answer = from('clerk@sedge.example', {
      subject: 'Re: Allotments',
      own: 'That suits us.',
      named: ['m'],
    });
    expect(where(answer, earlier('m', [30], 'allotments'))).to.deep.equal([30]);
    expect(where({ ...answer, subject: 'Village pond' }, earlier('m', [30], 'allotments'))).to.not.deep.equal(
      [30],
    );
  });
  it('takes a conversation of several files as a whole', () => {
    expect(
      where(from('x@new.example', { subject: 'Re: A matter', named: ['m'] }), earlier('m', [11, 31])),
    ).to.deep.equal([11, 31]);
  });
  it('gives each candidate a probability that falls, and weights to its reasons', () => {
    const decision = decide(mind(), from('perdita@salewalls.example'), nothing);
    if (decision.state !== 'suggested') throw new Error(decision.state);
    const shares = decision.candidates.map((each) => each.probability);
    expect(shares).to.deep.equal([...shares].sort((a, b) => b - a));
    expect(shares.reduce((sum, each) => sum + each, 0)).to.be.within(0.3, 1);
    expect(decision.candidates.every((each) => each.evidence.every((reason) => reason.weight > 0))).to.equal(
      true,
    );
  });
});

describe('learning at once', () => {
  const taught = (...lessons: [FilingMessage, number[]][]) => {
    const experience = new Experience();
    for (const [message, fileIds] of lessons) experience.learn(lessonOf(register, message, fileIds));
    return mind({ experience });
  };
  it('whose an unknown address is, from one confirmation', () => {
    const stranger = from('new@post.example', { subject: 'Allotments' });
    expect(where(stranger)).to.deep.equal([]);
    expect(where(stranger, nothing, taught([stranger, [32]]))).to.deep.equal([32]);
  });
  it('that a correspondent is no client', () => {
    const seller = from('sales@seller.example');
    expect(where(seller, nothing, taught([seller, []]))).to.equal('aside');
  });
  it('that strangers are no clients, after some were settled and none was; one client among them makes it ask', () => {
    const stranger = (n: number) => from(`s${n}@far${n}.example`);
    const some = [1, 2, 3, 4].map((n): [FilingMessage, number[]] => [stranger(n), []]);
    expect(where(stranger(9), nothing, taught(...some.slice(0, 3)))).to.deep.equal([]);
    expect(where(stranger(9), nothing, taught(...some))).to.equal('aside');
    expect(where(stranger(9), nothing, taught(...some, [stranger(6), [30]]))).to.deep.equal([]);
  });
  it('the words that go with a kind of file, for other clients too', () => {
    const lessons = [101, 102, 103, 104, 105, 106].map((id): [FilingMessage, number[]] => [
      from(`n${id}@post.example`, { own: 'The newts and the weed want a pump.' }),
      [31],
    ]);
    const other = Array.from({ length: 24 }, (_, index) => index + 110).map(
      (id): [FilingMessage, number[]] => [
        from(`n${id}@post.example`, { own: 'The beans want sticks.' }),
        [32],
      ],
    );
    const before = where(
      from('clerk@sedge.example', { subject: 'Newts', own: 'Is the pump in yet? The weed is back.' }),
    );
    const after = where(
      from('clerk@sedge.example', { subject: 'Newts', own: 'Is the pump in yet? The weed is back.' }),
      nothing,
      taught(...lessons, ...other),
    );
    expect(first(before)).to.not.equal(31);
    expect(Math.abs(Number(first(after)))).to.equal(31);
  });
  it('knows a stranger’s lesson from that of somebody known', () => {
    const message = from('new@post.example', { subject: 'Allotments' });
    expect(lessonOf(register, message, [32]).stranger).to.equal('nothing');
    expect(lessonOf(register, from('clerk@sedge.example'), [32]).stranger).to.equal(null);
  });
});

describe('the office’s own rules', () => {
  const rule = (by: OfficeRule['by'], pattern: string, then: OfficeRule['then']): OfficeRule => ({
    id: 1,
    by,
    pattern,
    then,
  });
  it('match by address, domain, list and words of the subject, and nothing by nothing', () => {
    const message = from('Ann+x@Far.example', {
      subject: 'Wöchentliche Preise',
      list: 'Prices <prices.far.example>',
    });
    for (const [by, pattern, expected] of [
      ['address', 'ann@far.example', true],
      ['address', 'bob@far.example', false],
      ['domain', 'far.example', true],
      ['domain', 'ar.example', false],
      ['list', 'prices.far.example', true],
      ['subject', 'wochentliche', true],
      ['subject', ' ', false],
    ] as const)
      expect([by, pattern, ruleMatches(rule(by, pattern, { kind: 'aside' }), message)]).to.deep.equal([
        by,
        pattern,
        expected,
      ]);
  });
  it('come before everything learned, and may forbid a file', () => {
    const odile = from('odile@larkhow.example', { subject: 'The field walls' });
    const by = (then: OfficeRule['then']) =>
      where(odile, nothing, mind({ rules: [rule('address', 'odile@larkhow.example', then)] }));
    expect(where(odile)).to.deep.equal([11]);
    expect(by({ kind: 'file', fileId: 31 })).to.deep.equal([31]);
    expect(by({ kind: 'private' })).to.equal('private');
    expect(by({ kind: 'aside' })).to.equal('aside');
    expect(by({ kind: 'never', fileId: 11 })).to.deep.equal([]);
    expect(ruleWords(rule('domain', 'far.example', { kind: 'never', fileId: 1 }), 'TW24-1011')).to.equal(
      'Mail with anyone at far.example never goes to TW24-1011',
    );
  });
});

describe('reading for filing', () => {
  const read = async (lines: string[]) =>
    filingMessage(register, await readMessage(Buffer.from(lines.join('\r\n'))));
  it('finds the sender inside a forward, in the text or enclosed', async () => {
    const inline = await read([
      'From: One Of Us <a@firm.example>',
      'To: b@firm.example',
      'Subject: WG: Allotments',
      '',
      'For you.',
      '',
      'Von: Cass Tolland [mailto:clerk@sedge.example]',
      'Gesendet: Montag, 2. September 2024 10:00',
      'An: a@firm.example',
      'Betreff: Allotments',
      '',
      'Two plots are free.',
      '',
      'Cass Tolland',
    ]);
    expect([inline.own, inline.original?.from?.address, inline.original?.own]).to.deep.equal([
      'For you.',
      'clerk@sedge.example',
      'Two plots are free.',
    ]);
    expect(where(inline)).to.deep.equal([32]);
    const enclosed = await read([
      'From: One Of Us <a@firm.example>',
      'To: b@firm.example',
      'Subject: Fwd: Allotments',
      'MIME-Version: 1.0',
      'Content-Type: multipart/mixed; boundary=x',
      '',
      '--x',
      'Content-Type: text/plain',
      '',
      'For you.',
      '--x',
      'Content-Type: message/rfc822',
      '',
      'From: Cass Tolland <clerk@sedge.example>',
      'To: a@firm.example',
      'Message-ID: <inner@sedge.example>',
      'Subject: Allotments',
      '',
      'Two plots are free.',
      '--x--',
      '',
    ]);
    expect(enclosed.original?.messageId).to.equal('inner@sedge.example');
    expect(where(enclosed)).to.deep.equal([32]);
  });
  it('is found again by its subject with each of its people, through the marks of an automatic answer', async () => {
    const keys = (subject: string, to: string) =>
      read(['From: a@firm.example', `To: ${to}`, `Subject: ${subject}`, '', 'x']).then((message) =>
        subjectKeys(message, (address) => register.isOurs(address)),
      );
    const sent = await keys('The pond – levels', 'clerk@sedge.example, perdita@salewalls.example');
    const answered = await keys('Automatic reply: The pond - levels', 'clerk@sedge.example');
    expect(sent).to.include(answered[0]).and.have.length(2);
  });
  it('leaves endings away, so that forms of a word meet', () => {
    expect(['walls', 'walling'].map(stem)).to.deep.equal(['wall', 'wall']);
    expect([...tellingWords('Fences and fencing')]).to.have.length(1);
  });
});
