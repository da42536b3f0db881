import { expect } from 'chai';
import { remarksOn, type ReadTexts } from '../../server/mailing/domain.ts';

/** A DNS of these texts; a name that is missing has none, and `broken` never answers. */
const dns =
  (texts: Record<string, string[]>, code = 'ENODATA'): ReadTexts =>
  async (name) => {
    const found = texts[name];
    if (!found) throw Object.assign(new Error(code), { code });
    // A long text comes in pieces (RFC 7208, section 3.3).
    return found.map((text) => [text.slice(0, 20), text.slice(20)]);
  };
const SPF = 'v=spf1 include:spf.provider.net ip4:192.0.2.0/24 -all';
const DMARC = 'v=DMARC1; p=quarantine; rua=mailto:reports@firm.co.uk';

describe('what a sending domain says of itself', () => {
  it('is no remark where it says who sends for it and what becomes of the rest', async () => {
    const whole = { 'firm.co.uk': [SPF, 'some-verification=1'], '_dmarc.firm.co.uk': [DMARC] };
    expect(await remarksOn('firm.co.uk', dns(whole))).to.deep.equal([]);
  });

  it('is one where it says nothing, twice, or lets anybody send (RFC 7208, 4.5, 5.1; RFC 7489, 6.6.3)', async () => {
    const remarks = async (texts: Record<string, string[]>) =>
      (await remarksOn('firm.co.uk', dns(texts))).join('\n');
    expect(await remarks({}))
      .to.contain('(SPF)')
      .and.contain('(DMARC)');
    expect(await remarks({ 'firm.co.uk': [SPF, SPF], '_dmarc.firm.co.uk': [DMARC] })).to.contain('twice');
    const open = { 'firm.co.uk': ['v=spf1 +all'], '_dmarc.firm.co.uk': [DMARC] };
    expect(await remarks(open)).to.contain('anybody');
    // What only begins alike is none (RFC 7208, 4.5).
    expect(await remarks({ 'firm.co.uk': ['v=spf10 -all'], '_dmarc.firm.co.uk': [DMARC] })).to.contain(
      '(SPF)',
    );
  });

  it('is one where its mail is signed with a key that is not there, or was withdrawn (RFC 6376, 3.6.1, 3.6.2.1)', async () => {
    const whole = { 'firm.co.uk': [SPF], '_dmarc.firm.co.uk': [DMARC] };
    const remarks = async (texts: Record<string, string[]>) =>
      (await remarksOn('firm.co.uk', dns({ ...whole, ...texts }), ['mail2026'])).join('\n');
    const name = 'mail2026._domainkey.firm.co.uk';
    expect(await remarks({ [name]: ['v=DKIM1; k=rsa; p=MIGfMA0GCSqGSIb3DQEBAQUAA4'] })).to.equal('');
    expect(await remarks({ [name]: ['k=rsa; p=MIGfMA0GCSq'] })).to.equal('');
    expect(await remarks({ [name]: ['v=DKIM1; p='] })).to.contain('withdrawn');
    expect(await remarks({}))
      .to.contain('stands nowhere')
      .and.contain('“mail2026”');
    expect(await remarksOn('firm.co.uk', dns({}, 'ETIMEOUT'), ['mail2026'])).to.deep.equal([]);
  });

  it('is none where the DNS does not answer, or the domain is nobody’s (RFC 2606)', async () => {
    expect(await remarksOn('firm.co.uk', dns({}, 'ETIMEOUT'))).to.deep.equal([]);
    expect(await remarksOn('firm.co.uk', dns({}, 'ECONNREFUSED'))).to.deep.equal([]);
    expect(await remarksOn('quillhurst.example', dns({}))).to.deep.equal([]);
  });
});
