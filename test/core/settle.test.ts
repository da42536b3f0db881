import { expect } from 'chai';
import fc from 'fast-check';
import { certainPlace, decideBare } from '../../core/filing/certain.ts';
import { evidentLesson, lessonOf, type FilingKnowledge } from '../../core/filing/decide.ts';
import { Experience } from '../../core/filing/experience.ts';
import { subjectKeys } from '../../core/filing/message.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import { apart, Past, type PastMessage } from '../../core/filing/settle.ts';
import type { FilingMessage } from '../../core/filing/types.ts';
import { plainMessage } from './messages.ts';

const file = (id: number, title: string, clientId: number, personIds: number[], general = false) => ({
  id,
  number: `QL-100${id}`,
  title,
  clientId,
  personIds,
  general,
  closed: false,
});
const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: [],
  freemail: ['post.example'],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [
    { id: 1, name: 'Ravenglass Mill' },
    { id: 2, name: 'Two Farm' },
  ],
  people: [
    { id: 1, name: 'Ann One', addresses: ['ann@one.example'], clientIds: [1] },
    { id: 2, name: 'Ben Two', addresses: ['ben@two.example'], clientIds: [2] },
  ],
  files: [
    file(10, 'General correspondence', 1, [1], true),
    file(11, 'River bank repair', 1, [1]),
    file(20, 'General correspondence', 2, [2], true),
    file(21, 'Woodland plan', 2, [2]),
    file(22, 'Orchard restoration', 2, [2]),
  ],
});
const knowing = (experience = new Experience()): FilingKnowledge => ({ register, experience, rules: [] });

const HOUR = 3600_000;
const START = Date.UTC(2026, 5, 1);
let count = 0;
/** A message of the past, so many hours after the first. */
function past(
  hour: number,
  messageId: string,
  from: string,
  extra: Partial<FilingMessage> = {},
  held: PastMessage['held'] = null,
): PastMessage {
  const message = plainMessage(from, {
    own: 'Some words.',
    subject: 'A matter',
    at: START + hour * HOUR,
    isReply: Boolean(extra.named?.length),
    ...extra,
  });
  return {
    key: `${(count++ * 7919) % 1000} ${messageId}`,
    messageId,
    message,
    ours: register.isOurs(from),
    subjectKeys: subjectKeys(message, (address) => register.isOurs(address)),
    held,
  };
}
const to = (address: string) => [{ name: '', address }];

/** Where each message ends, by its Message-ID: files, suggested ones with a minus. */
function places(all: readonly PastMessage[], knowledge = knowing()): Record<string, string> {
  const decided = new Past(knowledge, all).settle();
  return Object.fromEntries(
    all.map(({ key, messageId }) => {
      const decision = decided.get(key);
      const place =
        decision?.state === 'logged'
          ? decision.fileIds.join('+')
          : decision?.state === 'suggested'
            ? `?${decision.candidates[0]?.fileId ?? ''}`
            : (decision?.state ?? 'held');
      return [messageId ?? '', place];
    }),
  );
}

/** A letter to one of several files, an answer of ours, and one that names the number. */
const conversation = () => [
  past(0, 'a', 'ben@two.example'),
  past(1, 'b', 'us@firm.example', {
    recipients: to('ben@two.example'),
    named: ['a'],
    subject: 'Re: A matter',
  }),
  past(2, 'c', 'ben@two.example', { named: ['b', 'a'], subject: 'Re: A matter', own: 'It is QL-10022.' }),
  past(3, 'd', 'ben@two.example', { named: ['c', 'b', 'a'], subject: 'Re: A matter' }),
];

describe('the past settled as a whole', () => {
  it('lets a number in any message of a conversation speak for those before and after it', () => {
    expect(places(conversation())).to.deep.equal({ a: '22', b: '22', c: '22', d: '22' });
    expect(places(conversation().slice(0, 2))).to.deep.equal({ a: '?20', b: '?20' });
  });
  it('speaks for those that answer a letter nobody has', () => {
    const all = [
      past(1, 'b', 'ben@two.example', { named: ['gone'], subject: 'Re: A matter' }),
      past(2, 'c', 'ben@two.example', { named: ['gone'], subject: 'Re: A matter', own: 'See QL-10022.' }),
    ];
    expect(places(all)).to.deep.equal({ b: '22', c: '22' });
  });
  it('asks where what is certain contradicts itself', () => {
    const all = [
      ...conversation().slice(0, 3),
      past(2, 'e', 'ben@two.example', { named: ['a'], subject: 'Re: A matter', own: 'No, QL-10021.' }),
    ];
    const ends = places(all);
    expect([ends.c, ends.e]).to.deep.equal(['22', '21']);
    expect([ends.a?.[0], ends.b?.[0]]).to.deep.equal(['?', '?']);
  });
  it('does not carry a number over a changed subject', () => {
    const all = conversation();
    const turned = past(2, 'c', 'ben@two.example', {
      named: ['b', 'a'],
      subject: 'The orchard, QL-10022',
    });
    expect(places([...all.slice(0, 2), turned])).to.deep.equal({ a: '?20', b: '?20', c: '22' });
  });
  it('lets what a person decided speak, and leaves it alone', () => {
    const [a, b, , d] = conversation();
    if (!a || !b || !d) throw new Error('three messages');
    expect(places([{ ...a, held: { state: 'logged', fileIds: [21] } }, b, d])).to.deep.equal({
      a: 'held',
      b: '21',
      d: '21',
    });
  });
  it('leaves what answers a mailing on the file of the mailing, though other words were learned meanwhile', () => {
    const experience = new Experience();
    const own = 'Heather, kelp, bracken, rushes, gorse, sedge.';
    const learn = (words: string, fileId: number) =>
      experience.learn(lessonOf(register, past(0, 'x', 'ben@two.example', { own: words }).message, [fileId]));
    for (let taught = 0; taught < 8; taught++) {
      learn(own, 22);
      learn('Good morning to all.', 20);
    }
    const released = (mailed: boolean) => [
      past(
        0,
        'a',
        'us@firm.example',
        { recipients: to('ben@two.example'), automatic: 'list' },
        {
          state: 'logged',
          fileIds: [20],
          mailed,
        },
      ),
      past(1, 'b', 'ben@two.example', { named: ['a'], subject: 'Re: A matter', own }),
    ];
    expect(places(released(false), knowing(experience)).b).to.match(/^\?/);
    expect(places(released(true), knowing(experience)).b).to.equal('20');
  });
  it('believes no number from a writer whom nobody confirmed', () => {
    const all = conversation();
    const forged = past(2, 'c', 'ben@two.example', {
      named: ['b', 'a'],
      subject: 'Re: A matter',
      own: 'It is QL-10022.',
      sender: 'failed',
    });
    expect(places([...all.slice(0, 2), forged])).to.deep.equal({ a: '?20', b: '?20', c: '?22' });
  });
  it('puts each delivery report where its own original is, though they share sender and subject', () => {
    const report = (hour: number, id: string, original: string, dead: string) =>
      past(hour, id, 'mailer-daemon@relay.example', {
        recipients: to('us@firm.example'),
        subject: 'Undeliverable: A matter',
        automatic: 'report',
        returned: original,
        undelivered: [dead],
      });
    const all = [
      past(0, 'one', 'us@firm.example', { recipients: to('ann@one.example'), own: 'QL-10011' }),
      past(0, 'two', 'us@firm.example', { recipients: to('ben@two.example'), own: 'QL-10022' }),
      report(1, 'r1', 'one', 'ann@one.example'),
      report(1, 'r2', 'two', 'ben@two.example'),
    ];
    expect(places(all)).to.deep.equal({ one: '11', two: '22', r1: '11', r2: '22' });
    expect(apart(all).map((part) => part.length)).to.deep.equal([2, 2]);
  });
  it('ends the same in whatever order it came in, and part by part', () => {
    const all = [
      ...conversation(),
      past(4, 'e', 'ann@one.example', { subject: 'Re: A matter' }),
      past(0, 'f', 'us@firm.example', { recipients: to('ann@one.example') }),
      past(5, 'g', 'ben@two.example', { subject: 'RE: A matter', own: 'And then?' }),
      // Its clock is wrong: what names it is older.
      past(9, 'h', 'us@firm.example', {
        recipients: to('ben@two.example'),
        named: ['d'],
        subject: 'Re: A matter',
      }),
      past(6, 'i', 'ben@two.example', { named: ['h', 'd'], subject: 'Re: A matter' }),
    ];
    const usual = places(all);
    fc.assert(
      fc.property(fc.shuffledSubarray(all, { minLength: all.length }), (shuffled) => {
        expect(places(shuffled)).to.deep.equal(usual);
        const parts = apart(shuffled).map((part) => places(part));
        expect(Object.assign({}, ...parts)).to.deep.equal(usual);
      }),
      { numRuns: 60 },
    );
  });
  it('is final, whatever evidence teaches, where the records settle all or nobody is known, and nowhere else', () => {
    const senders = ['kit@post.example', 'billing@paper.example', 'eve@far.example', 'ben@two.example'];
    const letters = fc.record({
      from: fc.constantFrom(...senders),
      own: fc.constantFrom('Some words.', 'About the orchard.', 'At Ravenglass Mill, QL-10022.'),
      past: fc.constantFrom(true, undefined),
      automatic: fc.constantFrom(null, null, 'notice' as const),
    });
    const experience = new Experience();
    for (const id of [21, 22]) {
      const { message } = past(0, 'x', 'ben@two.example', {
        own: `Some words about the orchard, QL-100${id}.`,
      });
      for (let times = 0; times < 5; times++) experience.learn(evidentLesson(register, message, id));
    }
    const unconnected = new Set(['business', 'past'] as const);
    const seen = { final: 0, open: 0 };
    fc.assert(
      fc.property(fc.array(letters, { minLength: 1, maxLength: 5 }), (all) => {
        const thread = all.map(({ from, ...extra }, at) =>
          past(at, `m${at}`, from, { ...extra, named: at ? [`m${at - 1}`] : [] }),
        );
        const before = new Past({ ...knowing(), unconnected }, thread).final();
        const later = new Past({ ...knowing(experience), unconnected }, thread);
        seen[before ? 'final' : 'open']++;
        expect(later.final()).to.deep.equal(before);
        const known = all.some(({ from, own }) => from === 'ben@two.example' || own.includes('QL-'));
        const asked = [...later.settle().values()].some(({ state }) => state === 'suggested');
        if (before) {
          expect(later.settle()).to.deep.equal(before);
          // Of a client’s mail nothing that is still to be asked is final.
          expect(known && asked).to.equal(false);
          const [first, ...others] = thread;
          const held = { state: 'logged' as const, fileIds: [21] };
          if (first)
            expect(new Past({ ...knowing(), unconnected }, [{ ...first, held }, ...others]).final()).to.equal(
              null,
            );
        }
      }),
      { numRuns: 300 },
    );
    expect(seen.final).to.be.above(20);
    expect(seen.open).to.be.above(20);
  });
  it('is not final where persons have said something of these people', () => {
    const talk = [
      past(0, 'p', 'ben@two.example', { own: 'QL-10022, please.' }),
      past(1, 'q', 'us@firm.example', { recipients: to('ben@two.example'), named: ['p'] }),
    ];
    const files = [...(new Past(knowing(), talk).final() ?? [])].map(
      ([, decision]) => decision.state === 'logged' && decision.fileIds,
    );
    expect(files).to.deep.equal([[22], [22]]);
    const taught = new Experience();
    taught.learn(lessonOf(register, past(0, 'r', 'ben@two.example').message, [20]));
    expect(new Past(knowing(taught), talk).final()).to.equal(null);
    // One by itself stays what the records say.
    expect(new Past(knowing(taught), talk.slice(0, 1)).final()?.size).to.equal(1);
  });
  it('follows a chain of many answers in the wrong order without losing its footing', () => {
    const chain = Array.from({ length: 5000 }, (_, index) =>
      past(5000 - index, `m${index}`, 'ben@two.example', {
        named: index ? [`m${index - 1}`] : [],
        subject: 'Re: A matter',
        own: index === 4999 ? 'QL-10022' : 'Some words.',
      }),
    );
    expect(new Set(Object.values(places(chain)))).to.deep.equal(new Set(['22']));
  }).timeout(20_000);
});

describe('what may be learned without anybody having said so', () => {
  const place = (from: string, extra: Partial<FilingMessage> = {}) => {
    const { message } = past(0, 'x', from, extra);
    return certainPlace(knowing(), message, decideBare(knowing(), message));
  };

  it('is a number typed by somebody of its client, or the only place the records leave', () => {
    expect(place('ben@two.example', { own: 'QL-10022, please.' })).to.deep.equal({
      fileId: 22,
      by: 'number',
    });
    expect(place('ann@one.example')).to.deep.equal({ fileId: 11, by: 'only' });
    expect(place('ben@two.example')).to.equal(null);
  });
  it('is nothing where the number is another client’s, two stand there, or nobody vouches for the writer', () => {
    expect(place('ann@one.example', { own: 'QL-10022, please.' })).to.equal(null);
    expect(place('ben@two.example', { own: 'QL-10022 and QL-10021.' })).to.equal(null);
    expect(place('ben@two.example', { own: 'QL-10022', sender: 'absent' })).to.equal(null);
    expect(place('ann@one.example', { automatic: 'reply' })).to.equal(null);
    expect(place('ann@one.example', { quoted: '> QL-10011', own: 'Yes.', sender: 'failed' })).to.equal(null);
  });
  it('goes on in the answers of those who had part, as long as they name no other file', () => {
    const [a, b, c, d] = conversation();
    if (!a || !b || !c || !d) throw new Error('four messages');
    const evident = (all: readonly PastMessage[]) =>
      [...new Past(knowing(), all).evident()].map(([key, id]) => `${key.split(' ')[1]} ${id}`).sort();
    expect(evident([a, b, c, d])).to.deep.equal(['c 22', 'd 22']);
    const stranger = past(4, 'e', 'who@post.example', { named: ['c'], subject: 'Re: A matter' });
    const other = past(4, 'f', 'ben@two.example', {
      named: ['c'],
      subject: 'Re: A matter',
      own: 'Not QL-10021',
    });
    const turned = past(4, 'g', 'ben@two.example', { named: ['c'], subject: 'Apples' });
    expect(evident([a, b, c, stranger, other, turned])).to.deep.equal(['c 22', 'f 21']);
    // A person's word begins a conversation as well.
    expect(evident([{ ...c, held: { state: 'logged', fileIds: [21] } }, d])).to.deep.equal(['d 21']);
  });
  it('is worth less than what a person says, teaches nothing of people, and can be taken back to the last bit', () => {
    const words = (of: Experience) => of.uses(22, 'prun', START);
    const { message } = past(0, 'x', 'ben@two.example', { own: 'Pruning, QL-10022' });
    const taught = new Experience();
    const evident = new Experience();
    taught.learn(lessonOf(register, message, [22]));
    evident.learn(evidentLesson(register, message, 22));
    expect(words(evident)).to.equal(0.75 * words(taught));
    expect(words(evident)).to.be.greaterThan(0);
    expect([taught.habits('ben@two.example').length, evident.habits('ben@two.example').length]).to.deep.equal(
      [1, 0],
    );
    evident.unlearn(evidentLesson(register, message, 22));
    expect([words(evident), evident.lessons]).to.deep.equal([0, 0]);
  });
});

describe('mail that nothing connects with a client', () => {
  const state = (
    from: string,
    kinds: readonly ('business' | 'past' | 'new')[],
    extra: Partial<FilingMessage> = {},
  ) => {
    const all = [past(0, 'x', from, extra)];
    return Object.values(places(all, { ...knowing(), unconnected: new Set(kinds) }))[0];
  };
  it('is set aside by kinds that can be switched off', () => {
    expect(state('billing@paper.example', ['business'])).to.equal('aside');
    expect(state('billing@paper.example', ['past', 'new'])).to.equal('?');
    expect(state('billing@paper.example', [])).to.equal('?');
    expect(state('kit@post.example', ['business', 'past'])).to.equal('?');
    expect(state('kit@post.example', ['past'], { past: true })).to.equal('aside');
    expect(state('kit@post.example', ['new'])).to.equal('aside');
  });
  it('is not what names a client, a number or a known person, hands something on, or was copied for filing', () => {
    const every = ['business', 'past', 'new'] as const;
    expect(state('kit@post.example', every, { own: 'About the bank at Ravenglass Mill.' })).to.equal('?');
    expect(state('kit@post.example', every, { subject: 'QL-10022' })).not.to.equal('aside');
    expect(
      state('kit@post.example', every, { from: { name: 'Ben Two', address: 'kit@post.example' } }),
    ).not.to.equal('aside');
    expect(state('kit@post.example', every, { forFiling: true })).to.equal('?');
  });
});
