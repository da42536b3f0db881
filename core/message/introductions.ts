/**
 * What stands above a quoted or forwarded message, in the languages mail programs speak (common practice). One table,
 * a test a row: `test/core/introductions.test.ts`.
 */

/** How "wrote" ends the sentence that introduces a quotation. */
const WROTE = [
  'wrote', // English
  'writes',
  'schrieb', // German
  'geschrieben',
  'a écrit', // French
  'escribió', // Spanish
  'ha scritto', // Italian
  'escreveu', // Portuguese
  'schreef', // Dutch
  'geschreven',
  'skrev', // Danish, Norwegian, Swedish
  'kirjoitti', // Finnish
  'napisał\\(a\\)', // Polish
  'napisała?',
  'pisze',
  'napsala?', // Czech
  'ezt írta', // Hungarian
  'a scris', // Romanian
  'έγραψε', // Greek
  'yazdı', // Turkish
  'написала?', // Russian
  '写道', // Chinese
].join('|');
const VERB = new RegExp(`(?:^|[^\\p{L}])(?:${WROTE})(?![\\p{L}])`, 'iu');

const ADDRESS = /[^\s<>()[\]]@[^\s<>()[\]]/;
const YEAR = /(?:^|\D)(?:19|20)\d\d(?:\D|$)/;
const TIME = /(?:^|\D)\d{1,2}[:.h]\d\d(?:\D|$)/;
const DAY = /(?:^|\D)\d{1,2}[./-]\s?\d{1,2}(?:[./-]|\D|$)/;
/** `[000614 18:05]`, as some programs put it. */
const STAMP = /\[\d{6} \d\d:\d\d\]/;

/** A longer sentence introduces nothing. */
const LONGEST = 300;

/**
 * Whether a line is the sentence above a quotation: it ends with a colon and says who wrote when.
 * @param marked what follows is marked as quoted: then less is wanted of it
 */
export function introduces(line: string, marked: boolean): boolean {
  const sentence = line.trim();
  if (sentence.length > LONGEST || !/[:：]$/.test(sentence)) return false;
  const dated = YEAR.test(sentence) || TIME.test(sentence) || DAY.test(sentence);
  const addressed = ADDRESS.test(sentence);
  if (addressed && (STAMP.test(sentence) || (YEAR.test(sentence) && TIME.test(sentence)))) return true;
  if (VERB.test(sentence) && (dated || addressed)) return true;
  return marked && (VERB.test(sentence) || (addressed && dated));
}

/** A name before its address, as a sentence may begin. */
const NAMED = /^(?:\p{Lu}[\p{L}.'’-]* ){1,4}[<(][^\s<>()@]+@[^\s<>()@]+[>)]/u;

/**
 * Whether lines that follow each other are one such sentence, folded by the sending program. The first must say when
 * or who and go on; what would do without it leaves it to the writer, unless it says what the others lack.
 */
export function introducesFolded(lines: readonly string[]): boolean {
  const [first = '', ...others] = lines;
  const rest = others.join(' ');
  const says = [YEAR, TIME, DAY, ADDRESS].some((each) => each.test(first)) && !/[.!?]$/.test(first);
  if (!says || !introduces(`${first} ${rest}`, false)) return false;
  if (!introduces(rest, false)) return true;
  return (
    (NAMED.test(first) && !ADDRESS.test(rest)) || (YEAR.test(first) && TIME.test(first) && !YEAR.test(rest))
  );
}

/** Names of header lines, as programs write them. */
export const LABELS: Record<'from' | 'to' | 'date' | 'subject', ReadonlySet<string>> = {
  from: new Set(
    'from von de fra från van da od lähettäjä feladó avsändare afsender avsender expéditeur mittente remitente от από kimden 发件人 差出人'.split(
      ' ',
    ),
  ),
  to: new Set(
    'to an à a til till aan para komu do vastaanottaja címzett mottagare modtager mottaker destinataire кому προς kime 收件人 宛先 către către'.split(
      ' ',
    ),
  ),
  date: new Set(
    'sent date gesendet datum envoyé date enviado enviada fecha data inviato verzonden sendt skickat dato wysłano odesláno lähetetty elküldve дата отправлено ημερομηνία gönderildi 发送时间 日期 日時 送信日時 trimis'.split(
      ' ',
    ),
  ),
  subject: new Set(
    'subject betreff objet emne ämne onderwerp asunto oggetto assunto temat předmět aihe tárgy тема θέμα konu 主题 件名 subiect'.split(
      ' ',
    ),
  ),
};

const HEADER_LINE = /^[>\s*]*(\p{L}[\p{L} -]{0,18}?)\*?\s?[:：]\*?\s*(\S.*)?$/u;
/** A head has at most so many lines, blank ones between them too. */
const LONGEST_HEAD = 16;

/** A header line as it stands in a text: which one it is, and what it says. */
export function headerLine(line: string): { label: string; value: string } | null {
  const found = HEADER_LINE.exec(line);
  if (!found) return null;
  return { label: (found[1] ?? '').trim().toLowerCase(), value: (found[2] ?? '').trim() };
}

/**
 * How many lines the head of a quoted or forwarded message has here: who wrote it, and two more of when, to whom and
 * about what. 0 when it is something else, such as a list of facts.
 */
export function headLength(lines: readonly string[], from: number): number {
  const found = new Set<string>();
  let length = 0;
  for (let at = from; at < Math.min(lines.length, from + LONGEST_HEAD); at++) {
    const line = lines[at] ?? '';
    // Some programs put a blank line between each two.
    if (!line.replace(/^[>\s]+/, '')) {
      if (!length || !headerLine(lines[at + 1] ?? '')) break;
      continue;
    }
    const header = headerLine(line);
    if (!header) break;
    for (const [name, labels] of Object.entries(LABELS)) if (labels.has(header.label)) found.add(name);
    length = at - from + 1;
  }
  return found.has('from') && found.size >= 3 ? length : 0;
}
