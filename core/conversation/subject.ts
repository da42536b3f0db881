import { cut, LIMITS } from '../message/limits.ts';

/**
 * The base subject of RFC 5256 section 2.1, and whether the subject was that of a reply or forward.
 * Beside the `re`, `fw` and `fwd` of the standard, the reply and forward marks other languages' mail
 * programs put there are taken away too (common practice).
 */
const MARKS =
  're|fwd?|aw|antwort|wg|sv|vs|vb|vl|antw|doorst|tr|rép|rv|res|enc|r|i|rif|odp|ynt|ilt|ref|atb|ang|απ|πρθ|ответ|отв|回复|答复|回覆|转发|轉寄';
/** Marks that hand a message on, among those above. */
const FORWARD =
  /^(?:\[[^[\]]{0,200}\]\s*)*(?:fwd?|wg|vs|vb|vl|doorst|tr|rv|enc|i|ilt|πρθ|转发|轉寄)\s*(?:\[[^[\]]{0,200}\]\s*)?[:：]/i;
/** How programs begin the subject of an answer of their own: somebody is away (common practice). */
const AWAY =
  'automatic (?:reply|response)|auto(?:matic)?[- ]?(?:reply|response)|out of (?:the )?office(?: auto[- ]?reply)?|automatische (?:antwort|antwoord)|abwesenheitsnotiz|abwesend|réponse automatique|absence du bureau|autosvar|automatiskt? svar|automatisch antwoord|afwezig|risposta automatica|respuesta automática|resposta automática|odpowiedź automatyczna|automaattinen vastaus';
/** The same of a report, or of an answer to an invitation (common practice). */
const REPORTED =
  'undeliver(?:able|ed)(?: mail)?|delivery (?:status notification|failure)|unzustellbar|accepted|declined|tentative(?:ly accepted)?|cancel(?:l)?ed|zugesagt|abgelehnt|mit vorbehalt|accepté|refusé|godkendt|accepterat|aceptado|accettato';
const COLON = '\\s*(?:\\([^)]{0,80}\\)\\s*)?:\\s*';
const AUTOMATIC = new RegExp(`^(?:${AWAY}|${REPORTED})${COLON}`, 'i');
const ANSWERED = new RegExp(`^(?:${AWAY})${COLON}|^auto: .{1,200}\\bout of (?:the )?office\\b`, 'i');
const BLOB = '\\[[^\\[\\]]{0,200}\\]\\s*';
const LEADER = new RegExp(
  `^(?:(?:${BLOB})*(?:${MARKS})\\s*(?:${BLOB})?(?:\\(\\d+\\))?[:：]|\\*{2,5}\\s?spam\\s?\\*{2,5}|\\s)`,
  'i',
);
const LEADING_BLOB = new RegExp(`^${BLOB}`);
const TRAILER = /(?:\(fwd\)|\s)$/i;
const FORWARD_WRAP = /^\[fwd:(.*)\]$/is;

export interface BaseSubject {
  /** Lower case is left to the comparison; this keeps the letters as written. */
  text: string;
  isReply: boolean;
}

/**
 * A subject without marks of answering and handing on (RFC 5256, 2.1). @returns its text, and whether it was an answer or handed on
 */
export function baseSubject(subject: string): BaseSubject {
  let text = cut(subject, LIMITS.subject).replace(/\s+/g, ' ');
  let isReply = false;
  for (;;) {
    while (TRAILER.test(text)) {
      if (/\(fwd\)$/i.test(text)) isReply = true;
      text = text.replace(TRAILER, '');
    }
    for (;;) {
      const leader = LEADER.exec(text);
      if (leader) {
        if (leader[0].trim()) isReply = true;
        text = text.slice(leader[0].length);
        continue;
      }
      const blob = LEADING_BLOB.exec(text);
      if (blob && text.slice(blob[0].length).trim()) {
        text = text.slice(blob[0].length);
        continue;
      }
      break;
    }
    const wrapped = FORWARD_WRAP.exec(text);
    if (!wrapped) return { text, isReply };
    isReply = true;
    text = wrapped[1] ?? '';
  }
}

/** Whether the subject answers something: a reply, a forward, an automatic answer, an answer to an invitation. */
export function answersSubject(subject: string): boolean {
  const { text, isReply } = baseSubject(subject);
  return isReply || AUTOMATIC.test(text);
}

/** Whether a program wrote the subject for an answer of its own. */
export function isAutomaticSubject(subject: string): boolean {
  return ANSWERED.test(cut(subject, LIMITS.subject).trim());
}

/** Whether the subject is that of a forwarded message. */
export function isForward(subject: string): boolean {
  return FORWARD.test(cut(subject, LIMITS.subject).trim());
}

/**
 * The key under which two subjects are the same conversation's; empty when nothing is left to compare.
 * Letters and digits only: programs mangle dashes, quotes and accents on the way (common practice).
 */
export function subjectKey(subject: string): string {
  // Asked for again and again while one message is decided on.
  if (last.subject !== subject) last = { subject, key: keyOf(subject) };
  return last.key;
}

let last = { subject: '', key: '' };

function keyOf(subject: string): string {
  return baseSubject(baseSubject(subject).text.replace(AUTOMATIC, ''))
    .text.normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();
}
