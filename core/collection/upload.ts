import { cut } from '../message/limits.ts';

/** No single thing may be larger, in bytes. */
export const MOST_UPLOAD = 20 * 1024 * 1024;
/** So many may wait on one page to be looked at, and so many bytes. */
export const MOST_WAITING = 30;
export const MOST_WAITING_BYTES = 120 * 1024 * 1024;

/** What a client may put on their page, by what its bytes are, and by which endings such files go. */
const TAKEN: Readonly<Record<string, readonly string[]>> = {
  'application/pdf': ['pdf'],
  'image/jpeg': ['jpg', 'jpeg'],
  'image/png': ['png'],
  'image/gif': ['gif'],
  'image/webp': ['webp'],
  'image/heic': ['heic'],
  'image/heif': ['heif'],
  'image/tiff': ['tif', 'tiff'],
  'application/vnd.openxmlformats-officedocument.wordprocessingml.document': ['docx'],
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet': ['xlsx'],
  'application/vnd.oasis.opendocument.text': ['odt'],
  'application/vnd.oasis.opendocument.spreadsheet': ['ods'],
  'text/plain': ['txt', 'csv'],
};

/** In words, for whoever is about to choose. */
export const TAKEN_WORDS = 'PDFs, pictures, plain text, and documents and tables of a word processor';

/** What is to be judged. */
export interface Upload {
  filename: string;
  /** In bytes. */
  size: number;
  /** What its first bytes say it is; null where they say nothing. */
  found: string | null;
  /** It is text throughout: valid UTF-8 without control characters. */
  text: boolean;
}

export type Judged = { taken: true; filename: string; mimeType: string } | { taken: false; why: string };

/**
 * Whether something may be put on a page: what it is is told by its bytes alone, and its name is made to say the same,
 * so that nothing is opened as what it is not.
 */
export function judgeUpload({ filename, size, found, text }: Upload): Judged {
  if (size > MOST_UPLOAD) return { taken: false, why: 'It is larger than 20 MB. Send a smaller one.' };
  if (!size) return { taken: false, why: 'It is empty.' };
  const mimeType = found ?? (text ? 'text/plain' : null);
  const endings = mimeType === null ? undefined : TAKEN[mimeType];
  if (mimeType === null || !endings)
    return { taken: false, why: `That kind of file is not taken here: only ${TAKEN_WORDS}.` };
  const name = plainName(filename);
  const ending = /\.([a-z0-9]{1,8})$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  // What claims to be text and is a page or a script is not taken for text.
  if (mimeType === 'text/plain' && ending && !endings.includes(ending))
    return { taken: false, why: `That kind of file is not taken here: only ${TAKEN_WORDS}.` };
  return {
    taken: true,
    mimeType,
    filename: endings.includes(ending) ? name : `${cut(name, 240)}.${endings[0]}`,
  };
}

/** A name without a path, marks that turn the direction of writing, or other control characters. */
export function plainName(filename: string): string {
  return (
    cut(
      filename
        .replace(/[\p{Cc}\p{Cf}\p{Cs}/\\<>:"|?*]/gu, ' ')
        .replace(/\s{2,}/g, ' ')
        .replace(/^[. ]+/, '')
        .trim(),
      250,
    ).trim() || 'document'
  );
}

/** Whether bytes are text throughout, by their first piece. @param head of valid UTF-8, decoded */
export function isText(head: string): boolean {
  return !/[\u0000-\u0008\u000b\u000e-\u001f\u007f\ufffd]/.test(head);
}
