import type { FactKind } from '../facts/catalogue.ts';
import type { Operator, Test } from './tree.ts';

/** What lines can speak of: what can be picked out, and what hangs on it. */
export const AMONG = ['client', 'person', 'file', 'fee note', 'mailing', 'message', 'entry'] as const;
export type Among = (typeof AMONG)[number];

/** What sort of thing a fact is, for selecting. */
export const SELECT_KINDS = [
  'text',
  /** Any of several texts. */
  'words',
  'postcode',
  'number',
  'money',
  'day',
  /** A point of time, told by its day in the firm's zone. */
  'time',
  'yes or no',
  'choice',
  'choices',
  'person',
  'client',
] as const;
export type SelectKind = (typeof SELECT_KINDS)[number];

const DAYS = [
  'in the last',
  'in the next',
  'longer ago than',
  'further ahead than',
  'from',
  'until',
  'from until',
  'empty',
  'filled',
] as const;
const NUMBERS = ['at least', 'at most', 'between', 'empty', 'filled'] as const;

/** Which tests fit which kind, the usual one first. */
export const OPERATORS: Record<SelectKind, readonly Operator[]> = {
  text: ['contains', 'lacks', 'is', 'begins with', 'empty', 'filled'],
  words: ['contains', 'lacks', 'begins with'],
  postcode: ['within', 'empty', 'filled'],
  number: NUMBERS,
  money: NUMBERS,
  day: DAYS,
  time: DAYS,
  'yes or no': ['yes', 'no'],
  choice: ['one of', 'none of', 'empty', 'filled'],
  choices: ['one of', 'all of', 'none of', 'empty', 'filled'],
  person: ['one of', 'none of', 'empty', 'filled'],
  client: ['one of', 'none of', 'empty', 'filled'],
};

/** How each kind of the firm's own fields is selected by. */
export const KIND_OF_FIELD: Record<FactKind, SelectKind> = {
  text: 'text',
  'long text': 'text',
  number: 'number',
  money: 'money',
  date: 'day',
  'yes or no': 'yes or no',
  choice: 'choice',
  choices: 'choices',
  person: 'person',
  client: 'client',
};

interface BuiltIn {
  of: Among;
  label: string;
  kind: SelectKind;
  unit?: string;
  /** Of yes or no: what is said of them, and its contrary. */
  yes?: string;
  no?: string;
}

/** What every office's records can be picked out by. */
export const SELECTABLE = {
  'client.name': { of: 'client', label: 'Name', kind: 'text' },
  'client.words': { of: 'client', label: 'Name, place, people or addresses', kind: 'words' },
  'client.status': { of: 'client', label: 'Status', kind: 'choice' },
  'client.adviser': { of: 'client', label: 'Adviser', kind: 'choice' },
  'client.service': { of: 'client', label: 'Service', kind: 'choice' },
  'client.kind': { of: 'client', label: 'Kind', kind: 'choice' },
  'client.tags': { of: 'client', label: 'Tags', kind: 'choices' },
  'client.interests': { of: 'client', label: 'Interests', kind: 'choices' },
  'client.since': { of: 'client', label: 'First year as a client', kind: 'number' },
  'client.place': { of: 'client', label: 'Place', kind: 'text' },
  'client.postcode': { of: 'client', label: 'Postcode', kind: 'postcode' },
  'client.country': { of: 'client', label: 'Country abroad', kind: 'choice' },
  'client.note': { of: 'client', label: 'Note', kind: 'text' },
  'client.email': {
    of: 'client',
    label: 'Email address',
    kind: 'yes or no',
    yes: 'have an email address',
    no: 'have no email address',
  },
  'client.letters': { of: 'client', label: 'Delivery of letters', kind: 'choice' },
  'client.statements': { of: 'client', label: 'Delivery of fee statements', kind: 'choice' },
  'client.mailings': { of: 'client', label: 'Delivery of mailings', kind: 'choice' },
  'client.optedOut': { of: 'client', label: 'Opt-outs', kind: 'choices' },
  'client.fileNumbers': { of: 'client', label: 'File numbers', kind: 'words' },
  'client.openFiles': { of: 'client', label: 'Open files', kind: 'number' },
  'client.spoken': { of: 'client', label: 'Last message', kind: 'time' },
  'client.heard': { of: 'client', label: 'Last word from them', kind: 'time' },
  'client.written': { of: 'client', label: 'Last word to them', kind: 'time' },
  'client.met': { of: 'client', label: 'Last call or meeting', kind: 'time' },
  'client.planned': { of: 'client', label: 'Next call or meeting planned', kind: 'time' },
  'client.weOwe': {
    of: 'client',
    label: 'We owe an answer',
    kind: 'yes or no',
    yes: 'wait for our answer',
    no: 'do not wait for our answer',
  },
  'client.theyOwe': {
    of: 'client',
    label: 'They owe an answer',
    kind: 'yes or no',
    yes: 'owe us an answer',
    no: 'owe us no answer',
  },
  'client.open': { of: 'client', label: 'Sum of open fees', kind: 'money' },
  'client.overdue': { of: 'client', label: 'Longest overdue fee', kind: 'number', unit: 'days' },
  'client.lists': { of: 'client', label: 'Fixed lists', kind: 'choices' },

  'person.firstName': { of: 'person', label: 'First name', kind: 'text' },
  'person.lastName': { of: 'person', label: 'Last name', kind: 'text' },
  'person.title': { of: 'person', label: 'Title', kind: 'text' },
  'person.note': { of: 'person', label: 'Note on the person', kind: 'text' },
  'person.addresses': { of: 'person', label: 'Email addresses', kind: 'words' },
  'person.email': {
    of: 'person',
    label: 'Email address in use',
    kind: 'yes or no',
    yes: 'have an email address in use',
    no: 'have no email address in use',
  },
  'person.returned': {
    of: 'person',
    label: 'Email returned',
    kind: 'yes or no',
    yes: 'have an address that mail came back from',
    no: 'have no address that mail came back from',
  },
  'person.phone': {
    of: 'person',
    label: 'Telephone',
    kind: 'yes or no',
    yes: 'have a telephone number',
    no: 'have no telephone number',
  },
  'person.optedOut': { of: 'person', label: 'Opt-outs', kind: 'choices' },
  'person.lists': { of: 'person', label: 'Fixed lists', kind: 'choices' },

  'file.number': { of: 'file', label: 'File number', kind: 'text' },
  'file.title': { of: 'file', label: 'File title', kind: 'text' },
  'file.adviser': { of: 'file', label: 'Adviser of the file', kind: 'choice' },
  'file.stage': { of: 'file', label: 'Stage', kind: 'choice' },
  'file.opened': { of: 'file', label: 'Day opened', kind: 'day' },
  'file.closed': { of: 'file', label: 'Day closed', kind: 'day' },
  'file.isOpen': { of: 'file', label: 'Open', kind: 'yes or no', yes: 'are open', no: 'are closed' },
  'file.general': {
    of: 'file',
    label: 'General correspondence',
    kind: 'yes or no',
    yes: 'are for general correspondence',
    no: 'are about a piece of work',
  },
  'file.heard': { of: 'file', label: 'Last word from the client', kind: 'time' },
  'file.written': { of: 'file', label: 'Last word to the client', kind: 'time' },
  'file.lists': { of: 'file', label: 'Fixed lists', kind: 'choices' },

  'fee note.number': { of: 'fee note', label: 'Fee note number', kind: 'text' },
  'fee note.issued': { of: 'fee note', label: 'Day issued', kind: 'day' },
  'fee note.due': { of: 'fee note', label: 'Day due', kind: 'day' },
  'fee note.paid': { of: 'fee note', label: 'Day paid', kind: 'day' },
  'fee note.amount': { of: 'fee note', label: 'Amount', kind: 'money' },
  'fee note.words': { of: 'fee note', label: 'Wording', kind: 'text' },

  'mailing.which': { of: 'mailing', label: 'Mailing', kind: 'choice' },
  'mailing.topic': { of: 'mailing', label: 'Topic', kind: 'choice' },
  'mailing.sent': { of: 'mailing', label: 'Day sent', kind: 'time' },
  'mailing.answered': {
    of: 'mailing',
    label: 'Answered',
    kind: 'yes or no',
    yes: 'were answered',
    no: 'were not answered',
  },
  'mailing.opened': {
    of: 'mailing',
    label: 'Opened',
    kind: 'yes or no',
    yes: 'were opened',
    no: 'were not seen to be opened',
  },
  'mailing.followed': {
    of: 'mailing',
    label: 'Link followed',
    kind: 'yes or no',
    yes: 'had a link followed',
    no: 'had no link followed',
  },
  'mailing.returned': {
    of: 'mailing',
    label: 'Returned',
    kind: 'yes or no',
    yes: 'came back',
    no: 'did not come back',
  },

  'message.from': { of: 'message', label: 'Writer', kind: 'choice' },
  'message.at': { of: 'message', label: 'Day written', kind: 'time' },
  'message.subject': { of: 'message', label: 'Subject', kind: 'text' },

  'entry.kind': { of: 'entry', label: 'Note, call or meeting', kind: 'choice' },
  'entry.at': { of: 'entry', label: 'Day of it', kind: 'time' },
  'entry.state': { of: 'entry', label: 'Planned or held', kind: 'choice' },
  'entry.staff': { of: 'entry', label: 'Colleagues who took part', kind: 'choices' },
  'entry.by': { of: 'entry', label: 'Written down by', kind: 'choice' },
  'entry.words': { of: 'entry', label: 'What it was about', kind: 'text' },
  'entry.outcome': { of: 'entry', label: 'How it went', kind: 'text' },
} as const satisfies Record<string, BuiltIn>;

/** A fact of every office's: one without its SQL does not compile. */
export type SelectableKey = keyof typeof SELECTABLE;

interface RelationInfo {
  of: Among;
  to: Among;
  /** As a line is headed, and told: `a file`. */
  one: string;
  label: string;
  /** Whether the tie itself says something: a role. */
  role?: true;
}

/** Ways from a record to what hangs on it. */
export const RELATIONS = {
  'client.people': { of: 'client', to: 'person', label: 'Their people', one: 'a person', role: true },
  'client.files': { of: 'client', to: 'file', label: 'Their files', one: 'a file' },
  'client.fees': { of: 'client', to: 'fee note', label: 'Their fee notes', one: 'a fee note' },
  'client.mailed': { of: 'client', to: 'mailing', label: 'Mailings they had', one: 'a mailing' },
  'client.messages': { of: 'client', to: 'message', label: 'Their correspondence', one: 'a message' },
  'client.entries': {
    of: 'client',
    to: 'entry',
    label: 'Their notes, calls and meetings',
    one: 'a note, call or meeting',
  },
  'person.clients': {
    of: 'person',
    to: 'client',
    label: 'Clients they belong to',
    one: 'a client',
    role: true,
  },
  'person.files': { of: 'person', to: 'file', label: 'Files they are named on', one: 'a file', role: true },
  'person.mailed': { of: 'person', to: 'mailing', label: 'Mailings they had', one: 'a mailing' },
  'person.entries': {
    of: 'person',
    to: 'entry',
    label: 'Calls and meetings they took part in',
    one: 'a call or meeting',
  },
  'file.client': { of: 'file', to: 'client', label: 'Its client', one: 'a client' },
  'file.people': { of: 'file', to: 'person', label: 'People named on it', one: 'a person', role: true },
  'file.fees': { of: 'file', to: 'fee note', label: 'Its fee notes', one: 'a fee note' },
  'file.messages': { of: 'file', to: 'message', label: 'Its correspondence', one: 'a message' },
  'file.entries': {
    of: 'file',
    to: 'entry',
    label: 'Its notes, calls and meetings',
    one: 'a note, call or meeting',
  },
} as const satisfies Record<string, RelationInfo>;
export type RelationKey = keyof typeof RELATIONS;

/** What the tie to a related record says of it, where it says something. */
export const ROLE = 'role';

/** One value that can be chosen. */
export interface Option {
  value: string | number;
  title: string;
}

/** A fact that can be selected by, as an office has it. */
export interface SelectableFact {
  key: string;
  of: Among;
  label: string;
  kind: SelectKind;
  /** Of numbers; else empty. */
  unit: string;
  /** Of yes or no: what is said of them, and its contrary. */
  yes: string;
  no: string;
  /** What can be chosen; empty where nothing is. */
  options: Option[];
  /** A field of the firm's own that was taken away. */
  gone: boolean;
}

/** All that an office's records can be selected by. */
export type Catalogue = SelectableFact[];

/** A relation by its name; none where there is no such. */
export function relationOf(key: string): (RelationInfo & { key: RelationKey }) | undefined {
  return Object.hasOwn(RELATIONS, key)
    ? { ...RELATIONS[key as RelationKey], key: key as RelationKey }
    : undefined;
}

/** The facts that lines about such a record can speak of. @param through the relation by which it was reached */
export function factsAbout(catalogue: Catalogue, among: Among, through?: string): SelectableFact[] {
  const role = through !== undefined && relationOf(through)?.role === true;
  return [...(role ? [ROLE_FACT] : []), ...catalogue.filter(({ of }) => of === among)];
}

const ROLE_FACT: SelectableFact = {
  key: ROLE,
  of: 'person',
  label: 'Role',
  kind: 'text',
  unit: '',
  yes: '',
  no: '',
  options: [],
  gone: false,
};

/** The usual test of a fact, with nothing said yet. */
export function beginTest({ kind }: Pick<SelectableFact, 'kind'>, op?: Operator): Test {
  const wanted = op ?? OPERATORS[kind][0];
  switch (wanted) {
    case 'contains':
    case 'lacks':
    case 'is':
    case 'begins with':
    case 'within':
      return { op: wanted, text: '' };
    case 'at least':
    case 'at most':
      return { op: wanted, value: 0 };
    case 'between':
      return { op: wanted, from: 0, to: 0 };
    case 'one of':
    case 'none of':
    case 'all of':
      return { op: wanted, values: [] };
    case 'from':
    case 'until':
      return { op: wanted, day: '' };
    case 'from until':
      return { op: wanted, from: '', to: '' };
    case 'in the last':
    case 'in the next':
    case 'longer ago than':
    case 'further ahead than':
      return { op: wanted, count: 3, unit: 'months' };
    default:
      return { op: wanted ?? 'filled' };
  }
}
