import type { DocNode } from './document.ts';

/** Colours of letters that can be read on white and on the colours they are marked with (WCAG 2.2, 1.4.3: 4.5 to 1). */
export const LETTER_COLOURS = [
  { value: '#1F5547', words: 'Spruce' },
  { value: '#A33B2A', words: 'Brick' },
  { value: '#2F4A7D', words: 'Indigo' },
  { value: '#7A5208', words: 'Ochre' },
  { value: '#55625D', words: 'Grey' },
] as const;

/** Colours to mark words with. */
export const MARK_COLOURS = [
  { value: '#F3E3B0', words: 'Straw' },
  { value: '#DCEBE3', words: 'Spruce, pale' },
  { value: '#F4DCD6', words: 'Brick, pale' },
] as const;

/** Sizes of letters; none said is the usual one. */
export const LETTER_SIZES = [
  { value: '13px', words: 'Small' },
  { value: '20px', words: 'Large' },
  { value: '26px', words: 'Very large' },
] as const;

export const ALIGNMENTS = ['left', 'center', 'right'] as const;

/** A colour that a text may say, whoever wrote it; null for anything else. */
export function colourOf(said: unknown): string | null {
  return typeof said === 'string' && /^#[0-9a-f]{6}$/i.test(said) ? said : null;
}

export function sizeOf(said: unknown): string | null {
  return LETTER_SIZES.find(({ value }) => value === said)?.value ?? null;
}

/** How a block stands, where it is said; the usual is left. */
export function alignOf({ attrs }: DocNode): string | null {
  const said = attrs?.textAlign;
  return ALIGNMENTS.find((each) => each === said && each !== 'left') ?? null;
}

/**
 * How letters of a colour stand out on white: the contrast ratio of WCAG 2.2, from 1 to 21.
 * @param colour `#rrggbb`
 */
export function contrastOnWhite(colour: string): number {
  const [r = 0, g = 0, b = 0] = [1, 3, 5].map((at) => {
    const part = Number.parseInt(colour.slice(at, at + 2), 16) / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  });
  return 1.05 / (0.2126 * r + 0.7152 * g + 0.0722 * b + 0.05);
}

/** Letters of this size are to have at least this contrast (WCAG 2.2, 1.4.3). */
export const LEAST_CONTRAST = 4.5;
