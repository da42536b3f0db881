import { addressKey, domainOf } from '../address/address.ts';
import type { Signals } from './signals.ts';
import { likelihoodOf, type Candidate, type Decision, type Evidence } from './types.ts';
import { LIMITS } from './weights.ts';

/**
 * A decision, as far as the sender is who the message says. Who wrote is what most of the evidence hangs on,
 * and it is the writer who says it: only the receiving server can confirm it. Without that nothing is filed
 * alone, but for mail that goes on a conversation with the very address it comes from, where nothing better
 * can be had. What would have been filed is put before a person, and never among the nearly certain.
 */
export function vouched(signals: Signals, decision: Decision): Decision {
  const doubt = doubtOf(signals, decision);
  if (doubt === null || decision.state === 'aside' || decision.state === 'private') return decision;
  const reason: Evidence = { kind: 'sender', side: 'against', words: doubt, weight: 9 };
  if (decision.state === 'suggested')
    return { ...decision, candidates: decision.candidates.map((each) => doubted(each, reason)) };
  const candidates = decision.fileIds.map((fileId) =>
    doubted(
      { fileId, probability: decision.probability, likelihood: 'likely', evidence: decision.evidence },
      reason,
    ),
  );
  return { state: 'suggested', candidates, evidence: [] };
}

function doubted(candidate: Candidate, reason: Evidence): Candidate {
  const probability = Math.min(candidate.probability, LIMITS.doubted);
  return {
    ...candidate,
    probability,
    likelihood: likelihoodOf(probability),
    evidence: [...candidate.evidence, reason],
  };
}

/** Why the sender may be another than the message says, in words; null when there is no reason to ask. */
function doubtOf(signals: Signals, decision: Decision): string | null {
  const { message } = signals;
  const from = message.from?.address ?? '';
  const domain = domainOf(from) || 'nobody';
  if (message.sender === 'failed') return `The receiving server found that this is not from ${domain}`;
  if (message.sender === 'absent' && message.usuallyConfirmed)
    return `The receiving server could not confirm that this is from ${domain}, as it usually does`;
  if ((message.sender === 'absent' || message.sender === 'untold') && !conversationAgrees(signals, decision))
    return `Nobody has confirmed that this is from ${domain}`;
  return strangerInConversation(signals, decision)
    ? `${from || 'Whoever wrote this'} had no part in the conversation it claims to answer`
    : null;
}

/** Goes on a conversation of the very client whose known address it comes from, or whose address it reports on. */
function conversationAgrees(signals: Signals, decision: Decision): boolean {
  const { earlier, message, register } = signals;
  if (earlier?.state !== 'logged' || decision.state !== 'logged') return false;
  const about = message.automatic === 'report' ? message.undelivered : [message.from?.address ?? ''];
  const clients = new Set(
    about.flatMap((each) => register.peopleAt(each).flatMap(({ clientIds }) => clientIds)),
  );
  return decision.fileIds.every(
    (id) => earlier.fileIds.includes(id) && clients.has(register.file(id)?.clientId ?? 0),
  );
}

/** Files by a conversation in which the writer had no part, and is nobody of the client's. */
function strangerInConversation(signals: Signals, decision: Decision): boolean {
  const { earlier, message, register, experience } = signals;
  const from = message.from?.address ?? '';
  if (message.sender === undefined || decision.state !== 'logged' || !from || message.automatic === 'report')
    return false;
  if (
    earlier?.state !== 'logged' ||
    !earlier.people ||
    !decision.fileIds.some((id) => earlier.fileIds.includes(id))
  )
    return false;
  const key = addressKey(from);
  const clients = new Set([
    ...register.peopleAt(from).flatMap(({ clientIds }) => clientIds),
    ...register.clientsAtDomain(from),
    ...register.peopleNamed(message.from?.name ?? '').flatMap(({ clientIds }) => clientIds),
    ...experience.habits(key).flatMap(({ fileId }) => register.file(fileId)?.clientId ?? []),
  ]);
  return (
    !register.isOurs(from) &&
    !earlier.people.has(key) &&
    !decision.fileIds.every((id) => clients.has(register.file(id)?.clientId ?? 0))
  );
}
