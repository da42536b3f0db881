import { expect } from 'chai';
import { decide, lessonOf, type FilingKnowledge } from '../../core/filing/decide.ts';
import { Experience } from '../../core/filing/experience.ts';
import { FileNumbers } from '../../core/filing/numbers.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import {
  replay,
  toldAll,
  toldAsked,
  type CorpusRegister,
  type ReplayStep,
} from '../../core/filing/replay.ts';
import type { EarlierMessage, FilingContext, FilingMessage } from '../../core/filing/types.ts';
import { tellingWords } from '../../core/filing/words.ts';
import { plainMessage } from './messages.ts';

const file = (
  id: number,
  number: string,
  title: string,
  clientId: number,
  personIds: number[],
  extra: { general?: boolean; closed?: boolean } = {},
) => ({ id, number, title, clientId, personIds, general: false, closed: false, ...extra });

const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: ['us@elsewhere.example'],
  freemail: ['post.example'],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [
    { id: 1, name: 'One Estate' },
    { id: 2, name: 'Two Farm' },
    { id: 3, name: 'Three' },
  ],
  people: [
    { id: 1, name: 'Ann One', addresses: ['ann@one.example', 'old.ann@post.example'], clientIds: [1] },
    { id: 2, name: 'Ben Two', addresses: ['ben@two.example'], clientIds: [2] },
    { id: 3, name: 'Third Party', addresses: ['third@party.example'], clientIds: [1, 2] },
    { id: 4, name: 'Cy Three', addresses: ['shared@three.example'], clientIds: [3] },
    { id: 5, name: 'Di Three', addresses: ['shared@three.example'], clientIds: [3] },
  ],
  files: [
    file(10, 'QL-10010', 'General correspondence', 1, [1], { general: true }),
    file(11, 'QL-10011', 'River bank repair', 1, [1]),
    file(20, 'QL-10020', 'General correspondence', 2, [2], { general: true }),
    file(21, 'QL-10021', 'Woodland plan', 2, [2, 3]),
    file(22, 'QL-10022', 'Orchard restoration', 2, [2]),
    file(30, 'QL-10030', 'General correspondence', 3, [4], { general: true }),
    file(12, 'QL-10012', 'Old gatherSignals', 1, [1], { closed: true }),
  ],
});

const mind: FilingKnowledge = { register, experience: new Experience(), rules: [] };
const message = (from: string, extra: Partial<FilingMessage> = {}) =>
  plainMessage(from, { own: 'Some words.', ...extra });
const knowing = (...earlier: EarlierMessage[]): FilingContext => ({
  earlier: new Map(earlier.map((each) => [each.messageId, each])),
  sameSubject: [],
});
const filed = (messageId: string, ...fileIds: number[]): EarlierMessage => ({
  messageId,
  state: fileIds.length ? 'logged' : 'aside',
  fileIds,
  subjectKey: 'a matter',
});
const files = (from: FilingMessage, context: FilingContext = knowing()) => {
  const decision = decide(mind, from, context);
  return decision.state === 'logged'
    ? decision.fileIds
    : decision.state === 'suggested'
      ? decision.candidates.map((each) => -each.fileId)
      : 'aside';
};

describe('filing decides', () => {
  it('a known address with one open file by itself, old addresses too', () => {
    expect(files(message('ANN+farm@one.example'))).to.deep.equal([11]);
    expect(files(message('old.ann@post.example'))).to.deep.equal([11]);
    expect(
      files(message('adviser@firm.example', { recipients: [{ name: '', address: 'ann@one.example' }] })),
    ).to.deep.equal([11]);
  });
  it('asks when the client has several, ranked by the words of the titles', () => {
    expect(files(message('ben@two.example', { own: 'The orchards need pruning.' }))).to.deep.equal([
      -22, -20, -21,
    ]);
  });
  it('files for two who share an address when both are of one client, and asks about a third party', () => {
    expect(files(message('shared@three.example'))).to.deep.equal([30]);
    expect((files(message('third@party.example')) as number[]).length).to.equal(5);
  });
  it('a file number in the subject, if the people fit', () => {
    expect(files(message('ben@two.example', { subject: 'our ref ql 10022' }))).to.deep.equal([22]);
    expect(files(message('ann@one.example', { subject: 'QL-10022' }))).to.include(-22);
    expect(files(message('ben@two.example', { quoted: '> QL-10022', own: 'no number here' }))).to.deep.equal([
      -20, -22, -21,
    ]);
  });
  it('a reply by its conversation, through the nearest message that is known and filed', () => {
    expect(
      files(
        message('x@new.example', { named: ['gone', 'b', 'a'], subject: 'Re: A matter' }),
        knowing(filed('b', 21), filed('a', 22)),
      ),
    ).to.deep.equal([21]);
    const waiting: EarlierMessage = {
      messageId: 'w',
      state: 'suggested',
      fileIds: [],
      subjectKey: 'a matter',
    };
    expect(
      files(
        message('x@new.example', { named: ['w', 'a'], subject: 'Re: A matter' }),
        knowing(waiting, filed('a', 22)),
      ),
    ).to.deep.equal([22]);
  });
  it('follows an old conversation that turns to another file by its number, and asks when only words turn', () => {
    const turned = (subject: string) =>
      files(message('ben@two.example', { named: ['a'], subject }), knowing(filed('a', 21)));
    expect(turned('QL-10022 now')).to.deep.equal([22]);
    expect(turned('The orchard trees')).to.include.members([-22, -21]);
    expect(turned('Something else')).to.include.members([-20, -21]);
  });
  it('an answer to a mailing on the file that was chosen at its release, whatever words are usual elsewhere', () => {
    const experience = new Experience();
    const own = 'Heather, kelp, bracken, rushes, gorse, sedge.';
    for (let taught = 0; taught < 8; taught++) {
      experience.learn(lessonOf(register, message('ben@two.example', { own }), [22]));
      experience.learn(lessonOf(register, message('ben@two.example', { own: 'Good morning to all.' }), [20]));
    }
    const answer = message('ben@two.example', {
      named: ['a'],
      subject: 'Re: A matter',
      own,
    });
    const stated = (mailed: boolean, extra: Partial<FilingMessage> = {}) =>
      decide({ ...mind, experience }, { ...answer, ...extra }, knowing({ ...filed('a', 20), mailed }));
    expect(stated(false).state).to.equal('suggested');
    const decision = stated(true);
    expect(decision).to.deep.include({ state: 'logged', fileIds: [20] });
    expect(decision.evidence.map(({ words }) => words)).to.include(
      'Answers a mailing that went out on this file',
    );
    expect(stated(true, { own: 'It is QL-10021.' })).to.not.deep.include({ fileIds: [20] });
    expect(stated(true, { subject: 'The orchard' })).to.not.deep.include({ fileIds: [20] });
  });
  it('a delivery report or automatic answer with the message that caused it', () => {
    expect(
      files(message('daemon@x.example', { automatic: 'report', returned: 'a' }), knowing(filed('a', 21))),
    ).to.deep.equal([21]);
    expect(
      files(message('ben@two.example', { automatic: 'reply', named: ['a'] }), knowing(filed('a', 22))),
    ).to.deep.equal([22]);
    expect(
      files(message('daemon@x.example', { automatic: 'report', returned: 'a' }), knowing(filed('a'))),
    ).to.equal('aside');
  });
  it('sets circulars, machines and internal mail aside, unless a number says otherwise', () => {
    expect(files(message('news@x.example', { automatic: 'list' }))).to.equal('aside');
    expect(files(message('ann@one.example', { automatic: 'list' }))).to.equal('aside');
    expect(files(message('printer@x.example', { automatic: 'notice' }))).to.equal('aside');
    expect(files(message('a@firm.example'))).to.equal('aside');
    expect(files(message('us@elsewhere.example', { subject: 'QL-10011 draft' }))).to.deep.equal([11]);
  });
  it('puts unknown people before a person, without candidates, and a known name at an unknown address with them', () => {
    expect(files(message('who@new.example'))).to.deep.equal([]);
    expect(
      files(message('ann@new.example', { from: { name: 'One, Ann', address: 'ann@new.example' } })),
    ).to.deep.equal([-11, -10]);
  });
  it('takes a lost thread up by subject and people when they agree on one file', () => {
    const context = { earlier: new Map(), sameSubject: [filed('a', 22), filed('b', 22)] };
    expect(files(message('ben@two.example', { subject: 'Re: A matter' }), context)).to.deep.equal([22]);
    expect(
      files(message('ben@two.example'), {
        earlier: new Map(),
        sameSubject: [filed('a', 22), filed('b', 21)],
      }),
    ).to.include.members([-22, -21]);
  });
  it('never suggests a closed file of itself', () => {
    expect((files(message('third@party.example')) as number[]).map(Math.abs)).to.not.include(12);
  });
  it('suggests five files at most, of however many clients somebody belongs to', () => {
    const many = Array.from({ length: 9 }, (_, index) => index + 1);
    const broker = new FilingRegister({
      firmDomains: ['firm.example'],
      staffAddresses: [],
      freemail: [],
      fileNumberPattern: 'QL-\\d{5}',
      clients: many.map((id) => ({ id, name: `Client ${id}` })),
      people: [{ id: 1, name: 'Bo Broker', addresses: ['bo@broker.example'], clientIds: many }],
      files: many.flatMap((id) => [
        file(id, `QL-1000${id}`, `Matter ${id}`, id, [1]),
        file(10 + id, `QL-1001${id}`, `Other matter ${id}`, id, [1]),
      ]),
    });
    const decision = decide({ ...mind, register: broker }, message('bo@broker.example'), knowing());
    expect(decision.state).to.equal('suggested');
    expect(decision.state === 'suggested' && decision.candidates).to.have.length(5);
  });
  it('gives a plain reason with everything', () => {
    const decision = decide(mind, message('ann@one.example'), knowing());
    expect(decision.evidence.map((reason) => reason.words)).to.deep.equal([
      'Ann One belongs to this client',
      'The client’s only open file',
    ]);
  });
});

describe('file numbers in text', () => {
  const find = (pattern: string, number: string, text: string) =>
    new FileNumbers(pattern, [{ id: 1, number }]).in(text);
  it('in all the ways people type them', () => {
    for (const text of [
      'QL-24052',
      'ql24052',
      'Ref QL 24052.',
      'QL–24052',
      '(QL/24052)',
      'our ref: ql - 24052',
    ])
      expect([text, find('QL-\\d{5}', 'QL-24052', text)]).to.deep.equal([text, [1]]);
    for (const text of ['TW24-0012', 'tw24/0012', 'TW 24 0012'])
      expect([text, find('TW\\d{2}-\\d{4}', 'TW24-0012', text)]).to.deep.equal([text, [1]]);
    for (const text of ['K2024/01', 'k 2024-01', 'K2024 01'])
      expect([text, find('K\\d{4}/\\d{2}', 'K2024/01', text)]).to.deep.equal([text, [1]]);
  });
  it('not within other words or numbers, nor unknown ones', () => {
    for (const text of ['XQL-24052', 'QL-240521', 'QL-24053', '24052'])
      expect([text, find('QL-\\d{5}', 'QL-24052', text)]).to.deep.equal([text, []]);
  });
});

describe('telling words', () => {
  it('are folded and singular, common ones left out', () => {
    expect([...tellingWords('The Orchards at Bäckholm, please; your orchard file')]).to.deep.equal([
      'orchard',
      'backholm',
    ]);
  });
});

describe('replaying a corpus', () => {
  it('decides before it is told the truth, and remembers it afterwards', async () => {
    const corpus: CorpusRegister = {
      firm: { domains: ['firm.example'], staff: [], fileNumberPattern: 'QL-\\d{5}' },
      clients: [{ id: 'C1', name: 'One' }],
      contacts: [],
      files: [
        { number: 'QL-10001', title: 'General correspondence', clientId: 'C1', closed: null, contactIds: [] },
      ],
    };
    const raw = (id: string, extra = '') =>
      Buffer.from(
        `X-Corpus-Mailbox: a@firm.example\nMessage-ID: <${id}>\nFrom: n@x.example\nTo: a@firm.example\n${extra}Subject: Words\n\nText\n`,
      );
    const asked: number[] = [];
    const steps = [];
    for await (const step of replay(
      corpus,
      [raw('1@x'), raw('2@x', 'In-Reply-To: <1@x>\n')],
      toldAll((index) => (asked.push(index), ['QL-10001'])),
      () => 0,
    )) {
      steps.push({ ...step, asked: asked.length });
    }
    expect(
      steps.map(({ messageId, mailbox, outcome, files: to, asked: known }) => ({
        messageId,
        mailbox,
        outcome,
        to,
        known,
      })),
    ).to.deep.equal([
      { messageId: '<1@x>', mailbox: 'a@firm.example', outcome: 'suggest', to: [], known: 0 },
      { messageId: '<2@x>', mailbox: 'a@firm.example', outcome: 'auto', to: ['QL-10001'], known: 1 },
    ]);
  });

  it('as an office lives it: told of what it asked and of the mistakes noticed, later', () => {
    const truth = (index: number) => (index === 3 ? [] : ['QL-10001']);
    const step = (outcome: ReplayStep['outcome'], ...files: string[]) => ({ outcome, files }) as ReplayStep;
    const steps = [
      step('suggest'),
      step('auto', 'QL-10001'),
      step('auto', 'QL-10002'),
      step('auto', 'QL-10001'),
    ];
    const live = (delay: number, notice: number) => {
      const told = toldAsked(truth, { delay, notice }, () => 0.5);
      return [...steps, step('none'), step('suggest')].map((each, index) =>
        told(each, index).map((one) => one.index),
      );
    };
    expect(live(0, 1)).to.deep.equal([[0], [], [2], [3], [4], [5]]);
    expect(live(0, 0.4)).to.deep.equal([[0], [], [], [], [], [5]]);
    expect(live(2, 1)).to.deep.equal([[], [], [0], [], [2], [3]]);
  });
});
