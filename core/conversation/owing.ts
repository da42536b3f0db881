/** Phrases that ask for something without a question mark (common practice; English, German, French). */
const ASKS =
  /\b(?:please (?:let|send|confirm|tell|advise|call|ring|reply|answer|say|sign|return|check|look|come back)|(?:could|can|would|will) you\b|let (?:me|us) (?:know|have)|(?:look(?:ing)? forward to|await(?:ing)?) (?:your|hearing)|i would be grateful if|bitte (?:um|geben|senden|schicken|teilen|bestätigen|melden)|(?:könnten|können|würden) sie|pourriez[- ]vous|merci de (?:me|nous|bien))/i;
/** What a message says that only closes an exchange. */
const CLOSES =
  /^(?:(?:dear|hello|hi|good (?:morning|afternoon|evening))\b[^\n]{0,60}\n+)?[\s\S]{0,40}\b(?:thanks?(?: you)?|many thanks|cheers|noted|received|perfect|lovely|that(?:’|'| i)s (?:fine|perfect|great|grand)|all good|will do|danke|vielen dank|merci)\b/i;
const NO_ANSWER =
  /\b(?:no (?:need to (?:reply|answer|respond)|(?:reply|answer) (?:is )?(?:needed|necessary|required))|for (?:your )?information only|nothing to do (?:for|on) your)\b/i;
/** A closing word longer than this says something more. */
const SHORT = 240;

/**
 * Whether a message leaves its readers something to answer. Mail from outside does unless it merely closes
 * the exchange: a client must not be forgotten. Ours does only when it asks for something.
 * @param own the writer's own words, without quoted history and signature
 */
export function leavesOpen(direction: 'received' | 'sent', subject: string, own: string): boolean {
  const words = own.trim();
  if (NO_ANSWER.test(words)) return false;
  const asks = /\?(?=\s|$|["”’)])/m.test(words) || ASKS.test(words);
  if (direction === 'sent') return asks;
  if (asks || /\?\s*$/.test(subject)) return true;
  return words.length > 0 && !(words.length <= SHORT && CLOSES.test(words));
}
