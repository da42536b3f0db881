import { isDeepStrictEqual } from 'node:util';
import { Refusal } from './refusal.ts';

/**
 * Refuses a change of fields that somebody else has changed since they were read: told is what stands there now, so
 * that a person can be shown both. Two people who change different fields of one record do not meet.
 * @param fields that are to be changed
 * @param before what stood in them when the person began
 * @param now what stands in them
 * @param after what is to stand there; whoever wants what is there already has nothing to lose
 */
export function refuseStale<Field extends string>(
  fields: readonly Field[],
  before: Partial<Record<Field, unknown>>,
  now: Record<Field, unknown>,
  after: Partial<Record<Field, unknown>>,
): void {
  const stale = fields.filter(
    (field) => !isDeepStrictEqual(now[field], before[field]) && !isDeepStrictEqual(now[field], after[field]),
  );
  if (!stale.length) return;
  throw new Refusal(
    409,
    'Somebody else changed this while you were at it. Both are shown: choose which is to stand.',
    stale[0] ?? null,
    Object.fromEntries(stale.map((field) => [field, now[field]])),
  );
}
