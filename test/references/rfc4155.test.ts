import { expect } from 'chai';
import { readMbox } from '../../core/message/mbox.ts';

const messages = (text: string) =>
  [...readMbox(Buffer.from(text))].map((bytes) => Buffer.from(bytes).toString());

describe('RFC 4155: the mbox reader', () => {
  it('parts messages at From lines and leaves the empty line between them out', () => {
    expect(
      messages(
        'From a@b.example Mon Sep  2 15:11:14 2024\nSubject: one\n\nwords\n\nFrom c@d.example Tue Sep  3 15:11:14 2024\nSubject: two\n\nmore\n\n',
      ),
    ).to.deep.equal(['Subject: one\n\nwords\n', 'Subject: two\n\nmore\n']);
  });
  it('takes one > away from quoted From lines, however many there are (mboxrd)', () => {
    expect(
      messages(
        'From a@b.example x\nS: 1\n\n>From the start\n>>From before\n> From apart\nFrom within a paragraph\n\n',
      ),
    ).to.deep.equal(['S: 1\n\nFrom the start\n>From before\n> From apart\nFrom within a paragraph\n']);
  });
  it('reads CRLF line ends, and a last message without its empty line', () => {
    expect(messages('From a x\r\nS: 1\r\n\r\nw\r\n\r\nFrom b x\r\nS: 2\r\n\r\nlast')).to.deep.equal([
      'S: 1\r\n\r\nw\r\n',
      'S: 2\r\n\r\nlast',
    ]);
    expect(messages('')).to.deep.equal([]);
  });
});
