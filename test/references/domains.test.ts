import { expect } from 'chai';
import { FilingRegister } from '../../core/filing/register.ts';

/**
 * Publicsuffix.org, "List" and its test cases (checkPublicSuffix, read from memory of the published file):
 * a registration stands one label below the longest matching suffix; private suffixes count like others.
 */
describe('whose domain it is (Public Suffix List)', () => {
  const register = (domain: string) =>
    new FilingRegister({
      firmDomains: ['firm.example'],
      staffAddresses: [],
      freemail: ['freemail.example'],
      fileNumberPattern: 'X\\d',
      clients: [{ id: 1, name: 'One', domain }],
      people: [],
      files: [],
    });
  const owns = (domain: string, address: string) => register(domain).clientsAtDomain(address).length === 1;

  it('takes hosts below a registration for its own', () => {
    for (const [domain, address] of [
      ['example.com', 'a@b.example.com'],
      ['example.com', 'a@a.b.example.com'],
      ['test.ac.jp', 'a@www.test.ac.jp'],
      ['city.kobe.jp', 'a@www.city.kobe.jp'],
      ['b.c.kobe.jp', 'a@a.b.c.kobe.jp'],
      ['example.co.uk', 'a@mail.example.co.uk'],
    ] as const)
      expect([domain, address, owns(domain, address)]).to.deep.equal([domain, address, true]);
  });
  it('keeps registrations under one suffix apart', () => {
    for (const [domain, address] of [
      ['example.co.uk', 'a@other.co.uk'],
      ['a.kobe.jp', 'a@b.c.kobe.jp'],
      ['one.github.io', 'a@two.github.io'],
      ['test.k12.ak.us', 'a@other.k12.ak.us'],
    ] as const)
      expect([domain, address, owns(domain, address)]).to.deep.equal([domain, address, false]);
  });
  it('never takes freemail for anybody’s own', () => {
    expect(owns('freemail.example', 'a@freemail.example')).to.equal(false);
  });
});
