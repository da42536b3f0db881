/**
 * Mail that means to stop whoever reads it, each kind in any size: to be varied, since others of the same
 * kind will be tried. A head is put before what each makes.
 */
const fill = (piece: string, length: number) =>
  piece.repeat(Math.max(1, Math.ceil(length / piece.length))).slice(0, length);
const inHeader = (name: string, value: (length: number) => string) => (length: number) =>
  `${name}: ${value(length)}\r\nSubject: x\r\n\r\nhello`;
const asText = (value: (length: number) => string) => (length: number) =>
  `Subject: x\r\nContent-Type: text/plain\r\n\r\n${value(length)}`;
const asHtml = (value: (length: number) => string) => (length: number) =>
  `Subject: x\r\nContent-Type: text/html\r\n\r\n${value(length)}`;
const inPart = (length: number, type: string, piece: string) =>
  `Content-Type: ${type}; boundary=b\r\nSubject: x\r\n\r\n${fill(piece, length)}\r\n--b--`;

export const ATTACKS: Readonly<Record<string, (length: number) => string>> = {
  'a bracket and blanks in References': inHeader('References', (n) => `<${fill(' ', n)}x`),
  'a bracket and blanks in In-Reply-To': inHeader('In-Reply-To', (n) => `<a${fill(' ', n)}x`),
  'folded blanks in Message-ID': inHeader(
    'X-Before',
    (n) => `a\r\nMessage-ID: <${fill(`${' '.repeat(60)}\r\n`, n)} x`,
  ),
  'very many References': inHeader('References', (n) =>
    Array.from({ length: Math.ceil(n / 14) }, (_, index) => `<${index}@a.b>`).join('\r\n '),
  ),
  'marks in the subject': (n) => `Subject: ${fill('[a]', n)}x\r\n\r\nhello`,
  'forwards in the subject': (n) => `Subject: ${fill('[fwd:', n)}\r\n\r\nhello`,
  'encoded words': (n) => `Subject: ${fill('=?utf-8?q?a?= ', n)}\r\n\r\nhello`,
  'brackets in the date': inHeader('X-Before', (n) => `a\r\nDate: ${fill('(', n)}`),
  'comments in an address': inHeader('Cc', (n) => `<a${fill('(', n / 2)}${fill(')', n / 2)}@b>`),
  'groups in groups': inHeader('Cc', (n) => fill('g:', n)),
  'quotation marks in Cc': inHeader('Cc', (n) => fill('"\\', n)),
  'a list of addresses': inHeader('Cc', (n) => fill('a@b.example, ', n)),
  'results of checks': inHeader('Authentication-Results', (n) => `mx.a;${fill(' dkim=pass (', n)}`),
  'an address in a forward': asText(
    (n) => `see\n\nFrom: ${fill('[a@', n)}\nTo: x@y.example\nSubject: s\n\nhi`,
  ),
  'blanks after a closing': asText((n) => `hello\n${fill(`best${' '.repeat(1900)}x\n`, n)}`),
  'a report on very many addresses': (n) =>
    `From: mailer-daemon@x.example\r\nSubject: failure notice\r\n\r\nnot delivered\r\n${fill('<a@b.cc> 550 ', n)}`,
  'a report without an end': (n) =>
    `From: mailer-daemon@x.example\r\nSubject: failure notice\r\n\r\nnot delivered\r\n${fill(`${'a@b.'.repeat(400)}\r\n`, n)}`,
  'introductions that go on': asText((n) => fill('On 3 May 2026 at 10:12, Ann <a@b.example> wrote\n', n)),
  'heads without a message': asText((n) => fill('From: a\nTo: b\n\n', n)),
  'quotation signs': asText((n) => fill('> \n', n)),
  'empty lines': asText((n) => `hello\nBest\nAda\n\n${fill('\n \n', n)}`),
  'lines like headers': asText((n) => fill('Name: value\n', n)),
  introductions: asText((n) => fill(`On ${'wrote '.repeat(20)}\n`, n)),
  'question marks': asText((n) => fill('? ', n)),
  'one long word': asText((n) => fill('a', n)),
  'numbers nearly of files': asText((n) => fill('QL-1000', n)),
  'elements in each other': asHtml((n) => fill('<div>', n)),
  'ends of nothing': asHtml((n) => fill('<div>', n / 2) + fill('</span>', n / 2)),
  'tables in tables': asHtml((n) => fill('<table><tr><td>', n)),
  'lists in lists': asHtml((n) => fill('<ul><li>', n)),
  'a row of cells': asHtml((n) => `<table><tr>${fill('<td>', n)}`),
  'cells that span a thousand': asHtml(
    (n) => `<table>${fill('<tr><td colspan=1000 rowspan=1000>a</td></tr>', n)}`,
  ),
  'a cell that spans a billion': asHtml(
    () => '<table><tr><td colspan=1000000000 rowspan=1000000000>a</td></tr></table>',
  ),
  'pictures begun': asHtml((n) => fill('<img ', n)),
  'a picture without an end': asHtml((n) => `<img src=${fill(' ', n)}`),
  styles: asHtml((n) => fill('<b style="color:red">x</b>', n)),
  'a malformed picture': asHtml(() => '<img src="cid:100%x"><img src="cid:%E0%A4%A">'),
  'signs of less': asHtml((n) => fill('<', n)),
  entities: asHtml((n) => fill('&amp;', n)),
  'empty parts': (n) => inPart(n, 'multipart/mixed', '--b\r\n\r\n\r\n'),
  'enclosures without anything': (n) =>
    inPart(n, 'multipart/mixed', '--b\r\nContent-Disposition: attachment; filename=a\r\n\r\n\r\n'),
  'messages in a message': (n) =>
    inPart(n, 'multipart/mixed', '--b\r\nContent-Type: message/rfc822\r\n\r\nSubject: y\r\n\r\ny\r\n'),
  'blank texts with names': (n) =>
    inPart(n, 'multipart/mixed', '--b\r\nContent-Type: text/plain; name=a\r\n\r\n \r\n'),
  'ways of saying it': (n) =>
    inPart(n, 'multipart/alternative', '--b\r\nContent-Type: text/html\r\n\r\n<p>y\r\n'),
  'all but a boundary': (n) => inPart(n, 'multipart/mixed', '--bb\r\n'),
  'lines that flow': (n) =>
    `Content-Type: text/plain; format=flowed\r\nSubject: x\r\n\r\n${fill('> y \r\n>> y \r\n', n)}`,
  'a name in pieces': (n) =>
    `Content-Type: multipart/mixed; boundary=b\r\nSubject: x\r\n\r\n--b\r\nContent-Type: a/b; ${fill('name*0*=x;', n)}\r\n\r\nx\r\n--b--`,
  'recipients of a report': (n) =>
    `Content-Type: multipart/report; report-type=delivery-status; boundary=b\r\nSubject: x\r\n\r\n--b\r\nContent-Type: message/delivery-status\r\n\r\n${fill('Final-Recipient: rfc822;a@b.example\r\nAction: failed\r\nStatus: 5.1.1\r\n\r\n', n)}\r\n--b--`,
  headers: (n) => `${fill('X: y\r\n', n)}Subject: x\r\n\r\nhello`,
  'accents in addresses': () =>
    'To: anna@client.example, \u00e4nna@client.example, strasse@x.example, stra\u00dfe@x.example\r\nSubject: x\r\n\r\nhello',
};
