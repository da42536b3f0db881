import equal from 'fast-deep-equal';
import type { MailingDraft } from '../../contract/index.ts';

/** What two people changed of one draft, put together. */
export interface Together {
  /** What either changed; where both did, what stands here. */
  draft: MailingDraft;
  /** What both changed, and not to the same. */
  both: (keyof MailingDraft)[];
}

/**
 * Puts together what stands here and what a colleague has kept meanwhile, part by part.
 * @param base what both began from
 */
export function together(base: MailingDraft, mine: MailingDraft, theirs: MailingDraft): Together {
  const draft = { ...mine };
  const both: (keyof MailingDraft)[] = [];
  const take = <K extends keyof MailingDraft>(key: K) => (draft[key] = theirs[key]);
  for (const key of Object.keys(mine) as (keyof MailingDraft)[]) {
    if (equal(theirs[key], base[key]) || equal(theirs[key], mine[key])) continue;
    if (equal(mine[key], base[key])) take(key);
    else both.push(key);
  }
  return { draft, both };
}
