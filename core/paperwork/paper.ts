/** Millimetres as points, in which pages are measured (a point is 1/72 of an inch). */
export const mm = (millimetres: number): number => (millimetres / 25.4) * 72;

/** Sizes of sheets in millimetres (ISO 216). */
export const SHEETS = {
  A4: { width: 210, height: 297 },
  A5: { width: 148, height: 210 },
} as const;

/** Sizes of envelopes in millimetres (ISO 269), and into how many parts an A4 sheet is folded for them. */
export const ENVELOPES = {
  DL: { width: 220, height: 110, folded: 3 },
  C5: { width: 229, height: 162, folded: 2 },
  C4: { width: 324, height: 229, folded: 1 },
} as const;

/**
 * Where an address stands on a sheet so that the window of an envelope shows it, in millimetres from the left and top of
 * an A4 sheet: zones of 85 by 45 mm, the line of the sender in the uppermost 5 of them, as DIN 5008 has them for windows
 * of 90 by 45 mm in DL and C5 (its forms A and B; from memory, as is the one at the right, which is common practice where
 * windows stand there).
 */
export const WINDOWS = {
  'left, high': { left: 20, top: 27, width: 85, height: 45, text: 80, folds: [87, 192] },
  left: { left: 20, top: 45, width: 85, height: 45, text: 98.5, folds: [105, 210] },
  right: { left: 110, top: 45, width: 85, height: 45, text: 98.5, folds: [105, 210] },
} as const;
export type Window = keyof typeof WINDOWS;
export const WINDOW_NAMES = ['left', 'left, high', 'right'] as const satisfies readonly Window[];

/** The firm's letter paper: what stands on each letter beside its words. */
export interface Paper {
  /** The firm's name, as it stands above the address and, without a logo, at the top. */
  name: string;
  /** Postal address, lines. */
  postal: readonly string[];
  /** Telephone, email, web: lines at the right. */
  reach: readonly string[];
  /** A kept picture; `width` in millimetres. */
  logo: { hash: string; width: number } | null;
  /** Of name and rules, `#rrggbb`. */
  colour: string;
  /** Lines at the foot of the first page: bank, registration, tax number. */
  foot: readonly string[];
  window: Window;
  /** Whether small marks show where to fold. */
  foldMarks: boolean;
}

/** Lines of an address that fit into the window. */
export const MOST_ADDRESS_LINES = 7;
