import { expect } from 'chai';
import { Secret, TOTP } from 'otpauth';
import { codeAt, periodOfCode } from '../../server/security/secondStep.ts';

/** RFC 6238, appendix B: the test values for SHA-1, eight figures, a period of 30 seconds. */
const VALUES = [
  [59, '94287082'],
  [1111111109, '07081804'],
  [1111111111, '14050471'],
  [1234567890, '89005924'],
  [2000000000, '69279037'],
  [20000000000, '65353130'],
] as const;
const secret = Secret.fromUTF8('12345678901234567890');

describe('one-time codes (RFC 6238)', () => {
  it('are those of the standard’s own table', () => {
    for (const [seconds, code] of VALUES) {
      const eight = new TOTP({ secret, digits: 8, period: 30 }).generate({ timestamp: seconds * 1000 });
      expect([seconds, eight]).to.deep.equal([seconds, code]);
      // Ours have six figures: the last of the eight (RFC 4226, section 5.3, takes the number modulo 10^digits).
      expect(codeAt(secret.base32, seconds * 1000)).to.equal(code.slice(2));
    }
  });

  it('serve in their own period and the one before and after, and tell which it was', () => {
    const at = 1234567890 * 1000;
    const period = Math.floor(1234567890 / 30);
    for (const [ahead, found] of [
      [-60, null],
      [-30, period - 1],
      [0, period],
      [30, period + 1],
      [60, null],
    ] as const)
      expect(periodOfCode(secret.base32, codeAt(secret.base32, at + ahead * 1000), at)).to.equal(found);
    expect(periodOfCode(secret.base32, '000000', at)).to.equal(null);
  });
});
