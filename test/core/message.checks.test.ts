import { expect } from 'chai';
import { messageRemarks, type CheckedMessage } from '../../core/checks/message.ts';

const doc = (...content: object[]) => ({
  type: 'doc',
  content: [{ type: 'paragraph', content: content as { type: string }[] }],
});
const message = (change: Partial<CheckedMessage> = {}): string[] =>
  messageRemarks({
    subject: 'The autumn walk',
    text: 'Please come.',
    body: doc({ type: 'text', text: 'Please come.' }),
    earlierSubjects: ['The spring walk'],
    enclosures: 0,
    bytes: 20_000,
    copies: 100,
    topic: true,
    optOut: true,
    ...change,
  });
const link = (text: string, href: string) =>
  doc({ type: 'text', text, marks: [{ type: 'link', attrs: { href } }] });

describe('what tired eyes miss in a message', () => {
  it('is nothing in an ordinary one', () => {
    expect(message()).to.deep.equal([]);
    expect(message({ subject: 'QL-24052' })).to.deep.equal([]);
  });

  it('is a subject that shouts, ends in marks, or is that of last time', () => {
    expect(message({ subject: 'THE GRANT CLOSES' })[0]).to.contain('capitals');
    expect(message({ subject: 'The grant closes!!' })[0]).to.contain('marks');
    expect(message({ subject: 'the spring walk ' })[0]).to.contain('same as');
  });

  it('is an enclosure that is spoken of and missing', () => {
    expect(message({ text: 'The map is attached.' })[0]).to.contain('enclosure');
    expect(message({ text: 'The map is attached.', enclosures: 1 })).to.deep.equal([]);
  });

  it('is a link that is not whole, or leads elsewhere than its words', () => {
    expect(message({ body: link('here', 'htp:/x') })[0]).to.contain('not whole');
    expect(message({ body: link('https://one.example', 'https://two.example/a') })[0]).to.contain(
      'leads to two.example',
    );
    expect(message({ body: link('www.one.example', 'https://one.example/walks') })).to.deep.equal([]);
    expect(message({ body: link('here', 'https://two.example') })).to.deep.equal([]);
  });

  it('is a picture that says nothing in words, and a copy that is heavy', () => {
    const picture = (alt: string) => ({
      type: 'doc',
      content: [{ type: 'picture', attrs: { hash: 'a', alt } }],
    });
    expect(message({ body: picture(' ') })[0]).to.contain('A picture does not say');
    expect(message({ body: picture('The gate') })).to.deep.equal([]);
    expect(message({ bytes: 3_000_000 })[0])
      .to.contain('3.0 MB')
      .and.contain('300.0 MB');
  });

  it('is a way to opt out that is missing', () => {
    expect(message({ optOut: false })[0]).to.contain('opt out');
    expect(message({ optOut: false, topic: false })).to.deep.equal([]);
  });
});
