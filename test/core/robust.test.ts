import { expect } from 'chai';
import fc from 'fast-check';
import { decide, lessonOf, type FilingKnowledge } from '../../core/filing/decide.ts';
import { LIMITS } from '../../core/filing/weights.ts';
import { Experience } from '../../core/filing/experience.ts';
import { filingMessage, subjectKeys } from '../../core/filing/message.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import type { EarlierMessage, FilingMessage } from '../../core/filing/types.ts';
import { readMessage } from '../../core/message/read.ts';
import { plainMessage } from './messages.ts';

const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: [],
  freemail: [],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [
    { id: 1, name: 'Fell Estate' },
    { id: 2, name: 'Dale & Sons' },
  ],
  people: [
    { id: 1, name: 'Ada Fell', addresses: ['ada@fell.example'], clientIds: [1] },
    { id: 2, name: 'Ben Dale', addresses: ['ben@dale.example', 'both@x.example'], clientIds: [2] },
    { id: 3, name: 'Cy Both', addresses: ['both@x.example'], clientIds: [1, 2] },
  ],
  files: [
    {
      id: 1,
      number: 'QL-10001',
      title: 'General correspondence',
      clientId: 1,
      general: true,
      closed: false,
      personIds: [1],
    },
    {
      id: 2,
      number: 'QL-10002',
      title: 'Field walls',
      clientId: 1,
      general: false,
      closed: false,
      personIds: [3],
    },
    {
      id: 3,
      number: 'QL-10003',
      title: 'Old bridge',
      clientId: 2,
      general: false,
      closed: true,
      personIds: [],
    },
  ],
});

const text = fc.oneof(
  fc.string({ maxLength: 40 }),
  fc.constantFrom(
    'QL-10001',
    'ql 10003',
    'field walls',
    'Fell Estate',
    'Dear Ada,',
    '',
    'Regards\nAda Fell',
    '> QL-10002',
  ),
);
const address = fc.constantFrom(
  'ada@fell.example',
  'both@x.example',
  'x@dale.example',
  'us@firm.example',
  'q@nowhere.example',
  '',
);
const mailbox = fc.record({ name: text, address });
const anyMessage: fc.Arbitrary<FilingMessage> = fc
  .record({
    from: fc.option(mailbox, { nil: null }),
    recipients: fc.array(mailbox, { maxLength: 3 }),
    subject: text,
    own: text,
    signature: text,
    footer: text,
    quoted: text,
    named: fc.subarray(['a', 'b', 'c']),
    automatic: fc.constantFrom(null, 'report' as const, 'reply' as const, 'notice' as const, 'list' as const),
    isReply: fc.boolean(),
    undelivered: fc.subarray(['ada@fell.example', 'gone@nowhere.example']),
  })
  .map((parts) => plainMessage('', parts));
const earlier: EarlierMessage[] = [
  { messageId: 'a', state: 'logged', fileIds: [2], subjectKey: 'field walls' },
  { messageId: 'b', state: 'aside', fileIds: [], subjectKey: 'x' },
  { messageId: 'c', state: 'logged', fileIds: [1, 3], subjectKey: '' },
];
const context = {
  earlier: new Map(earlier.map((each) => [each.messageId, each])),
  sameSubject: earlier.slice(0, 1),
};

describe('filing, whatever comes', () => {
  const mind: FilingKnowledge = { register, experience: new Experience(), rules: [] };
  it('decides on anything, within its bounds, and the same each time', () => {
    fc.assert(
      fc.property(anyMessage, (message) => {
        const decision = decide(mind, message, context);
        expect(decide(mind, message, context)).to.deep.equal(decision);
        if (decision.state === 'logged') {
          expect(decision.fileIds.length).to.be.greaterThan(0);
          expect(decision.probability).to.be.within(LIMITS.file, 1);
          expect(decision.fileIds.every((id) => register.file(id))).to.equal(true);
        }
        if (decision.state === 'suggested') {
          expect(decision.candidates.length).to.be.at.most(5);
          const ids = decision.candidates.map((each) => each.fileId);
          expect(new Set(ids).size).to.equal(ids.length);
          for (const { probability } of decision.candidates) expect(probability).to.be.within(0, 1);
        } else expect(decision.evidence.length).to.be.greaterThan(0);
      }),
      { numRuns: 400 },
    );
  });
  it('learns anything and takes it back', () => {
    fc.assert(
      fc.property(anyMessage, fc.subarray([1, 2, 3]), (message, fileIds) => {
        const experience = new Experience();
        const before = decide({ ...mind, experience }, message, context);
        const lesson = lessonOf(register, message, fileIds);
        // What is kept in the database is the lesson as JSON.
        expect(JSON.parse(JSON.stringify(lesson))).to.deep.equal(lesson);
        experience.learn(lesson);
        decide({ ...mind, experience }, message, context);
        experience.unlearn(lesson);
        expect(decide({ ...mind, experience }, message, context)).to.deep.equal(before);
      }),
    );
  });
  it('reads any bytes at all', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 400 }), fc.boolean(), async (bytes, asMail) => {
        const raw = asMail
          ? Buffer.concat([
              Buffer.from('From: ada@fell.example\r\nSubject: Fwd: x\r\n\r\n-----Original Message-----\r\n'),
              bytes,
            ])
          : bytes;
        const message = filingMessage(register, await readMessage(raw));
        expect(subjectKeys(message, (each) => register.isOurs(each))).to.be.an('array');
        decide(mind, { ...message, at: 0 }, context);
      }),
      { numRuns: 150 },
    );
  });
});
