import { expect } from 'chai';
import { isOddFirstName, BROKEN_ADDRESS, POSTCODES } from '../../core/upkeep/patterns.ts';
import { isAddress } from '../../core/address/address.ts';

describe('what looks wrong in records', () => {
  it('first names that want a look, and those that do not', () => {
    for (const name of [
      '',
      ' ',
      'J',
      'J.',
      'Mr',
      'mr',
      'agnes',
      'AGNES',
      'a@b',
      'Agnes2',
      'Info',
      'The',
      'XX',
      'Office',
    ])
      expect(isOddFirstName(name), `“${name}”`).to.equal(true);
    for (const name of ['Agnes', 'Éloïse', 'Anne-Marie', 'J. Robert', 'Jo', 'O’Hara', 'Øystein', 'Ng'])
      expect(isOddFirstName(name), `“${name}”`).to.equal(false);
  });

  it('addresses that cannot be one: none that can', () => {
    const broken = new RegExp(BROKEN_ADDRESS);
    for (const address of [
      'none',
      'a@b',
      'a@@b.example',
      'a@b..example',
      'a@.example',
      'a@b.example.',
      'a b@c.example',
    ])
      expect(broken.test(address), address).to.equal(true);
    for (const address of ['a@b.example', 'first.last+tag@sub.b.example', 'o’hara@b.example'])
      expect([broken.test(address), isAddress(address)], address).to.deep.equal([false, true]);
  });

  it('postcodes of eighteen countries, each with one that is its own and one that is not', () => {
    const KNOWN: Record<string, [own: string, other: string]> = {
      GB: ['Q7 2FM'.replace('Q7', 'SW1A'), '10115'],
      IE: ['D02 AF30', 'SW1A 1AA'],
      DE: ['10115', '1011'],
      FR: ['75008', '7500'],
      IT: ['00184', '184'],
      ES: ['28013', '98013'],
      US: ['20500-0003', '2050'],
      CA: ['K1A 0B1', '10115'],
      AT: ['1010', '0110'],
      CH: ['3003', '10115'],
      BE: ['1000', '100'],
      DK: ['1240', '124'],
      NO: ['0026', '26'],
      AU: ['2600', '260'],
      NL: ['1012 JS', '1012'],
      SE: ['111 28', '1112'],
      PL: ['00-902', '00902'],
      PT: ['1100-148', '1100'],
    };
    expect(Object.keys(KNOWN)).to.have.members(Object.keys(POSTCODES));
    for (const [country, [own, other]] of Object.entries(KNOWN)) {
      const pattern = new RegExp(POSTCODES[country] ?? 'x');
      expect(pattern.test(`1 STREET, ${own} TOWN`), `${country} ${own}`).to.equal(true);
      expect(pattern.test(`STREET, ${other} TOWN`), `${country} ${other}`).to.equal(false);
    }
  });
});
