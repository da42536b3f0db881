import { firstNameFirst } from '../address/address.ts';
import { headerLine, headLength, introduces, introducesFolded, LABELS } from './introductions.ts';
import { cut, LIMITS } from './limits.ts';

/** What the writer of a message wrote, apart from what stood there before and what stands under it. */
export interface Written {
  /** The writer's own words: no quoted history, signature or footer. */
  own: string;
  /** The closing phrase, the writer's name and the lines right below it. */
  signature: string;
  /** What stands below the signature: disclaimers, advertisements, patterns. */
  footer: string;
  /** The quoted history or forwarded message, as it stands. */
  quoted: string;
  /** Number of non-empty quoted lines, for "18 earlier lines, quoted". */
  quotedLines: number;
}

/** Nothing at all. */
export const NOTHING_WRITTEN: Written = { own: '', signature: '', footer: '', quoted: '', quotedLines: 0 };

const DIVIDER =
  /^[>\s]*[-_]{2,}\s*(?:original|forwarded|ursprüngliche|weitergeleitete|message|oprindelig|opprinnelig|vidarebefordrat|mensaje|messaggio|doorgestuurd|oorspronkelijk|videresendt)[^-_]*[-_]{2,}\s*$/i;
/** The line some programs put above what they hand on. */
const HANDED_ON =
  /^[>\s]*(?:begin(?:ning of)? forwarded message|anfang der weitergeleiteten nachricht|début du message (?:transféré|réexpédié)|inicio del mensaje reenviado|inizio messaggio inoltrato|start van doorgestuurd bericht|vidarebefordrat (?:brev|meddelande)|start på videresendt besked|videresendt melding)\s*(?::\s*)?$/i;
const UNDERSCORES = /^_{10,}\s*$/;
/** Any heading between dashes: a divider where the head of a message follows. */
const DASHED = /^[>\s]*[-_]{2,}\s*\p{L}[\p{L} ]{3,40}\s*[-_]{2,}\s*$/u;

/** Phrases that close a letter, alone on their line, in several languages (common practice). */
const CLOSING = new RegExp(
  `^(?:${[
    '(?:with )?(?:my |our )?(?:very |all )?(?:kind(?:est)?|best|warm(?:est)?|good) (?:regards|wishes|to you)(?: to (?:you )?all)?',
    '(?:kind )?regards',
    'all (?:the|my) best',
    'yours(?: (?:sincerely|faithfully|truly|ever|aye))?',
    'sincerely(?: yours)?',
    '(?:many )?thanks(?: (?:again|in advance|and regards))?',
    'thank you(?: (?:again|in advance|very much))?',
    'cheers',
    'with thanks',
    'best',
    'mit (?:freundlichen|besten|herzlichen) gr(?:ü|ue)(?:ß|ss)en',
    '(?:viele|beste|liebe|herzliche) gr(?:ü|ue)(?:ß|ss)e',
    '(?:bien )?cordialement(?: vôtre)?',
    'meilleures salutations',
    '(?:med )?(?:venlig|vennlig|vänlig)[a]? (?:hilsen|hälsning(?:ar)?)',
    'med (?:vänliga hälsningar|vennlig hilsen|venlig hilsen)',
    'mvh|vh|hilsen',
    '(?:met )?vriendelijke groet(?:en)?',
    '(?:un )?saludos? (?:cordial(?:es)?)?',
    'atentamente',
    'cordiali saluti',
    'distinti saluti',
    'com os melhores cumprimentos',
  ].join('|')})\\s*(?:[,.!]\\s*)?$`,
  'i',
);
/** A name behind a dash. */
const DASHED_NAME = /^[-–—]\s?\p{Lu}?[\p{L}.]{1,20}(?: \p{Lu}[\p{L}.]{1,20})?$/u;
/** "-- " of RFC 3676 section 4.3. */
const DELIMITER = /^-- $/;
/** The same where a program lost the blank, and a rule between two parts of a letter. */
const BARE_DELIMITER = /^--$/;
/** The line a telephone or tablet adds: it names the device, or a program for one. */
const DEVICE =
  /^(?:sent|gesendet|envoyé|sendt|skickat|verzonden|enviado|inviato|wysłane|lähetetty) (?:\p{L}+ )?(?:from|von|depuis|de|fra|från|vanaf|desde|da|with|mit|van|z|via)\b(?=.{0,50}(?:\b(?:my|mein\w*|mon|min|mijn|mi|mio|meu|moj\w*)\b|phone|pad|android|mobil|samsung|galaxy|outlook|mail|tablet|handy)).{0,60}$/iu;
const POSTSCRIPT = /^\s*p\.?\s?s\.?\b/i;

/**
 * Takes a plain-text body apart. History begins at a divider line, an introducing sentence, a block of
 * header lines (three or more, one with an address or date), or is marked by `>`; a signature begins at
 * the `-- ` line, a closing phrase, the writer's name alone on a line, or a telephone's own line.
 * @param names what the writer may sign with: display names, names of the records
 * @param address of the writer: a line of a few words that ends with a name found in it is a signature too
 */
export function writtenPart(text: string, names: readonly string[] = [], address = ''): Written {
  const lines = cut(text, LIMITS.text).replace(/\r\n?/g, '\n').split('\n');
  const history = historyLines(lines.map(seen));
  const [own, list] = partList(lines.filter((_, index) => !history[index]));
  const quoted = lines.filter((_, index) => history[index]);
  const parts = partSignature(own, names, address.split('@')[0] ?? '');
  return {
    ...parts,
    footer: [parts.footer, list].filter(Boolean).join('\n\n'),
    quoted: quoted.join('\n'),
    quotedLines: quoted.filter((line) => line.trim()).length,
  };
}

/** A rule across the page, below which a list or a server says its own. */
const RULE = /^\s*[*_=~#-]{10,}\s*$/;
const LISTS = /unsubscribe|mailing list|remove yourself|majordomo|listinfo|confidential|scanned|virus/i;
/** What is put below by itself is no longer than this, in lines. */
const LONGEST_LIST = 30;

/** Parts what a list or a server put below the last rule from what the writer wrote. */
function partList(lines: readonly string[]): [own: string[], list: string] {
  const from = Math.max(0, lines.length - LONGEST_LIST);
  const at = lines.findIndex((line, index) => index >= from && RULE.test(line));
  const below = at < 0 ? '' : lines.slice(at).join('\n').trim();
  return LISTS.test(below) ? [lines.slice(0, at), below] : [[...lines], ''];
}

/** A line as patterns see it. */
function seen(line: string): string {
  return cut(line, LIMITS.line).trimEnd();
}

/** With the blanks at its end, which mark a signature. */
function rawLine(line: string): string {
  return cut(line, LIMITS.line);
}

/** Parts the writer's words from the signature, and that from what stands below it. */
function partSignature(
  lines: readonly string[],
  names: readonly string[],
  mailbox: string,
): Pick<Written, 'own' | 'signature' | 'footer'> {
  const signs = new Set(names.flatMap(signedAs));
  const firstWords = lines.findIndex((line) => line.trim());
  const start = lines.findIndex(
    (_, index) => index > firstWords && beginsSignature(lines, index, signs, mailbox.toLowerCase()),
  );
  if (start < 0) return { own: lines.join('\n').trim(), signature: '', footer: '' };
  let end = start;
  // The name may stand apart from the closing phrase; from then on the first empty line ends the block.
  while (end < lines.length && (!lines[end]?.trim() || isClosing(lines[end] ?? ''))) end++;
  while (end < lines.length && lines[end]?.trim()) end++;
  const below = lines
    .slice(end)
    .join('\n')
    .trim()
    .split(/\n[^\S\n]*\n\s*/);
  // Below the mark of a signature nothing is the letter's; below a name words may go on.
  const marked = DELIMITER.test(rawLine(lines[start] ?? ''));
  const [words, footers] = partition(
    below.filter(Boolean),
    (paragraph) => POSTSCRIPT.test(paragraph) || (!marked && !isFooter(paragraph)),
  );
  return {
    own: [lines.slice(0, start).join('\n').trim(), ...words].filter(Boolean).join('\n\n'),
    signature: lines.slice(start, end).join('\n').trim(),
    footer: footers.join('\n\n').trim(),
  };
}

/** Whether the writer signs here: by a mark, a closing phrase or a name, with no more below than belongs to one. */
function beginsSignature(
  lines: readonly string[],
  index: number,
  signs: ReadonlySet<string>,
  mailbox: string,
): boolean {
  if (DELIMITER.test(rawLine(lines[index] ?? ''))) return true;
  const line = seen(lines[index] ?? '').trim();
  if (!line) return false;
  if (DEVICE.test(line)) return true;
  const marked = BARE_DELIMITER.test(line) || CLOSING.test(line);
  const dashed = DASHED_NAME.test(line);
  const named = signs.has(line.toLowerCase().replace(/[,.]$/, ''));
  if (!marked && !dashed && !named && !namesMailbox(line, mailbox)) return false;
  const next = nextWords(lines, index + 1);
  // What goes on in sentences is the letter itself, whatever stands above it.
  if (next && isSentence(next)) return false;
  const apart = !lines[index - 1]?.trim() || isClosing(lines[index - 1] ?? '');
  return marked || (apart ? named || namesMailbox(line, mailbox) : named && !next) || (dashed && !next);
}

/** The next line that is not empty, without blanks around it; empty when there is none. */
function nextWords(lines: readonly string[], from: number): string {
  return seen(lines.slice(from).find((line) => line.trim()) ?? '').trim();
}

/** Words that go on: several that end as a sentence does, or more than a name, a title or an address has. */
function isSentence(line: string): boolean {
  const words = line.split(/\s+/).length;
  return (
    (words > 3 && /[?!.:,;]$/.test(line) && !/^p\.?\s?s\b/i.test(line) && !FOOTER.test(line)) ||
    /\?$/.test(line)
  );
}

/** What stands below a signature: who the firm is, how it is reached, what it warns of, how to leave a list. */
const FOOTER =
  /@|this (?:e-?mail|message)\b|https?:|www\.|\+?\d[\d ()/-]{7,}|^[\s*_=~#-]{5,}$|confidential|privileged|intended (?:only )?(?:for|recipient)|recipient|virus|disclaimer|unsubscribe|mailing list|registered (?:in|office|number|company)|company (?:no|number)|\bvat\b|\bregd?\b|please consider|environment|before printing|terms of business|vertraulich|geschäftsführer|handelsregister|\bhrb\b|amtsgericht|ust-?id|confidentiel|destinataire|confidencial|destinatario|riservat|vertrouwelijk|fortrolig|konfidentiell|\bltd\b|\bllp\b|\bgmbh\b|limited\b|partners?\b|advert|office hours|opening hours|follow us|\btel\b|\bfax\b|\bmob\b/im;

function isFooter(paragraph: string): boolean {
  if (FOOTER.test(paragraph)) return true;
  // A block of short lines, as an address or a title has; a sentence goes on.
  return paragraph.split('\n').every((line) => line.trim().length < 60 && !/[.?!]$/.test(line.trim()));
}

/** Two to four words and nothing else, the last of which stands in the address before the @. */
function namesMailbox(line: string, mailbox: string): boolean {
  const words = line.split(/\s+/);
  const last = words.at(-1)?.toLowerCase() ?? '';
  return (
    words.length > 1 &&
    words.length < 5 &&
    last.length > 3 &&
    mailbox.includes(last) &&
    words.every((word) => /^\p{Lu}[\p{L}.’'-]*$/u.test(word))
  );
}

function isClosing(line: string): boolean {
  return DELIMITER.test(rawLine(line)) || BARE_DELIMITER.test(seen(line)) || CLOSING.test(seen(line).trim());
}

/** The ways a person signs: the whole name, the first name; a name "Last, First" turned round. */
function signedAs(name: string): string[] {
  const plain = firstNameFirst(name).trim().toLowerCase();
  const first = plain.split(/\s+/)[0] ?? '';
  return first.length > 1 ? [plain, first] : plain ? [plain] : [];
}

function partition<T>(list: readonly T[], test: (item: T) => boolean): [T[], T[]] {
  return [list.filter(test), list.filter((item) => !test(item))];
}

const QUOTED = /^\s*>/;

/**
 * Which lines are history. Those marked as quoted are, and what introduces them; from a divider, a head or an
 * introduction below which nothing is marked, all the rest is: answers between such lines cannot be told.
 */
function historyLines(lines: readonly string[]): boolean[] {
  const history = lines.map((line) => QUOTED.test(line));
  for (let index = 0; index < lines.length; index++) {
    if (history[index] || !lines[index]) continue;
    const length = introductionAt(lines, index);
    if (!length) continue;
    history.fill(true, index, index + length);
    const next = lines.findIndex((line, at) => at >= index + length && line !== '');
    if (next < 0 || !history[next]) return history.fill(true, index);
    index = next;
  }
  return history;
}

/** Which of the next three lines is the first with words; -1 when none is. */
function wordsBelow(lines: readonly string[], after: number): number {
  return lines.slice(after, after + 3).findIndex((each) => each !== '');
}

/** How many lines introduce or head history here; 0 when none do. */
function introductionAt(lines: readonly string[], index: number): number {
  const line = lines[index] ?? '';
  if (DIVIDER.test(line) || HANDED_ON.test(line)) return 1 + headLength(lines, index + 1);
  if (UNDERSCORES.test(line) || DASHED.test(line)) {
    const next = index + 1 + Math.max(0, wordsBelow(lines, index + 1));
    const head = headLength(lines, next);
    if (head) return next + head - index;
  }
  const head = headLength(lines, index);
  if (head) return head;
  // A sentence may be folded over two or three lines by the sending program.
  for (const span of [3, 2]) {
    const folded = lines.slice(index, index + span);
    const whole = folded.length === span && !folded.some((each) => each === '' || QUOTED.test(each));
    if (whole && introducesFolded(folded)) return span;
  }
  const next = wordsBelow(lines, index + 1);
  return introduces(line, next >= 0 && QUOTED.test(lines[index + 1 + next] ?? '')) ? 1 : 0;
}

/** The head of a message that stands inside another's text, and its own text. */
export interface InlineMessage {
  from: string;
  to: string;
  subject: string;
  text: string;
}

/**
 * Finds the first message with a head of its own in quoted or forwarded text.
 * @returns null when there is no block of header lines with an address
 */
export function inlineMessage(quoted: string): InlineMessage | null {
  const lines = quoted.split('\n').map((line) => seen(line).replace(/^[>\s]*>\s?/, ''));
  for (let index = 0; index < lines.length; index++) {
    const length = headLength(lines, index);
    if (!length) continue;
    const values = { from: '', to: '', subject: '' };
    for (const line of lines.slice(index, index + length)) {
      const header = headerLine(line);
      for (const key of ['from', 'to', 'subject'] as const)
        if (header && LABELS[key].has(header.label) && !values[key]) values[key] = header.value;
    }
    if (values.from)
      return {
        ...values,
        text: lines
          .slice(index + length)
          .join('\n')
          .trim(),
      };
  }
  return null;
}

/** The first words of a message for a list row: own words on one line, at most `length` characters. */
export function snippet(own: string, length = 140): string {
  // What is shown comes from the first few lines, however long the text; where those are mostly blank, from some more.
  const first = onOneLine(own, 2 * length);
  const line = first.length > length ? first : onOneLine(own, 20 * length);
  return line.length <= length ? line : `${line.slice(0, length - 1).trimEnd()}…`;
}

function onOneLine(text: string, most: number): string {
  return text.slice(0, most).replace(/\s+/g, ' ').trim();
}
