import { expect } from 'chai';
import JSZip from 'jszip';
import { documentText } from '../../server/reading/documentText.ts';
import { pdfOf } from './papers.ts';

const WORD = 'application/vnd.openxmlformats-officedocument.wordprocessingml.document';

/** A word-processor file as small as ECMA-376 part 1 allows (11.3.10, annex L: its first examples), with these runs. */
async function wordFile(
  runs: readonly string[],
  more: Record<string, string | Buffer> = {},
): Promise<Buffer> {
  const zip = new JSZip();
  zip.file(
    '[Content_Types].xml',
    `<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/word/document.xml" ContentType="${WORD}.main+xml"/></Types>`,
  );
  zip.file(
    '_rels/.rels',
    '<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>',
  );
  const body = runs.map((text) => `<w:r><w:t xml:space="preserve">${text}</w:t></w:r>`).join('');
  zip.file(
    'word/document.xml',
    `<?xml version="1.0" encoding="UTF-8"?><w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:body><w:p>${body}</w:p></w:body></w:document>`,
  );
  for (const [name, content] of Object.entries(more)) zip.file(name, content);
  return zip.generateAsync({ type: 'nodebuffer', compression: 'DEFLATE' });
}

describe('the words of a document', () => {
  const read = (content: Buffer, filename: string, mimeType = 'application/octet-stream') =>
    documentText(content, { filename, mimeType });

  it('are read of a PDF, whatever it is said to be', async () => {
    expect(await read(await pdfOf('The wood of QL-24052, Łódź'), 'map.bin')).to.contain(
      'The wood of QL-24052, Łódź',
    );
  });

  it('are read of a word-processor file, across the runs that its words are split into', async () => {
    const file = await wordFile(['The wood of QL-', '240', '52 &amp; its &#x141;ane']);
    expect(await read(file, 'letter.docx')).to.contain('The wood of QL-24052 & its Łane');
    expect(await read(file, 'letter', WORD)).to.contain('QL-24052');
    // Not of any archive.
    expect(await read(file, 'letter.zip', 'application/zip')).to.equal('');
  });

  it('are read of a text, and of nothing else', async () => {
    expect(await read(Buffer.from('QL-24052'), 'a.csv', 'text/csv')).to.equal('QL-24052');
    expect(await read(Buffer.from([0xff, 0xd8, 0xff, 0xe0]), 'a.jpg', 'image/jpeg')).to.equal('');
    expect(await read(Buffer.alloc(0), 'nothing')).to.equal('');
  });

  it('are not waited for where a file is broken, or comes to more than a document would', async () => {
    const started = Date.now();
    const bomb = await wordFile(['x'], { 'word/media/image1.png': Buffer.alloc(120 * 1024 * 1024) });
    expect(bomb.length).to.be.lessThan(1024 * 1024);
    expect(await read(bomb, 'bomb.docx')).to.equal('');
    // One that says of itself that it is small (the sizes of its directory are false).
    const liar = await wordFile(['x'], { 'word/media/image1.png': Buffer.alloc(90 * 1024 * 1024) });
    const at = liar.lastIndexOf(Buffer.from('504b0102', 'hex'));
    liar.writeUInt32LE(10, at + 24);
    expect(await read(liar, 'liar.docx')).to.equal('');
    expect(await read(Buffer.from('PK\u0003\u0004 and nothing more'), 'broken.docx')).to.equal('');
    expect(await read(Buffer.from('%PDF-1.7\n1 0 obj << /Length 9 >> stream'), 'broken.pdf')).to.equal('');
    expect(Date.now() - started).to.be.lessThan(30_000);
  });
});
