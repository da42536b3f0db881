import { expect } from 'chai';
import fc from 'fast-check';
import { textLength, wishOf } from '../../core/textmessage/gsm.ts';

/** 3GPP TS 23.038, section 6.2.1: the table by its rows, 0x00 to 0x7F, the escape left out (from memory). */
const TABLE: Record<number, string> = Object.fromEntries(
  [
    ...Array.from('@£$¥èéùìòÇ\nØø\rÅå', (letter, at) => [at, letter] as const),
    ...Array.from('Δ_ΦΓΛΩΠΨΣΘΞ', (letter, at) => [0x10 + at, letter] as const),
    ...Array.from('ÆæßÉ', (letter, at) => [0x1c + at, letter] as const),
    ...Array.from({ length: 0x40 - 0x20 }, (_, at) => [0x20 + at, String.fromCharCode(0x20 + at)] as const),
    [0x24, '¤'] as const,
    [0x40, '¡'] as const,
    ...Array.from({ length: 26 }, (_, at) => [0x41 + at, String.fromCharCode(0x41 + at)] as const),
    ...Array.from('ÄÖÑÜ§¿', (letter, at) => [0x5b + at, letter] as const),
    ...Array.from({ length: 26 }, (_, at) => [0x61 + at, String.fromCharCode(0x61 + at)] as const),
    ...Array.from('äöñüà', (letter, at) => [0x7b + at, letter] as const),
  ].map(([code, letter]) => [code, letter]),
);
/** Section 6.2.1.1: code behind the escape, and the letter. */
const EXTENDED: Record<number, string> = {
  ...{ 0x0a: '\f', 0x14: '^', 0x28: '{', 0x29: '}', 0x2f: '\\' },
  ...{ 0x3c: '[', 0x3d: '~', 0x3e: ']', 0x40: '|', 0x65: '€' },
};

/** A text as septets, by the tables above; null where a letter stands in neither. */
function septets(text: string): number[] | null {
  const plain = new Map(Object.entries(TABLE).map(([code, letter]) => [letter, Number(code)]));
  const behind = new Map(Object.entries(EXTENDED).map(([code, letter]) => [letter, Number(code)]));
  const codes: number[] = [];
  for (const letter of text) {
    const [one, two] = [plain.get(letter), behind.get(letter)];
    if (one !== undefined) codes.push(one);
    else if (two !== undefined) codes.push(0x1b, two);
    else return null;
  }
  return codes;
}

/** Parts of at most so many, none of which ends with an escape. */
function cut(codes: readonly number[], alone: number, each: number): number {
  if (codes.length <= alone) return codes.length ? 1 : 0;
  let parts = 0;
  for (let at = 0; at < codes.length; parts++) at += codes[at + each - 1] === 0x1b ? each - 1 : each;
  return parts;
}

describe('short messages, as 3GPP TS 23.038 has them', () => {
  it('know all letters of the alphabet and its extension, and no other', () => {
    const all = new Set([...Object.values(TABLE), ...Object.values(EXTENDED)]);
    expect(Object.keys(TABLE)).to.have.lengthOf(127);
    for (let code = 0; code < 0x3000; code++) {
      const letter = String.fromCodePoint(code);
      const { coding, twice } = textLength(letter);
      expect(coding, code.toString(16)).to.equal(all.has(letter) ? 'gsm' : 'ucs2');
      expect(twice.length, code.toString(16)).to.equal(Object.values(EXTENDED).includes(letter) ? 1 : 0);
    }
  });

  it('have 160 letters alone and 153 in each of several; of others 70 and 67', () => {
    const parts = (letter: string, count: number) => textLength(letter.repeat(count)).parts;
    expect([0, 1, 160, 161, 306, 307, 459, 460].map((count) => parts('a', count))).to.deep.equal([
      0, 1, 1, 2, 2, 3, 3, 4,
    ]);
    expect([80, 81].map((count) => parts('€', count))).to.deep.equal([1, 2]);
    expect([70, 71, 134, 135].map((count) => parts('ł', count))).to.deep.equal([1, 2, 2, 3]);
    expect([35, 36].map((count) => parts('😀', count))).to.deep.equal([1, 2]);
  });

  it('part no letter: an escape stays with what follows it, and both halves of a letter together', () => {
    expect(textLength(`${'a'.repeat(152)}€${'a'.repeat(10)}`)).to.include({
      units: 164,
      parts: 2,
      left: 153 - 12,
    });
    // 66 units, then a letter of two: it goes into the next part.
    expect(textLength(`${'ł'.repeat(66)}😀${'ł'.repeat(10)}`)).to.include({
      units: 78,
      parts: 2,
      left: 67 - 12,
    });
  });

  it('say what makes them dear, and what counts twice', () => {
    expect(textLength('Dear Łucja, “yes”').dear).to.deep.equal(['Ł', '“', '”']);
    expect(textLength('50 € [net]').twice).to.deep.equal(['€', '[', ']']);
  });

  it('are as long as the tables make them: a property', () => {
    const letter = fc.constantFrom(...Object.values(TABLE), ...Object.values(EXTENDED), 'ł', '“');
    fc.assert(
      fc.property(fc.array(letter, { maxLength: 500 }), (letters) => {
        const text = letters.join('');
        const found = textLength(text);
        const codes = septets(text);
        if (codes === null) return void expect(found.coding).to.equal('ucs2');
        expect(found).to.include({ coding: 'gsm', units: codes.length, parts: cut(codes, 160, 153) });
      }),
    );
  });

  it('end by one word alone', () => {
    for (const text of ['STOP', 'stop.', ' Stop ', '“STOP”', 'Unsubscribe'])
      expect(wishOf(text), text).to.equal('stop');
    for (const text of ['Please stop by on Friday', 'Do not stop', 'stop the tractor', '', 'STOP'.repeat(50)])
      expect(wishOf(text), text).to.equal(null);
    expect(wishOf('START')).to.equal('start');
  });
});
