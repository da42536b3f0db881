import { baseSubject } from '../conversation/subject.ts';
import { plainText } from './html.ts';
import { cut } from './limits.ts';
import type { Enclosure, ReadMessage } from './read.ts';

/**
 * What a reader would find different between what was recorded and another copy of the same message, in
 * words. Headers that servers add on the way, line ends and encodings count for nothing.
 * @returns nothing when both say the same
 */
export function differences(recorded: ReadMessage, other: ReadMessage): string[] {
  const found: string[] = [];
  const compare = (what: string, same: boolean) => {
    if (!same) found.push(what);
  };
  compare('the subject', recorded.subject === other.subject);
  compare('the sender', lower(recorded.from) === lower(other.from));
  compare('whom it is to', people(recorded.to) === people(other.to));
  compare('who has a copy', people(recorded.cc) === people(other.cc));
  compare('the text', plain(recorded.text) === plain(other.text));
  if (recorded.html !== null && other.html !== null)
    compare('the formatted text', plain(recorded.html) === plain(other.html));
  compare('the enclosures', sameEnclosures(recorded.enclosures, other.enclosures));
  return found;
}

/** So much of a text is looked at first, in characters. */
const FIRST_WORDS = 4000;
/** What a list puts below a message is at most this long, in characters. */
const LONGEST_FOOTER = 1000;
/** What it parts its footer off with (common practice). */
const RULE = /^[-_=*~]{3,}/;

/**
 * Whether two messages that bear the same Message-ID, sender and date are copies of one: they say the same
 * to the same people. What a list changes on the way (marks of its own in the subject, a footer below a
 * rule) is let pass where one of them says that it came through a list.
 */
export function sameMessage(one: ReadMessage, two: ReadMessage): boolean {
  const list = throughList(one, two);
  return (
    maybeSame(one, two) &&
    sameWords(one.text, two.text, list) &&
    sameWords(shownWords(one), shownWords(two), list) &&
    sameEnclosures(one.enclosures, two.enclosures)
  );
}

/**
 * Whether two messages may be copies of one, by what is kept of them: the same people, subject and names of
 * enclosures, and the same first words. Whether they are takes their sources.
 */
export function maybeSame(one: ReadMessage, two: ReadMessage): boolean {
  const list = throughList(one, two);
  const subject = (message: ReadMessage) => (list ? baseSubject(message.subject).text : message.subject);
  const names = (message: ReadMessage) =>
    message.enclosures
      .map(({ filename }) => filename)
      .sort()
      .join();
  const words = (message: ReadMessage) => plain(cut(message.text, FIRST_WORDS)).slice(0, FIRST_WORDS / 2);
  const [short = '', long = ''] = [words(one), words(two)].sort((a, b) => a.length - b.length);
  return (
    one.problem === null &&
    two.problem === null &&
    lower(one.from) === lower(two.from) &&
    subject(one) === subject(two) &&
    people(one.to) === people(two.to) &&
    people(one.cc) === people(two.cc) &&
    names(one) === names(two) &&
    (list ? long.startsWith(short) : short === long)
  );
}

function throughList(one: ReadMessage, two: ReadMessage): boolean {
  return one.automatic === 'list' || two.automatic === 'list';
}

/** The words of what is shown: of the HTML where there is one. */
function shownWords({ html, text }: ReadMessage): string {
  return html === null ? text : plainText(html);
}

function sameWords(one: string, two: string, list: boolean): boolean {
  const [short = '', long = ''] = [plain(one), plain(two)].sort((a, b) => a.length - b.length);
  if (short === long) return true;
  const footer = long.slice(short.length).trim();
  return list && long.startsWith(short) && footer.length <= LONGEST_FOOTER && RULE.test(footer);
}

function sameEnclosures(one: readonly Enclosure[], two: readonly Enclosure[]): boolean {
  const order = (parts: readonly Enclosure[]) =>
    [...parts].sort((a, b) => a.filename.localeCompare(b.filename) || a.size - b.size);
  const [mine, theirs] = [order(one), order(two)];
  return (
    mine.length === theirs.length &&
    mine.every((part, index) => {
      const other = theirs[index];
      return other !== undefined && part.filename === other.filename && sameBytes(part, other);
    })
  );
}

/** Texts by their words: line ends and the last newline change with the encoding. */
function sameBytes(one: Enclosure, two: Enclosure): boolean {
  if (/^(?:text|message)\//.test(one.mimeType)) {
    const text = ({ content }: Enclosure) => plain(new TextDecoder('latin1').decode(content));
    return text(one) === text(two);
  }
  return one.size === two.size && one.content.every((byte, index) => byte === two.content[index]);
}

function lower(mailbox: { address: string } | null): string {
  return mailbox?.address.toLowerCase() ?? '';
}

function people(list: readonly { address: string }[]): string {
  return list
    .map((mailbox) => mailbox.address.toLowerCase())
    .sort()
    .join(' ');
}

function plain(text: string): string {
  return text.replace(/\s+/g, ' ').trim();
}
