import { expect } from 'chai';
import { sortingGroup } from '../../core/filing/types.ts';
import { subjectKeys } from '../../core/filing/message.ts';
import { differences, maybeSame, sameMessage } from '../../core/message/compare.ts';
import { readMessage, type ReadMessage } from '../../core/message/read.ts';
import { plainMessage } from './messages.ts';

/** A message with a text and, if wanted, enclosures: name, type and content of each. */
function message(
  headers: Record<string, string> = {},
  text = 'The gate is open.',
  enclosures: readonly [name: string, type: string, content: string][] = [],
): Promise<ReadMessage> {
  const all = { From: 'Ada <ada@fell.example>', To: 'us@firm.example', Subject: 'The gate', ...headers };
  const head = Object.entries(all).map(([name, value]) => `${name}: ${value}`);
  const part = (type: string, body: string, more = '') =>
    `--b\r\nContent-Type: ${type}${more}\r\n\r\n${body}\r\n`;
  const parts = [
    part('text/plain; charset=utf-8', text),
    ...enclosures.map(([name, type, content]) =>
      part(type, content, `\r\nContent-Disposition: attachment; filename="${name}"`),
    ),
  ];
  return readMessage(
    Buffer.from(
      `${head.join('\r\n')}\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n${parts.join('')}--b--\r\n`,
    ),
  );
}

describe('copies of a message compared', () => {
  const same = async (
    one: Parameters<typeof message>,
    two: Parameters<typeof message>,
  ): Promise<[maybe: boolean, same: boolean]> => {
    const [first, second] = [await message(...one), await message(...two)];
    return [maybeSame(first, second), sameMessage(first, second)];
  };
  const plan: [string, string, string] = ['plan.pdf', 'application/pdf', 'one plan'];

  it('are the same when they say the same to the same people', async () => {
    expect(await same([], [])).to.deep.equal([true, true]);
    expect(await same([{}, 'a', [plan]], [{}, 'a', [plan]])).to.deep.equal([true, true]);
    expect(await same([{ Received: 'by one' }], [{ Received: 'by two' }])).to.deep.equal([true, true]);
  });

  it('are two when subject, people, words or enclosures differ', async () => {
    const no = [false, false];
    expect(await same([], [{ Subject: 'The wall' }])).to.deep.equal(no);
    expect(await same([], [{ From: 'Bea <bea@fell.example>' }])).to.deep.equal(no);
    expect(await same([], [{ To: 'others@firm.example' }])).to.deep.equal(no);
    expect(await same([], [{ Cc: 'more@firm.example' }])).to.deep.equal(no);
    expect(await same([], [{}, 'The gate is shut.'])).to.deep.equal(no);
    expect(await same([], [{}, 'The gate is open.', [plan]])).to.deep.equal(no);
    expect(await same([{}, 'a', [plan]], [{}, 'a', [plan, plan]])).to.deep.equal(no);
  });

  it('are two when an enclosure of the same name holds something else', async () => {
    const other: typeof plan = ['plan.pdf', 'application/pdf', 'two plan'];
    expect(await same([{}, 'a', [plan]], [{}, 'a', [other]])).to.deep.equal([true, false]);
    const longer: typeof plan = ['plan.pdf', 'application/pdf', 'one plan and more'];
    expect(await same([{}, 'a', [plan]], [{}, 'a', [longer]])).to.deep.equal([true, false]);
  });

  it('let a list’s marks pass, where one says that it came through a list', async () => {
    const list = { 'List-Id': '<l.x.example>', Subject: '[Walls] The gate' };
    const footed = `The gate is open.\r\n-----\r\nSent through the list.`;
    expect(await same([], [list, footed])).to.deep.equal([true, true]);
    expect(await same([], [{ Subject: '[Walls] The gate' }, footed])).to.deep.equal([false, false]);
    // Nor may it put words of its own into what was written.
    expect((await same([], [list, 'The gate is open. Pay here.']))[1]).to.equal(false);
  });

  it('tell in words what a reader would find different', async () => {
    const one = await message({}, 'a', [plan]);
    expect(differences(one, one)).to.deep.equal([]);
    expect(differences(one, await message({ Subject: 'x' }, 'b', []))).to.deep.equal([
      'the subject',
      'the text',
      'the enclosures',
    ]);
    expect(
      differences(
        one,
        await message({ From: 'b@x.example', To: 'c@x.example', Cc: 'd@x.example' }, 'a', [plan]),
      ),
    ).to.deep.equal(['the sender', 'whom it is to', 'who has a copy']);
  });
});

describe('under which subjects and with whom a message is found', () => {
  const isOurs = (address: string) => address.endsWith('@firm.example');
  it('counts the people outside, of an original and of a returned message too, and nobody of ours', () => {
    const found = subjectKeys(
      plainMessage('ada@fell.example', {
        subject: 'Fwd: The wall',
        original: {
          ...plainMessage('', {}),
          messageId: null,
          enclosed: false,
          subject: 'The wall',
          from: { name: '', address: 'bea@dale.example' },
          recipients: [
            { name: '', address: 'cy@dale.example' },
            { name: '', address: 'us@firm.example' },
            { name: '', address: '' },
          ],
        },
        undelivered: ['gone@dale.example', 'them@firm.example'],
      }),
      isOurs,
    );
    expect(found).to.deep.equal(
      ['ada@fell', 'bea@dale', 'cy@dale', 'gone@dale'].map((who) => `the wall\n${who}.example`),
    );
    expect(subjectKeys(plainMessage('ada@fell.example', { subject: '' }), isOurs)).to.deep.equal([]);
  });
});

describe('where a suggestion stands', () => {
  it('is told by the first candidate', () => {
    const candidate = (likelihood: 'nearly certain' | 'likely' | 'unsure') => ({
      fileId: 1,
      probability: 0.5,
      likelihood,
      evidence: [],
    });
    expect(sortingGroup([])).to.equal('nobody');
    expect(sortingGroup([candidate('nearly certain'), candidate('unsure')])).to.equal('certain');
    expect(sortingGroup([candidate('likely'), candidate('nearly certain')])).to.equal('look');
  });
});

describe('names of enclosures that have none', () => {
  it('say what they are, or count', async () => {
    const raw = [
      'From: a@x.example',
      'MIME-Version: 1.0',
      'Content-Type: multipart/mixed; boundary=b',
      '',
      '--b',
      'Content-Type: text/plain',
      '',
      'x',
      '--b',
      'Content-Type: message/rfc822',
      '',
      'Subject: within',
      '',
      'y',
      '--b',
      'Content-Type: application/octet-stream',
      'Content-Disposition: attachment',
      '',
      'z',
      '--b--',
      '',
    ].join('\r\n');
    const { enclosures } = await readMessage(Buffer.from(raw));
    expect(enclosures.map(({ filename }) => filename)).to.deep.equal(['message-1.eml', 'enclosure-2']);
  });
});
