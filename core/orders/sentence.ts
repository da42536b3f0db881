import { type Act, type FieldChange, type On, type Told, type Wait, type When, type Who } from './order.ts';

/** What an order names by number or key, in words. */
export interface OrderNames {
  wording(id: number): string;
  staff(id: number): string;
  mailing(id: number): string;
  /** What a field is called. */
  field(of: 'client' | 'person' | 'file', fact: string): string;
  /** What stands in a field. */
  value(of: 'client' | 'person' | 'file', fact: string, value: unknown): string;
}

/** What can happen, as it is chosen from. */
export const WHEN_WORDS: Record<On, string> = {
  'client new': 'a client is new',
  'person new': 'a person is new',
  'file opened': 'a file is opened',
  becomes: 'a field comes to be something',
  day: 'a day of a record comes near',
  month: 'a day of each month comes',
  'message comes': 'a message comes',
  'message leaves': 'a message leaves',
  'mailing answered': 'a mailing is answered',
  'mailing opened': 'a mailing is opened',
  'mailing unanswered': 'a mailing is not answered',
  'mailing unopened': 'a mailing is not opened',
  'answer owed': 'we owe an answer',
  'fee note entered': 'a fee note is entered',
  'fee note paid': 'a fee note is paid',
  'fee note due': 'a fee note is soon due',
  'fee note overdue': 'a fee note is overdue',
  'document comes': 'a document comes',
  'document shared': 'a document is laid out on a client’s page',
  wanted: 'what was asked for on a page has not come',
  'meeting over': 'a meeting is over',
};

/** What can be done, as it is chosen from. */
export const ACT_WORDS: Record<Act['do'], string> = {
  message: 'an email',
  letter: 'a letter on paper',
  mailing: 'a mailing or its series',
  text: 'a text message',
  note: 'a note on the record',
  task: 'a task for somebody',
  tell: 'tell a colleague',
  change: 'change a field',
};

const days = (count: number) => (count === 1 ? 'a day' : `${count} days`);
const quoted = (words: string) => `“${words}”`;
const withWords = (plain: string, words: string) =>
  words.trim() ? `${plain} with the words ${quoted(words.trim())}` : plain;
const which = (mailingId: number | null, names: OrderNames) =>
  mailingId === null ? 'a mailing' : quoted(names.mailing(mailingId));

/** `a file is opened`; `a fee note has been overdue for 14 days`. */
export function whenInWords(when: When, names: OrderNames): string {
  switch (when.on) {
    case 'becomes': {
      const label = names.field(when.of, when.fact);
      const whose = when.of === 'client' ? 'a client’s' : when.of === 'file' ? 'a file’s' : 'a person’s';
      if (when.value === null) return `${whose} ${label} is set`;
      return `${whose} ${label} becomes ${quoted(names.value(when.of, when.fact, when.value))}`;
    }
    case 'day': {
      const label = quoted(names.field(when.of, when.fact));
      const near = when.days ? `it is ${days(when.days)} ${when.side}` : 'it is';
      return `${near} the ${when.of}’s day ${label}${when.yearly ? ', every year' : ''}`;
    }
    case 'month':
      return `it is day ${when.day} of a month`;
    case 'message comes':
      return withWords('a message comes', when.words);
    case 'message leaves':
      return withWords('a colleague’s message leaves', when.words);
    case 'mailing answered':
      return `${which(when.mailingId, names)} is answered`;
    case 'mailing opened':
      return `${which(when.mailingId, names)} is opened`;
    case 'mailing unanswered':
      return `${which(when.mailingId, names)} has not been answered for ${days(when.days)}`;
    case 'mailing unopened':
      return `${which(when.mailingId, names)} has not been opened for ${days(when.days)}`;
    case 'answer owed':
      return `we have owed an answer for ${days(when.days)}`;
    case 'fee note due':
      return when.days ? `a fee note is due in ${days(when.days)}` : 'a fee note is due';
    case 'fee note overdue':
      return `a fee note has been overdue for ${days(when.days)}`;
    case 'document comes':
      return when.words.trim()
        ? `a document comes whose name has ${quoted(when.words.trim())}`
        : 'a document comes';
    case 'document shared':
      return when.words.trim()
        ? `a document whose name has ${quoted(when.words.trim())} is laid out on a client’s page`
        : WHEN_WORDS[when.on];
    case 'wanted':
      return `what was asked for on their page has not come for ${days(when.days)}`;
    default:
      return WHEN_WORDS[when.on];
  }
}

/** `the next working day`, `after 3 days`; nothing for at once. */
export function waitInWords({ days: count, working }: Wait): string {
  if (!count) return '';
  if (working) return count === 1 ? 'the next working day' : `after ${count} working days`;
  return count === 1 ? 'the next day' : `after ${count} days`;
}

export function whoInWords(who: Who, names: OrderNames): string {
  if (who === 'adviser') return 'their adviser';
  return who === 'owner' ? 'whoever keeps this order' : names.staff(who);
}

const USUAL = 'the wording for the occasion';
const wordingInWords = (id: number | null, names: OrderNames) =>
  id === null ? USUAL : quoted(names.wording(id));

/** `prepare “Welcome” for their adviser to release`. @param sends whether it goes by itself */
export function actInWords(act: Act, sends: boolean, names: OrderNames): string {
  switch (act.do) {
    case 'message': {
      const wording = wordingInWords(act.wordingId, names);
      const by = whoInWords(act.by, names);
      return sends ? `send ${wording} in the name of ${by}` : `prepare ${wording} for ${by} to release`;
    }
    case 'letter':
      return `${sends ? 'make and release' : 'prepare'} the letter ${wordingInWords(act.wordingId, names)}`;
    case 'mailing':
      return `${sends ? 'send them' : 'prepare for them'} the mailing ${quoted(names.mailing(act.mailingId))}`;
    case 'text':
      return `${sends ? 'send' : 'prepare'} the text message ${quoted(act.words)}`;
    case 'note':
      return `write down ${quoted(act.words)}`;
    case 'task': {
      const by = act.days
        ? `, due ${act.days === 1 ? 'the next day' : `in ${act.days} days`}`
        : ', due the same day';
      return `give ${whoInWords(act.for, names)} the task ${quoted(act.words)}${by}`;
    }
    case 'tell':
      return `tell ${whoInWords(act.who, names)} ${quoted(act.words)}`;
    case 'change':
      return changeInWords(act.of, act.change, names);
  }
}

function changeInWords(of: 'client' | 'file', change: FieldChange, names: OrderNames): string {
  switch (change.what) {
    case 'add tag':
      return `give them the tag ${quoted(change.value)}`;
    case 'drop tag':
      return `take the tag ${quoted(change.value)} away`;
    case 'add interest':
      return `give them the interest ${quoted(change.value)}`;
    case 'drop interest':
      return `take the interest ${quoted(change.value)} away`;
    default: {
      const fact = factOf(change);
      const value = names.value(of, fact, change.value);
      return `set the ${of}’s ${names.field(of, fact)} to ${value ? quoted(value) : 'nothing'}`;
    }
  }
}

/** Which field a change is of, as a record's history names it. */
export function factOf(change: FieldChange): string {
  switch (change.what) {
    case 'adviser':
      return 'adviserId';
    case 'add tag':
    case 'drop tag':
      return 'tags';
    case 'add interest':
    case 'drop interest':
      return 'interests';
    case 'field':
      return change.key;
    default:
      return change.what;
  }
}

/** The whole order as one sentence. @param whom its selection in words; empty for none */
export function orderInWords(told: Told, sends: boolean, whom: string, names: OrderNames): string {
  const steps = told.steps.map(({ wait, act }, at) => {
    const waits = waitInWords(wait);
    return `${at ? 'then ' : ''}${waits ? `${waits} ` : ''}${actInWords(act, sends, names)}`;
  });
  const asked = whom ? ` for ${whom}` : '';
  return `When ${whenInWords(told.when, names)}${asked}, ${steps.join('; ') || 'nothing is done yet'}.`;
}
