import equal from 'fast-deep-equal';
import type { MailingDraft } from '../../contract/index.ts';

/** What two people changed of one draft, put together. */
export interface Together {
  /** What either changed; where both did, what stands here. */
  draft: MailingDraft;
  /** What both changed, and not to the same. */
  both: (keyof MailingDraft)[];
}

/** A draft as it is told to the server: one that does not change under the hand. */
export const copyOf = (draft: MailingDraft): MailingDraft =>
  JSON.parse(JSON.stringify(draft)) as MailingDraft;

/**
 * Puts together what stands here and what a colleague has kept meanwhile, part by part.
 * @param base what both began from
 */
export function together(base: MailingDraft, mine: MailingDraft, theirs: MailingDraft): Together {
  const draft = { ...mine };
  // As it would be sent: what the editor leaves undefined is not there for anybody else.
  const sent = copyOf(mine);
  const both: (keyof MailingDraft)[] = [];
  const take = <K extends keyof MailingDraft>(key: K) => (draft[key] = theirs[key]);
  for (const key of Object.keys(mine) as (keyof MailingDraft)[]) {
    if (equal(theirs[key], base[key]) || equal(theirs[key], sent[key])) continue;
    if (equal(sent[key], base[key])) take(key);
    else both.push(key);
  }
  return { draft, both };
}
