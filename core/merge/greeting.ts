/** A person as greeted. */
export interface GreetedPerson {
  firstName: string;
  lastName: string;
}

/**
 * The names a household is greeted by: first names joined with "and". Null when a name is missing,
 * so that it is settled before anything leaves rather than printed as a gap.
 * @param own a greeting kept on the client, which goes before everything else
 */
export function greeting(people: readonly GreetedPerson[], own: string | null): string | null {
  if (own?.trim()) return own.trim();
  const names = people.map((person) => person.firstName.trim());
  if (!names.length || names.some((name) => !name)) return null;
  if (names.length === 1) return names[0] ?? null;
  return `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
}
