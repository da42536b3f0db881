/** A seeded source of numbers in [0, 1): the same seed gives the same series (mulberry32, public domain). */
export function seeded(seed: string): () => number {
  let state = 2166136261;
  for (let index = 0; index < seed.length; index++)
    state = Math.imul(state ^ seed.charCodeAt(index), 16777619);
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

export function pick<T>(random: () => number, list: readonly T[]): T {
  const chosen = list[Math.floor(random() * list.length)];
  if (chosen === undefined) throw new Error('nothing to pick from');
  return chosen;
}
