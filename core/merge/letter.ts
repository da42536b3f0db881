import type { Known } from '../facts/catalogue.ts';
import { PICTURE, type DocNode } from './document.ts';
import { fill } from './fill.ts';
import { renderMessage } from './render.ts';

/** A message written to particular people: its own words, the signature below, and what it is about below that. */
export interface Letter {
  body: DocNode;
  /** Blocks of text; none for no signature. */
  signature: readonly DocNode[];
  /** The firm's logo below them, where it stands there. */
  logo?: { hash: string; alt: string; width: number } | null;
  /** The message answered or handed on, under its own heading; empty for none. */
  quoted: string;
  plain: boolean;
}

export interface RenderedLetter {
  text: string;
  /** Null when it is to go as plain text only. */
  html: string | null;
}

/**
 * Renders a letter as plain text and HTML from the same words. The signature stands below the delimiter of
 * RFC 3676 section 4.3 in the plain text, so that readers can tell it apart.
 */
export function renderLetter({ body, signature, logo = null, quoted, plain }: Letter): RenderedLetter {
  const empty: DocNode = { type: 'doc', content: [] };
  const words = renderMessage(empty, body, { words: {} }).text.trimEnd();
  const signed = signature.length
    ? renderMessage(empty, { type: 'doc', content: [...signature] }, { words: {} }).text.trim()
    : '';
  const text = [words, signed && `-- \n${signed}`, quoted].filter(Boolean).join('\n\n');
  if (plain) return { text: `${text}\n`, html: null };
  const below: DocNode[] = [
    ...signature,
    ...(logo ? [{ type: PICTURE, attrs: { ...logo } }] : []),
    ...(quoted ? [{ type: 'blockquote', content: quoted.split(/\n{2,}/).map(paragraph) }] : []),
  ];
  const whole = { ...body, content: [...(body.content ?? []), ...below] };
  return { text: `${text}\n`, html: renderMessage(empty, whole, { words: {} }).html };
}

/** Text as a paragraph, its line ends kept. */
export function paragraph(text: string): DocNode {
  const lines = text.split('\n');
  const content = lines.flatMap((line, index): DocNode[] => [
    ...(index ? [{ type: 'hardBreak' }] : []),
    ...(line ? [{ type: 'text', text: line }] : []),
  ]);
  return content.length ? { type: 'paragraph', content } : { type: 'paragraph' };
}

/** Below an answer: who wrote when, and their words marked as theirs. */
export function quotedAnswer(intro: string, text: string): string {
  return `${intro}\n${text
    .trim()
    .split('\n')
    .map((line) => (line.startsWith('>') ? `>${line}` : `> ${line}`))
    .join('\n')}`;
}

/** `Re: ` or `Fwd: ` before a subject, once. */
export function subjectFor(how: 'reply' | 'all' | 'forward', subject: string): string {
  if (how === 'forward') return /^fwd?:/i.test(subject) ? subject : `Fwd: ${subject}`;
  return /^re:/i.test(subject) ? subject : `Re: ${subject}`;
}

/**
 * What an answer names as its ancestors (RFC 5322 section 3.6.4): the parent's references, or the one
 * message the parent answers where it has none, and the parent itself. Without angle brackets.
 */
export function referencesFor(parent: {
  messageId: string | null;
  references: readonly string[];
  inReplyTo: readonly string[];
}): string[] {
  if (!parent.messageId) return [];
  const before = parent.references.length
    ? parent.references
    : parent.inReplyTo.length === 1
      ? parent.inReplyTo
      : [];
  return [...new Set([...before, parent.messageId])];
}

/** Puts facts in the place of merge fields, for good; what has no value is named in square brackets. */
export function fillIn(
  doc: DocNode,
  known: Known,
  labelOf: (key: string) => string,
): { doc: DocNode; missing: string[] } {
  const filled = fill(doc, known, (field) => `[${labelOf(field)}]`);
  return { doc: filled.doc, missing: [...new Set(filled.missing.map(({ field }) => labelOf(field)))] };
}
