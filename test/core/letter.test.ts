import { expect } from 'chai';
import fc from 'fast-check';
import { answerTo } from '../../core/conversation/answer.ts';
import { leavesOpen } from '../../core/conversation/owing.ts';
import { fillIn, paragraph, quotedAnswer, renderLetter, subjectFor } from '../../core/merge/letter.ts';
import { differences } from '../../core/message/compare.ts';
import { searchExpression } from '../../server/foundation/fullText.ts';
import { readMessage } from '../../core/message/read.ts';
import { writtenPart } from '../../core/message/written.ts';

const doc = (...texts: string[]) => ({ type: 'doc', content: texts.map(paragraph) });

describe('a letter', () => {
  it('says the same in plain text and HTML, signature and quotation below', () => {
    const { text, html } = renderLetter({
      body: doc('Dear Ada,', 'The wall <stands> & holds.'),
      signature: [paragraph('Tobias Fenn\nThe firm')],
      quoted: quotedAnswer('On Mon 2 Nov 2026, 10:00, Ada wrote:', 'Does it hold?\n> earlier'),
      plain: false,
    });
    expect(text).to.equal(
      'Dear Ada,\n\nThe wall <stands> & holds.\n\n-- \nTobias Fenn\nThe firm\n\nOn Mon 2 Nov 2026, 10:00, Ada wrote:\n> Does it hold?\n>> earlier\n',
    );
    expect(html).to.contain('The wall &lt;stands&gt; &amp; holds.').and.to.contain('Tobias Fenn<br>The firm');
    expect(html).to.not.contain('<stands>');
  });

  it('is plain text alone when that is asked for', () => {
    expect(renderLetter({ body: doc('x'), signature: [], quoted: '', plain: true })).to.deep.equal({
      text: 'x\n',
      html: null,
    });
  });

  it('is read again by ourselves as it was put together: own words, signature, what was quoted', () => {
    fc.assert(
      fc.property(
        fc.array(fc.stringMatching(/^[A-Z][a-z]{2,12}( [a-z]{2,9}){1,8}\.$/), { minLength: 1, maxLength: 4 }),
        (sentences) => {
          const { text } = renderLetter({
            body: doc(...sentences),
            signature: [paragraph('Tobias Fenn, Rivers\nThe firm')],
            quoted: quotedAnswer('On Mon 2 Nov 2026, 10:00, Ada wrote:', 'What was said before.'),
            plain: true,
          });
          const read = writtenPart(text, ['Tobias Fenn'], 'tobias@firm.example');
          expect(read.own.trim()).to.equal(sentences.join('\n\n'));
          expect(read.quoted).to.contain('What was said before.');
        },
      ),
      { numRuns: 60 },
    );
  });

  it('keeps one mark before a subject', () => {
    expect(subjectFor('reply', 'The wall')).to.equal('Re: The wall');
    expect(subjectFor('all', 'RE: The wall')).to.equal('RE: The wall');
    expect(subjectFor('forward', 'Re: The wall')).to.equal('Fwd: Re: The wall');
    expect(subjectFor('forward', 'Fw: The wall')).to.equal('Fw: The wall');
  });

  it('puts facts in for good, and names what is missing', () => {
    const template = {
      type: 'doc',
      content: [
        {
          type: 'paragraph',
          content: [
            { type: 'mergeField', attrs: { field: 'a', fallback: '' } },
            { type: 'mergeField', attrs: { field: 'b', fallback: 'or so' } },
            { type: 'mergeField', attrs: { field: 'c', fallback: '' } },
          ],
        },
      ],
    };
    const { doc: filled, missing } = fillIn(template, { words: { a: 'one' } }, (key) => `the ${key}`);
    expect(filled.content?.[0]?.content?.map((node) => node.text)).to.deep.equal(['one', 'or so', '[the c]']);
    expect(missing).to.deep.equal(['the c']);
  });

  it('goes to whoever asked for answers, and to all but ourselves', () => {
    const isOurs = (address: string) => address.endsWith('@firm.example');
    const who = (address: string) => ({ name: '', address });
    const read = {
      from: who('ada@x.example'),
      replyTo: [who('estate@x.example')],
      to: [who('tobias@firm.example'), who('ben@x.example')],
      cc: [who('petra@firm.example'), who('BEN@x.example'), who('estate@x.example')],
    };
    expect(answerTo({ isOurs }, read, 'reply').to).to.deep.equal([who('estate@x.example')]);
    expect(answerTo({ isOurs }, read, 'all').cc.map((each) => each.address)).to.deep.equal(['ben@x.example']);
    // Answering what we sent ourselves means writing on to the same people.
    const ours = { from: who('tobias@firm.example'), replyTo: [], to: [who('ada@x.example')], cc: [] };
    expect(answerTo({ isOurs }, ours, 'reply').to.map((each) => each.address)).to.deep.equal([
      'ada@x.example',
    ]);
  });
});

describe('who owes an answer', () => {
  const received = (own: string, subject = 'The wall') => leavesOpen('received', subject, own);
  const sent = (own: string) => leavesOpen('sent', 'The wall', own);
  it('we, to whoever writes to us, unless they only close the exchange', () => {
    for (const open of [
      'Could you look at the coping?',
      'The wall has come down by the gate.',
      'Thank you. When will you come?',
      'Thanks for the plan. Please send the other sheet too.',
    ])
      expect(received(open), open).to.equal(true);
    for (const closed of [
      'Thank you, that is clear.',
      'Noted, many thanks',
      'Perfect.',
      'Danke, alles klar.',
      '',
    ])
      expect(received(closed), closed).to.equal(false);
    expect(received('', 'Coming on Thursday?')).to.equal(true);
    expect(received('The wall is down. No need to reply.')).to.equal(false);
  });

  it('they, when we asked for something', () => {
    expect(sent('Which morning would suit you?')).to.equal(true);
    expect(sent('Please let me know by Friday.')).to.equal(true);
    expect(sent('The report is enclosed.')).to.equal(false);
    expect(sent('The address is https://x.example/a?b=c and nothing else.')).to.equal(false);
  });
});

describe('what was recorded, and what lies in Sent', () => {
  const message = (text: string, more = '') =>
    readMessage(Buffer.from(`From: a@x.example\r\nTo: b@x.example\r\nSubject: S\r\n${more}\r\n${text}`));
  it('are the same but for what a reader cannot see', async () => {
    expect(
      differences(
        await message('One line\r\nand two'),
        await message('One line\nand two ', 'Received: by x\r\n'),
      ),
    ).to.deep.equal([]);
  });

  it('differ in words that say in what', async () => {
    const other = await readMessage(
      Buffer.from(
        'From: a@x.example\r\nTo: b@x.example, c@x.example\r\nSubject: T\r\n\r\nOne line and three',
      ),
    );
    expect(differences(await message('One line and two'), other)).to.deep.equal([
      'the subject',
      'whom it is to',
      'the text',
    ]);
  });
});

describe('typed words as a search', () => {
  it('asks for every word, begun at least, and for phrases together', () => {
    expect(searchExpression('culvert bank')).to.equal('+culvert* +bank*');
    expect(searchExpression('"river bank" mill')).to.equal('+"river bank" +mill*');
    expect(searchExpression('ada@fell.example')).to.equal('+ada* +fell* +example*');
    expect(searchExpression('the of a')).to.equal('');
  });

  it('lets no sign through that means something to the database', () => {
    fc.assert(
      fc.property(fc.string(), (typed) => {
        expect(searchExpression(typed)).to.match(
          /^(?:\+(?:"[\p{L}\p{N}\p{M}_ ]+"|[\p{L}\p{N}\p{M}_]+\*) ?)*$/u,
        );
      }),
    );
  });
});
