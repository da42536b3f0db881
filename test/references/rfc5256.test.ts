import { expect } from 'chai';
import fc from 'fast-check';
import { messageIds, namedMessages } from '../../core/conversation/conversation.ts';
import { baseSubject, subjectKey } from '../../core/conversation/subject.ts';

describe('RFC 5256 section 2.1: base subject', () => {
  const cases: [string, string, boolean][] = [
    ['Re: Stock fencing quote', 'Stock fencing quote', true],
    ['re[2]: the meadow', 'the meadow', true],
    ['Fwd: Re: fw: FW: ride widening', 'ride widening', true],
    ['[list] Re: [list] minutes', 'minutes', true],
    ['minutes (fwd)', 'minutes', true],
    ['[fwd: Re: minutes]', 'minutes', true],
    ['  Plain \t words  ', 'Plain words', false],
    ['[only a blob]', '[only a blob]', false],
    ['Re: [a blob] Re: words', 'words', true],
    ['regarding the wall', 'regarding the wall', false],
    ['reply: nothing', 'reply: nothing', false],
    ['Re:', '', true],
  ];
  for (const [subject, base, reply] of cases) {
    it(`takes “${subject}” to “${base}”`, () =>
      expect(baseSubject(subject)).to.deep.equal({ text: base, isReply: reply }));
  }
  it('knows the marks of other languages (common practice)', () => {
    for (const mark of 'AW WG SV VS Antw Antwort TR RV R I RES Rép Doorst Odp Ynt Απ Ответ 回复'.split(' '))
      expect(subjectKey(`${mark}: Die Wiese`), mark).to.equal('die wiese');
    expect(subjectKey('转发：***SPAM*** Re[2]: Die Wiese')).to.equal('die wiese');
    for (const whole of ['Review: the wall', 'Region: south', 'Res publica'])
      expect(baseSubject(whole).isReply, whole).to.equal(false);
  });
  it('finds nothing more to take away the second time', () => {
    const pieces = fc
      .array(fc.constantFrom('Re: ', 'Fwd:', '[x] ', 'word', ' ', '(fwd)', '[fwd: ', ']', 'Re', ':'), {
        maxLength: 8,
      })
      .map((parts) => parts.join(''));
    fc.assert(
      fc.property(pieces, (subject) => {
        expect(baseSubject(baseSubject(subject).text).text).to.equal(baseSubject(subject).text);
      }),
    );
  });
});

describe('RFC 5322 section 3.6.4: which messages one names', () => {
  it('names the nearest message first (RFC 5322 section 3.6.4)', () => {
    expect(namedMessages({ messageId: 'x', inReplyTo: ['c'], references: ['a', 'b', 'c'] })).to.deep.equal([
      'c',
      'b',
      'a',
    ]);
    expect(messageIds('Your message of Friday <a@b.example>\r\n <c @ d.example> (old)')).to.deep.equal([
      'a@b.example',
      'c@d.example',
    ]);
  });
});
