import type { Occasion, WordingKind } from '../../contract/index.ts';

/** What a template serves by default, in words. */
export const OCCASIONS: Record<Occasion, string> = {
  'file opened': 'a file opened',
  'document shared': 'a document shared',
  'fee note sent': 'a fee note sent',
  'answer owed': 'an answer owed',
  'client welcomed': 'a new client welcomed',
  'client leaving': 'a client leaving',
};

export const KINDS: Record<Exclude<WordingKind, 'note'>, { one: string; many: string }> = {
  template: { one: 'Template', many: 'Templates' },
  article: { one: 'Article', many: 'Articles' },
  paragraph: { one: 'Paragraph', many: 'Paragraphs' },
  enclosure: { one: 'Enclosure', many: 'Enclosures' },
  signature: { one: 'Signature', many: 'Signatures' },
};
