/** A shared beginning of so many letters counts at most, and so much for each (Winkler 1990: p = 0.1, four letters). */
const PREFIX = 4;
const SCALE = 0.1;
/** Names are not longer; what is, is compared by its beginning. */
const LONGEST = 100;

/**
 * How alike two words are by Jaro's measure (Jaro 1989): of letters that both have near the same place, and how many
 * of these stand in another order.
 * @returns 0 for nothing in common, 1 for the same
 */
export function jaro(one: string, two: string): number {
  const a = one.slice(0, LONGEST);
  const b = two.slice(0, LONGEST);
  if (!a.length || !b.length) return a === b ? 1 : 0;
  const reach = Math.max(0, Math.floor(Math.max(a.length, b.length) / 2) - 1);
  const taken = new Array<boolean>(b.length).fill(false);
  const common: string[] = [];
  for (let at = 0; at < a.length; at++) {
    const until = Math.min(b.length, at + reach + 1);
    for (let other = Math.max(0, at - reach); other < until; other++) {
      if (taken[other] || b[other] !== a[at]) continue;
      taken[other] = true;
      common.push(a[at] ?? '');
      break;
    }
  }
  if (!common.length) return 0;
  const order = [...b].filter((_, at) => taken[at]);
  const moved = common.filter((letter, at) => letter !== order[at]).length / 2;
  const m = common.length;
  return (m / a.length + m / b.length + (m - moved) / m) / 3;
}

/** The same, raised where the beginnings are the same (Winkler 1990). */
export function jaroWinkler(one: string, two: string): number {
  const base = jaro(one, two);
  let prefix = 0;
  while (prefix < PREFIX && one[prefix] !== undefined && one[prefix] === two[prefix]) prefix++;
  return base + prefix * SCALE * (1 - base);
}
