/** A message as its server lists it: its number in its folder, and when it came (INTERNALDATE). */
export interface OnServer {
  uid: number;
  at: Date;
}

/** A message as it is known here. */
export interface Known {
  uid: number;
  state: 'logged' | 'suggested' | 'aside' | 'private';
}

/** How a day of one folder stands: what lies on the server is taken in, to come, or missing; what is taken in is somewhere. */
export interface Account {
  onServer: number;
  taken: number;
  toCome: number;
  missing: number;
  logged: number;
  waiting: number;
  aside: number;
  private: number;
}

const PLACES = { logged: 'logged', suggested: 'waiting', aside: 'aside', private: 'private' } as const;

/**
 * Holds what a server lists of a day against what is known of the folder.
 * @param toComeBelow what has a smaller number is still to be taken in, as history is
 * @param toComeFrom what has this number or a larger one came since the folder was last looked at
 * @returns the account, and the numbers of what is missing
 */
export function accountOf(
  listed: readonly OnServer[],
  known: readonly Known[],
  { toComeBelow, toComeFrom }: { toComeBelow: number; toComeFrom: number },
): { account: Account; missing: OnServer[] } {
  const stateOf = new Map(known.map(({ uid, state }) => [uid, state]));
  const account: Account = {
    ...{ onServer: listed.length, taken: 0, toCome: 0, missing: 0 },
    ...{ logged: 0, waiting: 0, aside: 0, private: 0 },
  };
  const missing: OnServer[] = [];
  for (const message of listed) {
    const state = stateOf.get(message.uid);
    if (state) {
      account.taken++;
      account[PLACES[state]]++;
    } else if (message.uid < toComeBelow || message.uid >= toComeFrom) account.toCome++;
    else {
      account.missing++;
      missing.push(message);
    }
  }
  return { account, missing };
}

/** Whether an account adds up: nothing on a server is nowhere, and nothing taken in is nowhere either. */
export function addsUp({ onServer, taken, toCome, missing, ...places }: Account): boolean {
  const placed = places.logged + places.waiting + places.aside + places.private;
  return onServer === taken + toCome + missing && taken === placed;
}

/** Several accounts as one. */
export function sumOf(accounts: readonly Account[]): Account {
  const sum = { onServer: 0, taken: 0, toCome: 0, missing: 0, logged: 0, waiting: 0, aside: 0, private: 0 };
  for (const account of accounts)
    for (const name of Object.keys(sum) as (keyof Account)[]) sum[name] += account[name];
  return sum;
}
