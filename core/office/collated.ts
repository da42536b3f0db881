/** Text as the database compares it (utf8mb4_unicode_ci): without case, accents, and blanks at its ends. */
export function collated(text: string): string {
  return text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase().trim();
}
