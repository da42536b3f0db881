import { expect } from 'chai';
import { Secret } from 'otpauth';
import { codeOfCount, freshPageSecret, isCode, pageCode } from '../../server/security/pageCodes.ts';

/** RFC 4226, appendix D: the values of the secret "12345678901234567890", for counts 0 to 9. */
const VALUES = [
  ...['755224', '287082', '359152', '969429', '338314'],
  ...['254676', '287922', '162583', '399871', '520489'],
];
const secret = Secret.fromUTF8('12345678901234567890').base32;

describe('codes of clients’ pages (HOTP, RFC 4226)', () => {
  it('are those of the standard’s own table', () => {
    expect(VALUES.map((_, count) => codeOfCount(secret, count))).to.deep.equal(VALUES);
  });

  it('are of a secret of their own for each page, sealed', () => {
    const key = Buffer.alloc(32, 7);
    const [one, two] = [freshPageSecret(key), freshPageSecret(key)];
    expect(pageCode(key, one, 1))
      .to.match(/^\d{6}$/)
      .and.equal(pageCode(key, one, 1));
    expect(Array.from({ length: 5 }, (_, count) => pageCode(key, one, count))).to.not.deep.equal(
      Array.from({ length: 5 }, (_, count) => pageCode(key, two, count)),
    );
  });

  it('are taken as they are typed, and nothing else is', () => {
    expect(isCode(' 755 224 ', '755224')).to.equal(true);
    for (const typed of ['755225', '75522', '7552244', '', '٧٥٥٢٢٤', '755224\u0000', 'null'])
      expect([typed, isCode(typed, '755224')]).to.deep.equal([typed, false]);
  });
});
