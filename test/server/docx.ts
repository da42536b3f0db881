import JSZip from 'jszip';

const W = 'http://schemas.openxmlformats.org/wordprocessingml/2006/main';
const TYPE = 'application/vnd.openxmlformats-officedocument.wordprocessingml';
const RELATIONSHIP = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';

export const text = (words: string) => `<w:r><w:t xml:space="preserve">${words}</w:t></w:r>`;
export const field = (instruction: string) =>
  `<w:fldSimple w:instr="${instruction.replaceAll('"', '&quot;')}">${text('«x»')}</w:fldSimple>`;
export const para = (...inner: string[]) => `<w:p>${inner.join('')}</w:p>`;
export const cell = (inner: string) =>
  `<w:tc><w:tcPr><w:tcW w:w="2400" w:type="dxa"/></w:tcPr>${inner}</w:tc>`;
export const table = (...rows: string[]) =>
  `<w:tbl><w:tblPr><w:tblW w:w="0" w:type="auto"/></w:tblPr><w:tblGrid><w:gridCol w:w="2400"/><w:gridCol w:w="2400"/></w:tblGrid>${rows.map((row) => `<w:tr>${row}</w:tr>`).join('')}</w:tbl>`;

/** Further parts of a document, its relationships, and what its main part is said to be. */
export interface DocxExtras {
  parts?: Record<string, string | Buffer>;
  types?: string;
  relationships?: string;
  main?: string;
  header?: string;
}

/** A word-processor document with these paragraphs (ECMA-376 part 2: package). */
export async function docxOf(
  body: string,
  { parts = {}, types = '', relationships = '', main, header }: DocxExtras = {},
): Promise<Buffer> {
  const zip = new JSZip();
  const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>';
  const withHeader =
    header === undefined ? '' : `<Override PartName="/word/header1.xml" ContentType="${TYPE}.header+xml"/>`;
  zip.file(
    '[Content_Types].xml',
    `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="${main ?? `${TYPE}.document.main+xml`}"/>${withHeader}${types}</Types>`,
  );
  zip.file(
    '_rels/.rels',
    `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="${RELATIONSHIP}/officeDocument" Target="word/document.xml"/></Relationships>`,
  );
  const ofHeader =
    header === undefined ? '' : `<Relationship Id="h1" Type="${RELATIONSHIP}/header" Target="header1.xml"/>`;
  zip.file(
    'word/_rels/document.xml.rels',
    `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${ofHeader}${relationships}</Relationships>`,
  );
  if (header !== undefined) zip.file('word/header1.xml', `${head}<w:hdr xmlns:w="${W}">${header}</w:hdr>`);
  const section = header === undefined ? '' : '<w:headerReference w:type="default" r:id="h1"/>';
  zip.file(
    'word/document.xml',
    `${head}<w:document xmlns:w="${W}" xmlns:r="${RELATIONSHIP}"><w:body>${body}<w:sectPr>${section}<w:pgSz w:w="11906" w:h="16838"/></w:sectPr></w:body></w:document>`,
  );
  for (const [name, content] of Object.entries(parts)) zip.file(name, content);
  return zip.generateAsync({ type: 'nodebuffer', compression: 'DEFLATE' });
}

/** A relationship of a document. */
export const relationship = (kind: string, target: string, external = false) =>
  `<Relationship Id="x${kind}" Type="${RELATIONSHIP}/${kind}" Target="${target}"${external ? ' TargetMode="External"' : ''}/>`;
