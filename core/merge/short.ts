import type { Known } from '../facts/catalogue.ts';
import type { DocNode } from './document.ts';
import { fill, type MissingValue } from './fill.ts';
import { inlineText, withoutLooks } from './plain.ts';

/** A text as it stands in a text message: its lines without their looks, a break between two of them. */
export function renderShort(body: DocNode, known: Known): { text: string; missing: MissingValue[] } {
  const { doc, missing } = fill(body, known);
  const lines = (withoutLooks(doc).content ?? []).map((line) => inlineText(line.content ?? []).trimEnd());
  return {
    text: lines
      .join('\n')
      .replace(/\n{3,}/g, '\n\n')
      .trim(),
    missing,
  };
}
