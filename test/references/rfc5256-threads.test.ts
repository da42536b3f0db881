import { expect } from 'chai';
import fc from 'fast-check';
import { flatThreads, threads, type Threadable, type ThreadNode } from '../../core/conversation/thread.ts';

/**
 * RFC 5256 section 3, REFERENCES; the form in which threads are written is that of its section 4 (THREAD
 * response): `(2)(3 6 (4 23)(44 7 96))`. Cases for each step of the algorithm are our own.
 */
interface Letter extends Threadable {
  name: string;
}
const letter = (name: string, references: string[] = [], extra: Partial<Letter> = {}): Letter => ({
  name,
  messageId: name,
  inReplyTo: [],
  references,
  subject: name,
  at: Number(name.replace(/\D/g, '')) || 0,
  ...extra,
});
/** Threads as the THREAD response writes them. */
function written(nodes: readonly ThreadNode<Letter>[]): string {
  const inner = (node: ThreadNode<Letter>): string => {
    const own = node.message ? [node.message.name] : [];
    if (node.children.length === 1) return [...own, inner(node.children[0] as ThreadNode<Letter>)].join(' ');
    return [...own, node.children.map((child) => `(${inner(child)})`).join('')].filter(Boolean).join(' ');
  };
  return nodes.map((node) => `(${inner(node)})`).join('');
}
const thread = (...letters: Letter[]) => written(threads(letters));

describe('RFC 5256: threads by REFERENCES', () => {
  it('writes the example of section 4', () => {
    expect(
      thread(
        letter('2'),
        letter('3'),
        letter('6', ['3']),
        letter('4', ['3', '6']),
        letter('23', ['3', '6', '4']),
        letter('44', ['3', '6'], { at: 5 }),
        letter('7', ['3', '6', '44']),
        letter('96', ['3', '6', '44', '7']),
      ),
    ).to.equal('(2)(3 6 (4 23)(44 7 96))');
  });
  it('step 1: takes In-Reply-To where there are no references, and only its first name', () => {
    expect(thread(letter('1'), letter('2', [], { inReplyTo: ['1', '9'] }))).to.equal('(1 2)');
  });
  it('step 1: ties a chain of names together although nobody has some of them', () => {
    expect(thread(letter('1'), letter('4', ['1', 'gone', 'lost']))).to.equal('(1 4)');
  });
  it('step 1: makes no ring, whatever messages claim', () => {
    expect(thread(letter('1', ['2']), letter('2', ['1']))).to.be.oneOf(['(1 2)', '(2 1)']);
    expect(thread(letter('1', ['1']))).to.equal('(1)');
    expect(thread(letter('1', ['2', '3', '2']), letter('2', ['3']), letter('3', ['1']))).to.match(
      /1.*2|2.*1/,
    );
  });
  it('step 1: keeps messages of one Message-ID, and of none, apart', () => {
    const twin = letter('1', [], { name: '1b', subject: 'other' });
    const bare = letter('3', [], { messageId: null });
    expect(thread(letter('1'), twin, bare)).to.equal('(1)(1b)(3)');
  });
  it('step 3: holds threads together at the top whose beginning nobody has, and prunes it below', () => {
    expect(thread(letter('2', ['gone']), letter('3', ['gone']))).to.equal('((2)(3))');
    expect(thread(letter('1'), letter('2', ['1', 'gone']), letter('3', ['1', 'gone']))).to.equal(
      '(1 (2)(3))',
    );
    expect(thread(letter('2', ['gone']))).to.equal('(2)');
  });
  it('step 4: sorts threads by date, one without beginning by its first answer', () => {
    expect(thread(letter('9'), letter('5', ['gone']), letter('7', ['gone']), letter('6'))).to.equal(
      '((5)(7))(6)(9)',
    );
  });
  it('step 5: puts a lost reply under the message of its subject', () => {
    expect(
      thread(letter('1', [], { subject: 'The wall' }), letter('2', [], { subject: 'Re: the wall' })),
    ).to.equal('(1 2)');
    // Two that both begin, or both answer, stand side by side.
    expect(thread(letter('1', [], { subject: 'Wall' }), letter('2', [], { subject: 'Wall' }))).to.equal(
      '((1)(2))',
    );
    expect(
      thread(letter('1', [], { subject: 'Re: Wall' }), letter('2', [], { subject: 'Re: Wall' })),
    ).to.equal('((1)(2))');
    expect(thread(letter('1', [], { subject: '' }), letter('2', [], { subject: 'Re: ' }))).to.equal('(1)(2)');
  });
  it('step 5: joins what has lost its beginning by subject', () => {
    const wall = (name: string, references: string[]) => letter(name, references, { subject: 'Re: Wall' });
    expect(thread(wall('2', ['gone']), wall('3', ['gone']), wall('4', []))).to.equal('((2)(3)(4))');
    expect(thread(wall('2', ['x']), wall('3', ['x']), wall('4', ['y']), wall('5', ['y']))).to.equal(
      '((2)(3)(4)(5))',
    );
  });
  it('step 6: sorts answers by date', () => {
    expect(thread(letter('1'), letter('3', ['1']), letter('2', ['1']))).to.equal('(1 (2)(3))');
  });

  /** A tree of messages by the number of each one's parent, and its messages with whole References. */
  const tree = fc.array(fc.nat(), { minLength: 1, maxLength: 14 }).map((dice) => {
    const parents = dice.map((each, index) => (index ? each % (index + 1) : 0) - 1);
    const chain = (index: number): string[] => {
      const parent = parents[index] ?? -1;
      return parent < 0 || parent === index ? [] : [...chain(parent), `m${parent}`];
    };
    return parents.map((_, index) => letter(`m${index}`, chain(index), { subject: `s${index}`, at: index }));
  });
  it('does not depend on the order of arrival', () => {
    fc.assert(
      fc.property(tree, fc.infiniteStream(fc.nat()), (letters, dice) => {
        const shuffled = letters
          .map((each) => ({ each, at: dice.next().value ?? 0 }))
          .sort((a, b) => a.at - b.at)
          .map(({ each }) => each);
        expect(thread(...shuffled)).to.equal(thread(...letters));
      }),
    );
  });
  it('keeps every message once, each as deep as the chain it names', () => {
    fc.assert(
      fc.property(tree, (letters) => {
        const flat = flatThreads(threads(letters));
        expect(flat.map(({ message }) => message.name).sort()).to.deep.equal(
          letters.map(({ name }) => name).sort(),
        );
        for (const { message, depth } of flat) expect(depth).to.equal(message.references.length);
      }),
    );
  });
});
