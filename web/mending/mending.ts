import type { Gap } from '../../contract/index.ts';

/** A list of records to work through: what it is called, why it matters, and the fields by which a row is mended. */
export interface GapInfo {
  gap: Gap;
  title: string;
  why: string;
  /** Changed where the row stands; none: on the record's own page. */
  fields: readonly (
    'firstName' | 'lastName' | 'greeting' | 'postal' | 'country' | 'adviserId' | 'addresses'
  )[];
  /** Whether it may be right as it is. */
  mayBeRight: boolean;
}

export const GAP_LIST: readonly GapInfo[] = [
  {
    gap: 'odd names',
    title: 'First names missing or odd',
    why: 'Letters begin with them: “Dear J.” and “Dear info” are read by the client.',
    fields: ['firstName', 'lastName'],
    mayBeRight: true,
  },
  {
    gap: 'greetings',
    title: 'Greetings that name nobody of theirs',
    why: 'The greeting stands before everything else, also when the people have changed.',
    fields: ['greeting'],
    mayBeRight: true,
  },
  {
    gap: 'addresses',
    title: 'Email addresses that fail',
    why: 'Mail to them came back, or they cannot be addresses.',
    fields: ['addresses'],
    mayBeRight: true,
  },
  {
    gap: 'postcodes',
    title: 'Postcodes that do not fit the country',
    why: 'Post goes astray, and the client is not found by postcode.',
    fields: ['postal', 'country'],
    mayBeRight: true,
  },
  {
    gap: 'no postal address',
    title: 'No postal address',
    why: 'Nothing can go to them by post.',
    fields: ['postal', 'country'],
    mayBeRight: true,
  },
  {
    gap: 'nobody written to',
    title: 'Nobody is written to',
    why: 'They have people, but none with an email address that mailings go to.',
    fields: [],
    mayBeRight: true,
  },
  {
    gap: 'nobody named',
    title: 'No people',
    why: 'Mail from them cannot be told by its sender.',
    fields: [],
    mayBeRight: true,
  },
  {
    gap: 'of no client',
    title: 'People of no client',
    why: 'They are in no list and on no page but this.',
    fields: [],
    mayBeRight: true,
  },
  {
    gap: 'no adviser',
    title: 'Clients without adviser',
    why: 'Nobody’s own list has them, and letters have nobody to come from.',
    fields: ['adviserId'],
    mayBeRight: false,
  },
  {
    gap: 'file without adviser',
    title: 'Open files without adviser',
    why: 'Nobody is asked about them.',
    fields: ['adviserId'],
    mayBeRight: false,
  },
];
