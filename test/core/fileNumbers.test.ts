import { expect } from 'chai';
import fc from 'fast-check';
import { FileNumbers } from '../../core/filing/numbers.ts';
import { CannotLearn, isFileNumber, learnNumbers, numberAfter } from '../../core/office/fileNumbers.ts';

describe('how file numbers look', () => {
  it('is learned from examples, in a pattern and in words', () => {
    for (const [examples, pattern, words] of [
      [['QL-24052'], 'QL-\\d{5}', '“QL-”, then five figures'],
      [['QL-24052', 'ql-1'], 'QL-\\d{1,5}', '“QL-”, then one to five figures'],
      [['2024/0153', '2025/0007'], '\\d{4}\\/\\d{4}', 'the year, then “/”, then four figures'],
      [
        ['TW24-1099', 'KM25-0001'],
        '[A-Z]{2}\\d{2}-\\d{4}',
        'two letters, then two figures, then “-”, then four figures',
      ],
      [
        ['A.12', '2024/7'],
        'A\\.\\d{2}|\\d{4}\\/\\d{1}',
        '“A.”, then two figures; or the year, then “/”, then one figure',
      ],
      [['24052 W', '24053 W'], '\\d{5} W', 'five figures, then “ W”'],
    ] as const) {
      expect(learnNumbers(examples)).to.deep.equal({ pattern, words });
      for (const example of examples) expect(isFileNumber(pattern, example), example).to.equal(true);
    }
  });

  it('is not learned from what would be found in every letter', () => {
    for (const [example, why] of [
      ['', 'Type in some'],
      ['Smith', 'no figure'],
      ['12', 'looks like any other number'],
      ['1.50', 'looks like any other number'],
      ['QL*24', 'a sign'],
      ['-24052', 'begin and end'],
      ['Q'.repeat(60) + '1', 'too long'],
    ] as const)
      expect(() => learnNumbers([example]), example)
        .to.throw(CannotLearn)
        .with.property('message')
        .that.contains(why);
    expect(() => learnNumbers(Array.from({ length: 51 }, (_, index) => `QL-${index}`))).to.throw(CannotLearn);
  });

  it('makes of any examples a pattern that each of them fits and mail is searched by in linear time', () => {
    // A firm writes its numbers in one way.
    const ways = [
      /^[A-Z]{1,4}[-]\d{1,6}$/,
      /^[A-Z]{2}\d{5}$/,
      /^\d{4}\/\d{1,4}$/,
      /^[A-Z]\d{2}[.]\d{1,4}$/,
      /^\d{6} [A-Z]$/,
    ];
    const written = fc
      .constantFrom(...ways)
      .chain((way) => fc.array(fc.stringMatching(way), { minLength: 1, maxLength: 8 }));
    fc.assert(
      fc.property(written, (examples) => {
        const { pattern } = learnNumbers(examples);
        const numbers = new FileNumbers(
          pattern,
          examples.map((number, id) => ({ id, number })),
        );
        for (const each of examples) {
          expect(isFileNumber(pattern, each), `${each} by ${pattern}`).to.equal(true);
          expect(numbers.in(`About ${each}, thank you.`)).to.have.length(1);
        }
        const began = performance.now();
        numbers.in('QL-1'.repeat(20_000));
        expect(performance.now() - began).to.be.below(500);
      }),
      { numRuns: 200 },
    );
  });

  it('goes on: counted up within the pattern, anew each year where the firm wants it', () => {
    expect(numberAfter('QL-\\d{5}', 'QL-24052')).to.equal('QL-24053');
    expect(numberAfter('TW\\d{2}-\\d{4}', 'TW24-1099')).to.equal('TW24-1100');
    expect(numberAfter('K\\d{4}/\\d{2}', 'K2024/09')).to.equal('K2024/10');
    expect(numberAfter('K\\d{4}/\\d{2}', 'K2024/09', 2026)).to.equal('K2026/01');
    expect(numberAfter('K\\d{4}/\\d{2}', 'K2026/09', 2026)).to.equal('K2026/10');
    expect(numberAfter('TW\\d{2}-\\d{4}', 'TW25-0140', 2026)).to.equal('TW26-0001');
    // Figures that are no year stay.
    expect(numberAfter('TW\\d{2}-\\d{4}', 'TW88-0140', 2026)).to.equal('TW88-0141');
    expect(() => numberAfter('TW\\d{2}-\\d{4}', 'TW24-9999')).to.throw(CannotLearn, 'TW24-9999');
    expect(() => numberAfter('TW\\d{2}-\\d{4}', null)).to.throw(CannotLearn);
  });

  it('finds none in an office that has not said how they look', () => {
    expect(new FileNumbers('', [{ id: 1, number: 'QL-1' }]).in('About QL-1')).to.deep.equal([]);
  });
});
