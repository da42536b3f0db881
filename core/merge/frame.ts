import type { DocNode } from './document.ts';
import { ARTICLE, picturesOf } from './document.ts';

/** What the firm puts around its newsletters: logo or name above, lines below, one colour. */
export interface Frame {
  /** The firm's name: instead of a logo, and as its alternative text. */
  name: string;
  /** A kept picture; `width` in pixels. */
  logo: { hash: string; width: number } | null;
  /** Of the edge, of headings and of links: letters in it can be read on white. */
  colour: string;
  /** Lines below. */
  footer: readonly string[];
}

/** The pictures that a message carries, its frame's among them; each once. */
export function picturesWith(doc: DocNode, frame: Frame | null): string[] {
  return [...new Set([...picturesOf(doc), ...(frame?.logo ? [frame.logo.hash] : [])])];
}

/** A text as an article within another. */
export function asArticle(body: DocNode): DocNode {
  return { type: ARTICLE, attrs: { beside: false }, content: body.content ?? [{ type: 'paragraph' }] };
}
