/** What the frame that shows a PDF tells the page around it. */
export type Shown =
  { ready: true } | { shown: true; pages: number } | { shown: false; why: 'locked' | 'damaged' };
