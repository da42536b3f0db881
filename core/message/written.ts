import { firstNameFirst } from '../address/address.ts';
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
/** "On … wrote:", "Am … schrieb …:", "Le … a écrit :", "Den … skrev …:", "El … escribió:", "Op … schreef …:" */
const INTRO =
  /^\s*(?:on|am|le|den|el|il|op|em|dne|w dniu)\b.{4,200}(?:wrote|schrieb|écrit|skrev|escribió|ha scritto|schreef|escreveu|napsal|pisze)\b.{0,120}:\s*$/i;
const HEADER_LINE = /^[>\s*]*(\p{L}[\p{L} -]{0,18}?)\*?\s?:\*?\s+\S/u;

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
/** "-- " of RFC 3676 section 4.3, also where a program lost the blank. */
const DELIMITER = /^--\s?$/;
/** The line a telephone or tablet adds. */
const DEVICE =
  /^(?:sent|gesendet|envoyé|sendt|skickat|verzonden|enviado|inviato) (?:from|von|depuis|de|fra|från|vanaf|desde|da|with|mit)\b.{0,60}$/i;
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
  const from = historyStart(lines.map(seen));
  const own: string[] = [];
  const quoted: string[] = [];
  for (const [index, line] of lines.entries()) {
    if (index >= from || /^\s*>/.test(line)) quoted.push(line);
    else own.push(line);
  }
  const parts = partSignature(own, names, address.split('@')[0] ?? '');
  return {
    ...parts,
    quoted: quoted.join('\n'),
    quotedLines: quoted.filter((line) => line.trim()).length,
  };
}

/** A line as patterns see it. */
function seen(line: string): string {
  return cut(line, LIMITS.line).trimEnd();
}

/** Parts the writer's words from the signature, and that from what stands below it. */
function partSignature(
  lines: readonly string[],
  names: readonly string[],
  mailbox: string,
): Pick<Written, 'own' | 'signature' | 'footer'> {
  const signs = new Set(names.flatMap(signedAs));
  const firstWords = lines.findIndex((line) => line.trim());
  const start = lines
    .map(seen)
    .findIndex(
      (line, index) =>
        index > firstWords &&
        (DELIMITER.test(line) ||
          CLOSING.test(line.trim()) ||
          DEVICE.test(line.trim()) ||
          signs.has(line.trim().toLowerCase().replace(/[,.]$/, '')) ||
          namesMailbox(line.trim(), mailbox.toLowerCase())),
    );
  if (start < 0) return { own: lines.join('\n').trim(), signature: '', footer: '' };
  let end = start;
  // The name may stand apart from the closing phrase; from then on the first empty line ends the block.
  while (end < lines.length && (!lines[end]?.trim() || isClosing(lines[end] ?? ''))) end++;
  while (end < lines.length && lines[end]?.trim()) end++;
  const below = lines.slice(end).join('\n').trim();
  const [postscripts, footers] = partition(below.split(/\n[^\S\n]*\n\s*/), (paragraph) =>
    POSTSCRIPT.test(paragraph),
  );
  return {
    own: [lines.slice(0, start).join('\n').trim(), ...postscripts].filter(Boolean).join('\n\n'),
    signature: lines.slice(start, end).join('\n').trim(),
    footer: footers.join('\n\n').trim(),
  };
}

/** Two to four words and nothing else, the last of which stands in the address before the @. */
function namesMailbox(line: string, mailbox: string): boolean {
  const words = line.split(/\s+/);
  const last = words.at(-1)?.toLowerCase() ?? '';
  return (
    words.length > 1 &&
    words.length < 5 &&
    last.length > 3 &&
    words.every((word) => /^\p{Lu}[\p{L}.’'-]*$/u.test(word)) &&
    mailbox.includes(last)
  );
}

function isClosing(line: string): boolean {
  return DELIMITER.test(line) || CLOSING.test(seen(line).trim());
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

function historyStart(lines: readonly string[]): number {
  for (let index = 0; index < lines.length; index++) {
    const line = lines[index] ?? '';
    if (!line) continue;
    if (DIVIDER.test(line) || HANDED_ON.test(line)) return index;
    if (UNDERSCORES.test(line) && headerBlock(lines, index + 1)) return index;
    // An introducing sentence may be folded over two or three lines by the sending program.
    if (/^\s*\p{L}/u.test(line) && /^\s*(?:on|am|le|den|el|il|op|em|dne|w dniu)\b/i.test(line)) {
      for (let span = 1; span <= 3; span++) {
        if (INTRO.test(lines.slice(index, index + span).join(' '))) return index;
      }
    }
    if (headerBlock(lines, index)) return index;
  }
  return lines.length;
}

/** How many header lines stand here: 0 when it is not the head of a quoted or forwarded message. */
function headerBlock(lines: readonly string[], from: number): number {
  const block: string[] = [];
  for (const line of lines.slice(from, from + 8)) {
    if (!HEADER_LINE.test(line)) break;
    block.push(line);
  }
  const holds = block.length >= 3 && block.some((line) => /@/.test(line));
  return holds ? block.length : 0;
}

/** The head of a message that stands inside another's text, and its own text. */
export interface InlineMessage {
  from: string;
  to: string;
  subject: string;
  text: string;
}

/** Names of header lines as programs write them in several languages (common practice). */
const LABELS: Record<'from' | 'to' | 'subject', ReadonlySet<string>> = {
  from: new Set(['from', 'von', 'de', 'fra', 'från', 'van', 'da', 'od']),
  to: new Set(['to', 'an', 'à', 'a', 'til', 'till', 'aan', 'para', 'komu', 'do']),
  subject: new Set([
    'subject',
    'betreff',
    'objet',
    'emne',
    'ämne',
    'onderwerp',
    'asunto',
    'oggetto',
    'assunto',
  ]),
};

/**
 * Finds the first message with a head of its own in quoted or forwarded text.
 * @returns null when there is no block of header lines with an address
 */
export function inlineMessage(quoted: string): InlineMessage | null {
  const lines = quoted.split('\n').map((line) => seen(line).replace(/^[>\s]*>\s?/, ''));
  for (let index = 0; index < lines.length; index++) {
    const length = headerBlock(lines, index);
    if (!length) continue;
    const values = { from: '', to: '', subject: '' };
    for (const line of lines.slice(index, index + length)) {
      const colon = line.indexOf(':');
      const label = line.slice(0, colon).replace(/[*\s]/g, '').toLowerCase();
      for (const key of ['from', 'to', 'subject'] as const)
        if (LABELS[key].has(label) && !values[key])
          values[key] = line
            .slice(colon + 1)
            .replace(/^\*?\s*/, '')
            .trim();
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
  // What is shown comes from the first few lines, however long the text.
  const line = own
    .slice(0, 20 * length)
    .replace(/\s+/g, ' ')
    .trim();
  return line.length <= length ? line : `${line.slice(0, length - 1).trimEnd()}…`;
}
