import type { Knex } from 'knex';
import type { z } from 'zod';
import type { FrameLook, FrameSettings } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { asArticle } from '../../core/merge/frame.ts';
import { renderMessage } from '../../core/merge/render.ts';
import { frameOf, readFirm } from '../foundation/firm.ts';
import { picturesFor, withPictures } from './pictures.ts';

const text = (words: string): DocNode => ({ type: 'text', text: words });
const paragraph = (...content: DocNode[]): DocNode => ({ type: 'paragraph', content });
const article = (heading: string, words: string): DocNode =>
  asArticle({
    type: 'doc',
    content: [
      { type: 'heading', attrs: { level: 2 }, content: [text(heading)] },
      paragraph(text(words)),
      paragraph({
        ...text('Read on'),
        marks: [{ type: 'link', attrs: { href: 'https://example.org/' } }],
      }),
    ],
  });

/** What a frame is looked at with before there is a newsletter. */
const SAMPLE: DocNode = {
  type: 'doc',
  content: [
    paragraph(text('A few words to begin with, as every reader has them before the articles.')),
    article('The heading of an article', 'What it is about, in two or three sentences, with a link below.'),
    article('Another one', 'A line parts it from the one above.'),
  ],
};

/** How a frame looks before it is kept, around words that stand for a newsletter. */
export async function tryFrame(
  db: Knex,
  tried: z.output<typeof FrameSettings>,
): Promise<z.output<typeof FrameLook>> {
  const { name } = await readFirm(db);
  const frame = frameOf({ name, frame: tried });
  const { html } = renderMessage({ type: 'doc' }, SAMPLE, { words: {} }, { frame });
  return { html: withPictures(html, await picturesFor(db, SAMPLE, frame)) };
}
