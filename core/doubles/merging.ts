/** Whose field stands in the merged record: of lists both may. */
export type Whose = 'kept' | 'dropped' | 'both';

/** By what two lines of a list are one. */
const KEYS: Record<string, (line: never) => unknown> = {
  people: ({ personId }: { personId: number }) => personId,
  phones: ({ number }: { number: string }) => number.replace(/[^\d+]/g, ''),
  addresses: ({ email }: { email: string }) => email.toLowerCase(),
  delivery: ({ kind }: { kind: string }) => kind,
};

const isEmpty = (value: unknown) =>
  value === null || value === undefined || value === '' || (Array.isArray(value) && !value.length);

/** Whose field stands unless somebody says otherwise: all of both lists, and nothing where something is known. */
export function usualWhose(name: string, kept: unknown, dropped: unknown): Whose {
  if (Array.isArray(kept) && Array.isArray(dropped) && name !== 'postal' && name !== 'delivery')
    return 'both';
  return isEmpty(kept) && !isEmpty(dropped) ? 'dropped' : 'kept';
}

/**
 * The fields of one record made of two.
 * @param whose field by field; what is left out goes by {@link usualWhose}
 */
export function mergedFields(
  kept: Readonly<Record<string, unknown>>,
  dropped: Readonly<Record<string, unknown>>,
  whose: Readonly<Partial<Record<string, Whose>>>,
): Record<string, unknown> {
  return Object.fromEntries(
    Object.keys(kept).map((name) => {
      const [one, two] = [kept[name], dropped[name]];
      const chosen = whose[name] ?? usualWhose(name, one, two);
      if (chosen === 'both' && Array.isArray(one) && Array.isArray(two))
        return [name, united(name, one, two)];
      return [name, chosen === 'dropped' ? two : one];
    }),
  );
}

/** Two lists as one: what is in both stands once, as the first has it. */
function united(name: string, one: readonly unknown[], two: readonly unknown[]): unknown[] {
  const keyOf = (KEYS[name] ?? ((line: unknown) => line)) as (line: unknown) => unknown;
  const keys = new Set(one.map(keyOf));
  return [...one, ...two.filter((line) => !keys.has(keyOf(line)))];
}
