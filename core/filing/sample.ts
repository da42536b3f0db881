/** A share, with the interval in which it lies as surely as was asked. */
export interface Estimate {
  share: number;
  from: number;
  to: number;
}

/** Of so many steps a bisection is exact to the last digits of a number. */
const STEPS = 60;

/**
 * The share of what is wrong, from so many wrong ones among so many looked at, with its exact interval (Clopper and
 * Pearson 1934): the bounds are the shares of which what was found is just not too unlikely.
 * @param confidence 0.95 for nineteen times in twenty
 */
export function estimate(wrong: number, looked: number, confidence = 0.95): Estimate {
  if (looked < 1 || wrong < 0 || wrong > looked) throw new RangeError('so many of so many');
  const tail = (1 - confidence) / 2;
  return {
    share: wrong / looked,
    from: wrong === 0 ? 0 : bisect((share) => 1 - atMost(wrong - 1, looked, share) < tail),
    to: wrong === looked ? 1 : bisect((share) => atMost(wrong, looked, share) > tail),
  };
}

/** The largest share for which something holds that holds for all smaller ones. */
function bisect(holds: (share: number) => boolean): number {
  let [low, high] = [0, 1];
  for (let step = 0; step < STEPS; step++) {
    const middle = (low + high) / 2;
    if (holds(middle)) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}

/** How likely at most so many of so many are, each with a chance of its own: the binomial distribution, summed in logarithms. */
function atMost(count: number, of: number, share: number): number {
  if (share <= 0) return 1;
  if (share >= 1) return count >= of ? 1 : 0;
  let log = of * Math.log(1 - share);
  let sum = Math.exp(log);
  for (let at = 1; at <= count; at++) {
    log += Math.log(of - at + 1) - Math.log(at) + Math.log(share) - Math.log(1 - share);
    sum += Math.exp(log);
  }
  return Math.min(1, sum);
}
