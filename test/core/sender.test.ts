import { expect } from 'chai';
import { decide } from '../../core/filing/decide.ts';
import { Experience } from '../../core/filing/experience.ts';
import { FilingRegister } from '../../core/filing/register.ts';
import type { EarlierMessage, FilingMessage } from '../../core/filing/types.ts';
import { writtenPart } from '../../core/message/written.ts';
import { plainMessage } from './messages.ts';

const register = new FilingRegister({
  firmDomains: ['firm.example'],
  staffAddresses: [],
  freemail: [],
  fileNumberPattern: 'QL-\\d{5}',
  clients: [
    { id: 1, name: 'One Estate' },
    { id: 2, name: 'Two Farm' },
  ],
  people: [
    { id: 1, name: 'Ann One', addresses: ['ann@one.example'], clientIds: [1] },
    { id: 2, name: 'Ben Two', addresses: ['ben@two.example'], clientIds: [2] },
  ],
  files: [
    {
      id: 11,
      number: 'QL-10011',
      title: 'River bank',
      clientId: 1,
      personIds: [1],
      general: false,
      closed: false,
    },
    {
      id: 21,
      number: 'QL-10021',
      title: 'Woodland',
      clientId: 2,
      personIds: [2],
      general: false,
      closed: false,
    },
  ],
});
const knowledge = { register, experience: new Experience(), rules: [] };

function decided(extra: Partial<FilingMessage>, from = 'ann@one.example', ...earlier: EarlierMessage[]) {
  return decide(knowledge, plainMessage(from, { own: 'Some words.', ...extra }), {
    earlier: new Map(earlier.map((each) => [each.messageId, each])),
    sameSubject: [],
  });
}
/** The reason why it is not filed alone, or where it is. */
function outcome(...args: Parameters<typeof decided>): string {
  const decision = decided(...args);
  if (decision.state === 'logged') return `on ${decision.fileIds.join()}`;
  if (decision.state !== 'suggested') return decision.state;
  return decision.candidates[0]?.evidence.find(({ kind }) => kind === 'sender')?.words ?? 'suggested';
}
const conversation = (fileId: number, people: string[]): EarlierMessage => ({
  messageId: 'before@x.example',
  state: 'logged',
  fileIds: [fileId],
  subjectKey: 'a matter',
  people: new Set(people),
});

describe('whether the sender is who the message says', () => {
  it('is asked before it is filed alone', () => {
    expect(outcome({ sender: 'confirmed' })).to.equal('on 11');
    expect(outcome({})).to.equal('on 11');
    expect(outcome({ sender: 'failed' })).to.contain('found that this is not from one.example');
    expect(outcome({ sender: 'absent', usuallyConfirmed: true })).to.contain('as it usually does');
    for (const sender of ['absent', 'untold'] as const)
      expect(outcome({ sender })).to.contain('Nobody has confirmed that this is from one.example');
  });

  it('is let pass unconfirmed on a conversation with the very address of its client, and on no other', () => {
    const named = ['before@x.example'];
    const on = (sender: FilingMessage['sender'], from: string) =>
      outcome({ sender, named }, from, conversation(11, ['ann@one.example', 'adviser@firm.example']));
    expect(on('untold', 'ann@one.example')).to.equal('on 11');
    expect(on('failed', 'ann@one.example')).to.contain('not from one.example');
    expect(on('untold', 'stranger@else.example')).to.not.contain('on ');
    expect(on('confirmed', 'stranger@else.example')).to.contain('had no part in the conversation');
  });

  it('leaves aside what is no client mail, whoever wrote it', () => {
    for (const sender of ['failed', 'untold', 'confirmed'] as const)
      expect(outcome({ sender, automatic: 'list', list: '<news.x.example>' }, 'news@x.example')).to.equal(
        'aside',
      );
  });

  it('never leaves a doubtful one among the nearly certain', () => {
    const decision = decided({ sender: 'failed' });
    expect(
      decision.state === 'suggested' && decision.candidates.map(({ likelihood }) => likelihood),
    ).to.deep.equal(['likely']);
  });
});

describe('lines that look like the beginning of what was quoted', () => {
  it('are the writer’s own when nothing quoted follows', () => {
    const own = (lines: string[]) => writtenPart(lines.join('\n'), [], '').own;
    expect(own(['Fill this in:', '______________', 'and send it back to us.'])).to.contain('send it back');
    expect(
      own([
        'See below.',
        '________________________________',
        'From: Ada Fell <ada@fell.example>',
        'Sent: Monday, 2 November 2026 10:12',
        'To: us@firm.example',
        'Subject: The wall',
        '',
        'Old words.',
      ]),
    ).to.equal('See below.');
    expect(own(['On balance I would rather wait.', 'The wall stands.'])).to.contain('The wall stands.');
  });
});
