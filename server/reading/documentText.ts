import { spawn } from 'node:child_process';
import { decodeText } from '../../core/message/charset.ts';
import { CouldNotBeRead, pool } from './pool.ts';

/** So much of a document's text is kept, in letters. */
const MOST_TEXT = 200_000;
/** What reading one PDF may cost: memory in bytes, seconds of work, pages; and how long it is waited for, in milliseconds. */
const LIMITS = { memory: 768 * 1024 * 1024, work: 15, pages: 100, wait: 20_000 };

const WORD = /^application\/vnd\.openxmlformats-officedocument\.wordprocessingml\./;

/**
 * The words of a document, as far as they can be read: of a PDF, a word-processor file (.docx) or a text; empty of
 * anything else, and of what cannot be read within its limits. Never throws for what it holds.
 */
export async function documentText(
  content: Uint8Array,
  { filename, mimeType }: { filename: string; mimeType: string },
): Promise<string> {
  const begins = Buffer.from(content.subarray(0, 1024)).toString('latin1');
  const text = begins.includes('%PDF-')
    ? await textOfPdf(content)
    : begins.startsWith('PK') && (WORD.test(mimeType) || /\.docx$/i.test(filename))
      ? await textOfWord(content)
      : mimeType.startsWith('text/')
        ? decodeText(content.subarray(0, MOST_TEXT * 4))
        : '';
  return text.slice(0, MOST_TEXT);
}

async function textOfWord(content: Uint8Array): Promise<string> {
  try {
    return await pool.run('wordText', [content], { urgent: false });
  } catch (error) {
    if (error instanceof CouldNotBeRead) return '';
    throw error;
  }
}

/** Read by poppler in a process of its own, which may take so much and no more; without it nothing is read. */
function textOfPdf(content: Uint8Array): Promise<string> {
  const { memory, work, pages, wait } = LIMITS;
  const limits = [`--as=${memory}`, `--cpu=${work}`];
  const command = ['pdftotext', '-q', '-enc', 'UTF-8', '-l', String(pages), '-', '-'];
  return new Promise((resolve) => {
    const child = spawn('prlimit', [...limits, ...command], { stdio: ['pipe', 'pipe', 'ignore'] });
    const said: Buffer[] = [];
    let length = 0;
    const end = () => {
      clearTimeout(timer);
      resolve(Buffer.concat(said).toString('utf8'));
    };
    const timer = setTimeout(() => child.kill('SIGKILL'), wait);
    child.on('error', end);
    child.on('close', end);
    child.stdout.on('data', (part: Buffer) => {
      said.push(part);
      length += part.length;
      if (length > MOST_TEXT * 4) child.kill('SIGKILL');
    });
    // It may end before it has taken all.
    child.stdin.on('error', () => undefined);
    child.stdin.end(content);
  });
}
