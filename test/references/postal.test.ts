import { expect } from 'chai';
import { countryCode, countryName } from '../../core/address/country.ts';
import { postalLines, printedAddress } from '../../core/address/postal.ts';

/**
 * Addresses in the order of eighteen countries, after the country pages of the Universal Postal Union, "Addressing
 * systems": what stands where is theirs, from memory; streets and towns are common ones.
 */
const PAGES: [
  country: string,
  parts: [street: string, town: string, region: string, code: string],
  lines: string[],
][] = [
  ['GB', ['2 Hill Street', 'London', 'Middlesex', 'W1J 5NA'], ['2 Hill Street', 'London', 'W1J 5NA']],
  [
    'IE',
    ['2 Main Street', 'Tullow', 'Co. Carlow', 'R93 A2B3'],
    ['2 Main Street', 'Tullow', 'Co. Carlow', 'R93 A2B3'],
  ],
  [
    'US',
    ['525 Main Street', 'Springfield', 'IL', '62701-1234'],
    ['525 Main Street', 'Springfield IL 62701-1234'],
  ],
  ['CA', ['10 Elm Street', 'Ottawa', 'ON', 'K1A 0B1'], ['10 Elm Street', 'Ottawa ON K1A 0B1']],
  ['AU', ['10 George Street', 'Canberra', 'ACT', '2600'], ['10 George Street', 'Canberra ACT 2600']],
  ['DE', ['Rhondorfer Str. 666', 'Köln', 'NRW', '50939'], ['Rhondorfer Str. 666', '50939 Köln']],
  ['AT', ['Pazmaniteng 24-9', 'Wien', '', '1020'], ['Pazmaniteng 24-9', '1020 Wien']],
  ['CH', ['Schanzenstrasse 7', 'Bern', 'BE', '3030'], ['Schanzenstrasse 7', '3030 Bern']],
  ['FR', ['25 rue de l’Église', 'Saint-Denis', '', '93210'], ['25 rue de l’Église', '93210 Saint-Denis']],
  ['BE', ['Rue du Diamant 215', 'Bruxelles', '', '1030'], ['Rue du Diamant 215', '1030 Bruxelles']],
  ['DK', ['Kildevej 3', 'Hilleroed', '', '3400'], ['Kildevej 3', '3400 Hilleroed']],
  ['NO', ['Storgata 5', 'Oslo', '', '0184'], ['Storgata 5', '0184 Oslo']],
  ['SE', ['Skulgatan 9', 'Skara', '', '532 37'], ['Skulgatan 9', '532 37 Skara']],
  ['PL', ['ul. Marszalkowska 6', 'Warszawa', '', '00-590'], ['ul. Marszalkowska 6', '00-590 Warszawa']],
  ['PT', ['Rua da Prata 14', 'Lisboa', '', '1100-414'], ['Rua da Prata 14', '1100-414 Lisboa']],
  ['NL', ['Prinsengracht 1', 'Amsterdam', 'NH', '1015 DV'], ['Prinsengracht 1', '1015 DV  Amsterdam']],
  ['IT', ['Via del Corso 1', 'Roma', 'RM', '00186'], ['Via del Corso 1', '00186 Roma RM']],
  ['ES', ['Calle Mayor 1', 'Getafe', 'Madrid', '28901'], ['Calle Mayor 1', '28901 Getafe', 'Madrid']],
];

describe('postal addresses in the order of their country', () => {
  for (const [country, [street, town, region, code], lines] of PAGES)
    it(countryName(country), () =>
      expect(postalLines({ street: [street], town, region, code }, country)).to.deep.equal(lines),
    );

  it('leaves no line empty, and each part a line where the order is not known', () => {
    const parts = { street: ['', ' 1 Lane ', ''], town: '', region: '', code: '10115' };
    expect(postalLines(parts, 'DE')).to.deep.equal(['1 Lane', '10115']);
    expect(postalLines({ ...parts, town: 'A', region: 'B' }, 'JP')).to.deep.equal([
      '1 Lane',
      'A',
      'B',
      '10115',
    ]);
  });

  it('prints the country in capitals at the foot abroad, and once (S42)', () => {
    const lines = ['Rhondorfer Str. 666', '', '50939 Köln'];
    expect(printedAddress(lines, 'DE', 'GB')).to.deep.equal(['Rhondorfer Str. 666', '50939 Köln', 'GERMANY']);
    expect(printedAddress([...lines, 'Germany'], 'DE', 'GB')).to.deep.equal([
      'Rhondorfer Str. 666',
      '50939 Köln',
      'Germany',
    ]);
    expect(printedAddress(lines, '', 'GB')).to.have.length(2);
    expect(printedAddress(lines, 'GB', 'GB')).to.have.length(2);
    expect(printedAddress([], 'DE', 'GB')).to.deep.equal([]);
  });
});

describe('countries by name, ISO 3166-1 two-letter codes', () => {
  it('are those of the standard: codes, English names, and common other words', () => {
    for (const [name, code] of [
      ['Germany', 'DE'],
      ['de', 'DE'],
      ['United Kingdom', 'GB'],
      ['U.K.', 'GB'],
      ['U.S.A.', 'US'],
      ['Canada', 'CA'],
      ['Ireland', 'IE'],
      ['Moon', null],
      ['', null],
    ] as const)
      expect(countryCode(name), name).to.equal(code);
  });
});
