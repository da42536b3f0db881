import type { BeginningPart } from '../../contract/index.ts';

/** A page of Settings. The beginning of an office goes through those that it asks for, in this order. */
export interface SettingsPart {
  /** In the address. */
  key: string;
  title: string;
  /** What an office that begins is told of it. */
  why: string;
  /** Where it is seen to. */
  path: string;
  /** What the beginning calls it. */
  begins?: BeginningPart['key'];
}

export const PARTS: readonly SettingsPart[] = [
  {
    key: 'firm',
    title: 'The firm',
    why: 'Name, domains and postal address: what clients see, and by which mail from colleagues is told.',
    path: '/settings/firm',
    begins: 'firm',
  },
  {
    key: 'hours',
    title: 'Hours and holidays',
    why: 'When the office works.',
    path: '/settings/hours',
    begins: 'hours',
  },
  {
    key: 'numbers',
    title: 'File numbers',
    why: 'How they look, so that a number in a message leads to its file.',
    path: '/settings/numbers',
    begins: 'numbers',
  },
  {
    key: 'stages',
    title: 'Stages of a file',
    why: 'What a file goes through from opened to closed.',
    path: '/settings/stages',
    begins: 'stages',
  },
  {
    key: 'staff',
    title: 'Staff',
    why: 'Who works here, and may do what.',
    path: '/settings/staff',
    begins: 'staff',
  },
  {
    key: 'mailboxes',
    title: 'Mailboxes',
    why: 'Whose mail is kept in step and logged.',
    path: '/mailboxes/connect',
    begins: 'mailboxes',
  },
  {
    key: 'records',
    title: 'Records',
    why: 'Clients, their people and files.',
    path: '/clients/import',
    begins: 'records',
  },
  {
    key: 'services',
    title: 'Services',
    path: '/settings/services',
    why: 'What clients have you for: a retainer, one project, a yearly visit.',
  },
  {
    key: 'interests',
    title: 'Interests',
    path: '/settings/interests',
    why: 'What clients like to hear of, and are invited to.',
  },
  {
    key: 'tags',
    title: 'Tags',
    path: '/settings/tags',
    why: 'Words that clients are marked with, for any reason.',
  },
  {
    key: 'topics',
    title: 'Topics of mailings',
    path: '/settings/topics',
    why: 'What mailings are about. Somebody may opt out of one and go on having the others.',
  },
  {
    key: 'documents',
    title: 'Kinds of document',
    path: '/settings/documents',
    why: 'What lies on files: maps, reports, agreements. A mailing can take each client’s newest of a kind along.',
  },
  {
    key: 'frame',
    title: 'Frame of newsletters',
    path: '/settings/frame',
    why: 'What stands around a newsletter: logo, one colour, lines below. The logo may stand below signatures too.',
  },
  {
    key: 'paper',
    title: 'Letter paper',
    path: '/settings/paper',
    why: 'What stands on letters, fee notes and statements, where their address stands, and how you are paid.',
  },
  {
    key: 'ways',
    title: 'Ways of sending',
    path: '/settings/ways',
    why: 'How letters, statements and mailings go to a client who is new. Each client’s record says where it is otherwise.',
  },
  {
    key: 'reminders',
    title: 'Reminders',
    path: '/settings/reminders',
    why: 'After how many days an unpaid fee note is reminded of, how often, and whether that happens by itself.',
  },
  {
    key: 'fields',
    title: 'Fields of your own',
    path: '/settings/fields',
    why: 'What else you keep of clients, people and files.',
  },
  { key: 'mail', title: 'Folders and domains', path: '/settings/mail', why: '' },
  { key: 'texts', title: 'Text messages', path: '/settings/texts', why: '' },
  { key: 'door', title: 'Signing in', path: '/settings/door', why: '' },
];
