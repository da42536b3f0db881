import { expect } from 'chai';
import { sameOrganisation } from '../../core/address/domain.ts';
import { confirmationOf, readChecks, type Confirmation } from '../../core/message/authentication.ts';

const read = (...values: string[]) =>
  readChecks(values.map((value) => ({ key: 'authentication-results', value })));

/** Examples of RFC 8601, appendix B, written down from memory. */
describe('RFC 8601 appendix B', () => {
  it('B.2: a server that checked nothing', () => {
    expect(read('example.org 1; none')).to.deep.equal([{ by: 'example.org', results: [], adjoins: false }]);
  });
  it('B.3: one check', () => {
    expect(read('example.com; spf=pass smtp.mailfrom=example.net')[0]).to.deep.include({
      by: 'example.com',
      results: [{ method: 'spf', result: 'pass', domain: 'example.net' }],
    });
  });
  it('B.4: several, one with a comment', () => {
    expect(
      read(
        'example.com; auth=pass (cram-md5) smtp.auth=sender@example.net; spf=pass smtp.mailfrom=example.net',
      )[0]?.results,
    ).to.deep.equal([
      { method: 'auth', result: 'pass', domain: 'sender@example.net' },
      { method: 'spf', result: 'pass', domain: 'example.net' },
    ]);
  });
  it('B.5: each server writes a header of its own', () => {
    const checks = read(
      'example.com; dkim=pass (good signature) header.d=example.com',
      'example.net; spf=fail smtp.mailfrom=example.com',
    );
    expect(checks.map(({ by }) => by)).to.deep.equal(['example.com', 'example.net']);
  });
  it('B.6: comments wherever they may stand', () => {
    const value =
      'foo.example.net (foobar) 1 (baz);\r\n dkim (Because I like it) / 1 (One yay) = (wait for it) fail\r\n' +
      ' policy (A dot can go here) . (like that) expired\r\n (this surprised me) = (as I wasn’t expecting it) 1362471462';
    expect(read(value)[0]).to.deep.include({
      by: 'foo.example.net',
      results: [{ method: 'dkim', result: 'fail', domain: '' }],
    });
  });
  it('RFC 7208 section 9.1: Received-SPF, as far as it names who looked', () => {
    const value =
      'pass (mybox.example.org: domain of myname@example.com designates 192.0.2.1 as permitted sender)\r\n' +
      ' receiver=mybox.example.org; client-ip=192.0.2.1; envelope-from="myname@example.com"; helo=foo.example.com;';
    expect(readChecks([{ key: 'received-spf', value }])[0]).to.deep.include({
      by: 'mybox.example.org',
      results: [{ method: 'spf', result: 'pass', domain: 'example.com' }],
    });
  });
});

describe('whether the receiving server confirmed the sender', () => {
  const OURS = ['mx.firm.example'];
  const told = (from: string, believed: string[], ...values: string[]): Confirmation =>
    confirmationOf(read(...values), from, believed, sameOrganisation);
  const cases: [what: string, expected: Confirmation, from: string, ...values: string[]][] = [
    ['dmarc passes', 'confirmed', 'ada@fell.example', 'mx.firm.example; dmarc=pass header.from=fell.example'],
    [
      'dmarc fails, whatever else passes',
      'failed',
      'ada@fell.example',
      'mx.firm.example; spf=pass smtp.mailfrom=fell.example; dmarc=fail',
    ],
    [
      'dmarc passes for another domain',
      'absent',
      'ada@fell.example',
      'mx.firm.example; dmarc=pass header.from=evil.example',
    ],
    [
      'a signature of the same organisation',
      'confirmed',
      'ada@mail.fell.co.uk',
      'mx.firm.example; dkim=pass header.d=fell.co.uk',
    ],
    [
      'a signature of somebody else’s',
      'absent',
      'ada@fell.example',
      'mx.firm.example; dkim=pass header.d=evil.example',
    ],
    [
      'the envelope’s domain is another',
      'absent',
      'ada@fell.example',
      'mx.firm.example; spf=pass smtp.mailfrom=x@evil.example',
    ],
    [
      'domains under one public suffix are two',
      'absent',
      'ada@fell.co.uk',
      'mx.firm.example; dkim=pass header.d=evil.co.uk',
    ],
    [
      'spf fails and nothing passes',
      'failed',
      'ada@fell.example',
      'mx.firm.example; spf=softfail smtp.mailfrom=fell.example; dkim=none',
    ],
    [
      'who signed in at the server is who writes',
      'confirmed',
      'ada@fell.example',
      'mx.firm.example; auth=pass smtp.auth=ada@fell.example',
    ],
    [
      'a colleague signed in, not the one who is named',
      'absent',
      'ada@fell.example',
      'mx.firm.example; auth=pass smtp.auth=ben@fell.example',
    ],
    ['nothing found out', 'absent', 'ada@fell.example', 'mx.firm.example; none'],
    [
      'a server nobody knows',
      'absent',
      'ada@fell.example',
      'mx.evil.example; dmarc=pass header.from=fell.example',
    ],
    [
      'the sender’s own claim below what the server found',
      'failed',
      'ada@fell.example',
      'mx.firm.example; dmarc=fail header.from=fell.example',
      'mx.other.example; none',
      'mx.firm.example; dmarc=pass header.from=fell.example',
    ],
    [
      'two headers of the server, one right below the other',
      'confirmed',
      'ada@fell.example',
      'mx.firm.example; spf=fail smtp.mailfrom=list.example',
      'mx.firm.example; dkim=pass header.d=fell.example',
    ],
    ['nobody named as sender', 'absent', '', 'mx.firm.example; dmarc=pass'],
  ];
  for (const [what, expected, from, ...values] of cases)
    it(`${what}: ${expected}`, () => {
      expect(told(from, OURS, ...values)).to.equal(expected);
    });
  it('is not known where no server is believed', () => {
    expect(told('ada@fell.example', [], 'mx.firm.example; dmarc=pass')).to.equal('untold');
  });
});
