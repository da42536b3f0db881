import { expect } from 'chai';
import { readDeliveryStatus, returnKind, returnWords } from '../../core/delivery/report.ts';
import { readMessage } from '../../core/message/read.ts';

/** RFC 3464 appendix E: the example reports. */
const E1 = [
  'Date: Thu, 7 Jul 1994 17:16:05 -0400',
  'From: Mail Delivery Subsystem <MAILER-DAEMON@CS.UTK.EDU>',
  'Message-Id: <199407072116.RAA14128@CS.UTK.EDU>',
  'Subject: Returned mail: Cannot send message for 5 days',
  'To: <owner-info-mime@cs.utk.edu>',
  'MIME-Version: 1.0',
  'Content-Type: multipart/report; report-type=delivery-status;',
  '      boundary="RAA14128.773615765/CS.UTK.EDU"',
  '',
  '--RAA14128.773615765/CS.UTK.EDU',
  '',
  'The original message was received at Sat, 2 Jul 1994 17:10:28 -0400',
  'from root@localhost',
  '',
  '   ----- The following addresses had delivery problems -----',
  '<louisl@larry.slip.umd.edu>  (unrecoverable error)',
  '',
  '--RAA14128.773615765/CS.UTK.EDU',
  'content-type: message/delivery-status',
  '',
  'Reporting-MTA: dns; cs.utk.edu',
  '',
  'Original-Recipient: rfc822;louisl@larry.slip.umd.edu',
  'Final-Recipient: rfc822;louisl@larry.slip.umd.edu',
  'Action: failed',
  'Status: 4.0.0',
  'Diagnostic-Code: smtp; 426 connection timed out',
  'Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400',
  '',
  '--RAA14128.773615765/CS.UTK.EDU',
  'content-type: message/rfc822',
  '',
  'Message-ID: <original@cs.utk.edu>',
  'Subject: the original',
  '',
  'words',
  '--RAA14128.773615765/CS.UTK.EDU--',
  '',
].join('\r\n');

const E2 = [
  'Reporting-MTA: dns; cs.utk.edu',
  '',
  'Original-Recipient: rfc822;arathib@vnet.ibm.com',
  'Final-Recipient: rfc822;arathib@vnet.ibm.com',
  'Action: failed',
  'Status: 5.0.0 (permanent failure)',
  "Diagnostic-Code: smtp; 550 'arathib@vnet.IBM.COM' is not a",
  ' registered gateway user',
  'Remote-MTA: dns; vnet.ibm.com',
  '',
  'Original-Recipient: rfc822;johnh@hpnjld.njd.hp.com',
  'Final-Recipient: rfc822;johnh@hpnjld.njd.hp.com',
  'Action: delayed',
  'Status: 4.0.0 (hpnjld.njd.jp.com: host name lookup failure)',
  '',
  'Original-Recipient: rfc822;wsnell@sdcc13.ucsd.edu',
  'Final-Recipient: rfc822;wsnell@sdcc13.ucsd.edu',
  'Action: failed',
  'Status: 5.0.0',
  'Diagnostic-Code: smtp; 550 user unknown',
  'Remote-MTA: dns; sdcc13.ucsd.edu',
  '',
].join('\n');

describe('RFC 3464: delivery status reports', () => {
  it('reads the simple report of appendix E.1, and finds the original in it', async () => {
    const read = await readMessage(Buffer.from(E1));
    expect(read.automatic).to.equal('report');
    expect(read.report).to.deep.equal({
      recipients: [
        {
          address: 'louisl@larry.slip.umd.edu',
          action: 'failed',
          status: '4.0.0',
          diagnostic: '426 connection timed out',
        },
      ],
      originalMessageId: 'original@cs.utk.edu',
    });
  });

  it('reads the report on several recipients of appendix E.2', () => {
    expect(readDeliveryStatus(E2)).to.deep.equal([
      {
        address: 'arathib@vnet.ibm.com',
        action: 'failed',
        status: '5.0.0',
        diagnostic: "550 'arathib@vnet.IBM.COM' is not a registered gateway user",
      },
      { address: 'johnh@hpnjld.njd.hp.com', action: 'delayed', status: '4.0.0', diagnostic: '' },
      {
        address: 'wsnell@sdcc13.ucsd.edu',
        action: 'failed',
        status: '5.0.0',
        diagnostic: '550 user unknown',
      },
    ]);
  });

  it('knows hard from soft by the classes of RFC 3463', () => {
    expect(returnKind('5.1.1')).to.equal('hard');
    expect(returnKind('4.4.1')).to.equal('soft');
    expect(returnKind('5.2.2')).to.equal('soft');
    expect([returnWords('5.1.1'), returnWords('4.2.2'), returnWords('5.7.1'), returnWords('')]).to.deep.equal(
      [
        'the address does not exist',
        'the mailbox is full',
        'their server refused it by policy',
        'it could not be delivered',
      ],
    );
  });
});

describe('RFC 3834, 2369 and 2919: mail made by machines', () => {
  const kind = async (...headers: string[]) =>
    (await readMessage(Buffer.from(`${headers.join('\r\n')}\r\n\r\nx\r\n`))).automatic;
  it('tells automatic answers by Auto-Submitted, with or without parameters', async () => {
    expect(await kind('Auto-Submitted: auto-replied')).to.equal('reply');
    expect(await kind('Auto-Submitted: auto-replied; owner-email="a@b.example"')).to.equal('reply');
    expect(await kind('Auto-Submitted: auto-generated')).to.equal('notice');
    expect(await kind('Auto-Submitted: auto-generated', 'In-Reply-To: <a@b.example>')).to.equal('reply');
    expect(await kind('Auto-Submitted: no')).to.equal(null);
  });
  it('tells lists by List-Id, List-Unsubscribe and the older Precedence', async () => {
    expect(await kind('List-Id: List Header Mailing List <list-header.nisto.com>')).to.equal('list');
    expect(await kind('List-Unsubscribe: <mailto:list-manager@host.com?body=unsubscribe%20list>')).to.equal(
      'list',
    );
    expect(await kind('Precedence: bulk')).to.equal('list');
    expect(await kind('From: a@b.example')).to.equal(null);
  });
});
