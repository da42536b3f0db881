/** As what a document can be looked at where it is. */
export const LOOKS = ['picture', 'pdf', 'words'] as const;
export type DocumentLook = (typeof LOOKS)[number];

const PICTURE = /^image\/(?:png|jpe?g|gif|webp)$/i;
const WORDS = /^text\/(?:plain|csv|markdown)$/i;

/**
 * As what a document may be looked at, by what it is said to be; null: it can only be taken out. What it is in truth is
 * found out by its bytes before it is shown.
 */
export function lookOf(mimeType: string, filename: string): DocumentLook | null {
  if (/^application\/(?:x-)?pdf$/i.test(mimeType) || /\.pdf$/i.test(filename)) return 'pdf';
  if (PICTURE.test(mimeType) || /\.(?:png|jpe?g|gif|webp)$/i.test(filename)) return 'picture';
  return WORDS.test(mimeType) || /\.(?:docx|txt|csv|md)$/i.test(filename) ? 'words' : null;
}
