import { expect } from 'chai';
import { shownName } from '../../core/address/address.ts';
import { senderWarnings } from '../../core/address/impostor.ts';
import type { Confirmation } from '../../core/message/authentication.ts';

const known = {
  isOurs: (address: string) => address.endsWith('@firm.example'),
  peopleAt: (address: string) => (address === 'ada@fell.example' ? [{ name: 'Ada Fell' }] : []),
  peopleNamed: (name: string) => (name === 'Ada Fell' ? [{ name: 'Ada Fell' }] : []),
};
const warned = (
  name: string,
  address: string,
  confirmation: Confirmation | null = 'confirmed',
  ours = false,
) => senderWarnings({ name, address }, { ours, confirmation }, known, ['Maren Okell']).join(' ');

describe('who a message may be from', () => {
  it('says nothing of people who write as themselves', () => {
    expect(warned('Ada Fell', 'ada@fell.example')).to.equal('');
    expect(warned('', 'stranger@x.example')).to.equal('');
    expect(warned('Maren Okell', 'maren@firm.example', null, true)).to.equal('');
    expect(warned('ada@fell.example', 'ADA@fell.example')).to.equal('');
  });
  it('calls out an address in a name, a colleague’s or client’s name at a foreign address', () => {
    expect(warned('Maren Okell <maren@firm.example>', 'boss@evil.example'))
      .to.contain('holds another address; it came from boss@evil.example')
      .and.contain('Maren Okell’s name');
    expect(warned('Okell, Maren', 'boss@evil.example')).to.contain('Maren Okell’s name');
    expect(warned('Ada Fell', 'ada.fell@freemail.example')).to.contain('bears the name of Ada Fell');
  });
  it('calls out what the server found, and what says that it is from us', () => {
    expect(warned('Ada Fell', 'ada@fell.example', 'failed')).to.contain('not from fell.example');
    expect(warned('Ada Fell', 'ada@fell.example', 'absent')).to.contain('could not confirm');
    expect(warned('Maren Okell', 'maren@firm.example', 'untold')).to.contain('no Sent folder');
    expect(warned('Maren Okell', 'maren@firm.example', 'failed')).to.contain('found that it is not');
  });
  it('shows the address where the name tries to be one', () => {
    expect(shownName('maren@firm.example', 'boss@evil.example')).to.equal('boss@evil.example');
    expect(shownName('Ada Fell', 'ada@fell.example')).to.equal('Ada Fell');
  });
});
