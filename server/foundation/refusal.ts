import type { Role } from '../../contract/common.ts';
import { RIGHTS, type Right } from '../../contract/rights.ts';

/** A refusal with a sentence for the person, and the field it is about. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field: string | null = null,
    /** What stands there now, by field, where somebody else has changed it meanwhile. */
    readonly now?: Record<string, unknown>,
  ) {
    super(message);
  }
}

export const notFound = (what: string) => new Refusal(404, `${what} is not here any more.`);

const ROLE_WORDS: Record<Role, string> = {
  manager: 'an office manager',
  adviser: 'an adviser',
  assistant: 'an assistant',
};

/** Says who may do what somebody may not. */
export function notAllowed(right: Right): Refusal {
  const who = RIGHTS[right].map((role) => ROLE_WORDS[role]).join(' or ');
  return new Refusal(403, `Only ${who} can do that.`);
}
