import { expect } from 'chai';
import { readMessage } from '../../core/message/read.ts';

/** RFC 5322, appendix A: the example messages, through our reading of headers. */
const raw = (lines: string[]) => Buffer.from(lines.join('\r\n'));

describe('RFC 5322 appendix A', () => {
  it('A.1.1: a message from one person to another', async () => {
    const read = await readMessage(
      raw([
        'From: John Doe <jdoe@machine.example>',
        'To: Mary Smith <mary@example.net>',
        'Subject: Saying Hello',
        'Date: Fri, 21 Nov 1997 09:55:06 -0600',
        'Message-ID: <1234@local.machine.example>',
        '',
        'This is a message just to say hello.',
        'So, "Hello".',
        '',
      ]),
    );
    expect(read.from).to.deep.equal({ name: 'John Doe', address: 'jdoe@machine.example' });
    expect(read.to).to.deep.equal([{ name: 'Mary Smith', address: 'mary@example.net' }]);
    expect(read.date?.toISOString()).to.equal('1997-11-21T15:55:06.000Z');
    expect(read.messageId).to.equal('1234@local.machine.example');
    expect(read.text.trim()).to.equal('This is a message just to say hello.\nSo, "Hello".');
  });

  it('A.1.2: different types of mailboxes', async () => {
    const read = await readMessage(
      raw([
        'From: "Joe Q. Public" <john.q.public@example.com>',
        'To: Mary Smith <mary@x.test>, jdoe@example.org, Who? <one@y.test>',
        'Cc: <boss@nil.test>, "Giant; \\"Big\\" Box" <sysservices@example.net>',
        'Date: Tue, 1 Jul 2003 10:52:37 +0200',
        'Message-ID: <5678.21-Nov-1997@example.com>',
        '',
        'Hi everyone.',
        '',
      ]),
    );
    expect(read.from).to.deep.equal({ name: 'Joe Q. Public', address: 'john.q.public@example.com' });
    expect(read.to.map((to) => to.address)).to.deep.equal(['mary@x.test', 'jdoe@example.org', 'one@y.test']);
    expect(read.to[2]?.name).to.equal('Who?');
    expect(read.cc).to.deep.equal([
      { name: '', address: 'boss@nil.test' },
      { name: 'Giant; "Big" Box', address: 'sysservices@example.net' },
    ]);
  });

  it('A.1.3: group addresses', async () => {
    const read = await readMessage(
      raw([
        'From: Pete <pete@silly.example>',
        'To: A Group:Ed Jones <c@a.test>,joe@where.test,John <jdoe@one.test>;',
        'Cc: Undisclosed recipients:;',
        'Date: Thu, 13 Feb 1969 23:32:54 -0330',
        'Message-ID: <testabcd.1234@silly.example>',
        '',
        'Testing.',
        '',
      ]),
    );
    expect(read.to.map((to) => to.address)).to.deep.equal(['c@a.test', 'joe@where.test', 'jdoe@one.test']);
    expect(read.cc).to.deep.equal([]);
    expect(read.date?.toISOString()).to.equal('1969-02-14T03:02:54.000Z');
  });

  it('A.2: replies', async () => {
    const read = await readMessage(
      raw([
        'To: "Mary Smith: Personal Account" <smith@home.example>',
        'From: John Doe <jdoe@machine.example>',
        'Subject: Re: Saying Hello',
        'Date: Fri, 21 Nov 1997 11:00:00 -0600',
        'Message-ID: <abcd.1234@local.machine.test>',
        'In-Reply-To: <3456@example.net>',
        'References: <1234@local.machine.example> <3456@example.net>',
        '',
        'This is a reply to your reply.',
        '',
      ]),
    );
    expect(read.inReplyTo).to.deep.equal(['3456@example.net']);
    expect(read.references).to.deep.equal(['1234@local.machine.example', '3456@example.net']);
    expect(read.to[0]?.name).to.equal('Mary Smith: Personal Account');
  });

  it('A.5: white space, comments and other oddities', async () => {
    const read = await readMessage(
      raw([
        'From: Pete(A nice \\) chap) <pete(his account)@silly.test(his host)>',
        'To:A Group(Some people)',
        "     :Chris Jones <c@(Chris's host.)public.example>,",
        '         joe@example.org,',
        '  John <jdoe@one.test> (my dear friend); (the end of the group)',
        'Cc:(Empty list)(start)Hidden recipients  :(nobody(that I know))  ;',
        'Date: Thu,',
        '      13',
        '        Feb',
        '          1969',
        '      23:32',
        '               -0330 (Newfoundland Time)',
        'Message-ID:              <testabcd.1234@silly.test>',
        '',
        'Testing.',
        '',
      ]),
    );
    expect(read.from?.address).to.equal('pete@silly.test');
    expect(read.to.map((to) => to.address)).to.deep.equal([
      'c@public.example',
      'joe@example.org',
      'jdoe@one.test',
    ]);
    expect(read.cc).to.deep.equal([]);
    expect(read.messageId).to.equal('testabcd.1234@silly.test');
    expect(read.date?.toISOString()).to.equal('1969-02-14T03:02:00.000Z');
  });

  it('A.6.3: obsolete white space before the colon', async () => {
    const read = await readMessage(
      raw([
        'From  : John Doe <jdoe@machine(comment).  example>',
        'To    : Mary Smith',
        '  ',
        '          <mary@example.net>',
        'Subject     : Saying Hello',
        'Date  : Fri, 21 Nov 1997 09(comment):   55  :  06 -0600',
        'Message-ID  : <1234   @   local(blah)  .machine .example>',
        '',
        'This is a message just to say hello.',
        'So, "Hello".',
        '',
      ]),
    );
    expect(read.subject).to.equal('Saying Hello');
    expect(read.from).to.deep.equal({ name: 'John Doe', address: 'jdoe@machine.example' });
    expect(read.messageId).to.equal('1234@local.machine.example');
  });
});
