import { fileTypeFromBuffer } from 'file-type';
import { imageSize } from 'image-size';
import { Refusal } from '../foundation/refusal.ts';
import { documentText } from '../reading/documentText.ts';
import { framePage, plainAsHtml } from '../security/html.ts';

/** Pictures that a browser shows; everything else that calls itself one might be anything. */
const SHOWN = new Set(['image/png', 'image/jpeg', 'image/gif', 'image/webp']);
/** Larger ones, in bytes and in picture elements, would cost whoever looks at them their browser. */
const MOST_BYTES = 20 * 1024 * 1024;
const MOST_PIXELS = 60_000_000;

/** Something to be looked at where it is. */
export interface Looked {
  filename: string;
  mimeType: string;
  content: Uint8Array;
}

/**
 * The page that shows a picture, or the words of a document, within a sandboxed frame.
 * @throws Refusal when it is neither, or too large to be shown
 */
export async function lookPage(looked: Looked): Promise<string> {
  const found = await fileTypeFromBuffer(looked.content).catch(() => undefined);
  if (found && SHOWN.has(found.mime)) return picturePage(looked, found.mime);
  const words = await documentText(looked.content, looked);
  if (!words.trim())
    throw new Refusal(
      415,
      'It is nothing that can be shown here. Save it, and open it with a program for it.',
    );
  return framePage(plainAsHtml(words));
}

function picturePage({ content, filename }: Looked, mime: string): string {
  if (content.length > MOST_BYTES) throw tooLarge();
  const { width, height } = sizeOf(content);
  if (width * height > MOST_PIXELS) throw tooLarge();
  const alt = filename.replace(/[&<>"]/g, ' ');
  return framePage(
    `<img src="data:${mime};base64,${Buffer.from(content).toString('base64')}" alt="${alt}" style="display:block;margin:auto">`,
  );
}

function sizeOf(content: Uint8Array): { width: number; height: number } {
  try {
    return imageSize(content);
  } catch {
    throw new Refusal(415, 'That picture is damaged. Save it, and try it with another program.');
  }
}

function tooLarge(): Refusal {
  return new Refusal(
    413,
    'That picture is too large to be shown here. Save it, and open it with a program for pictures.',
  );
}
