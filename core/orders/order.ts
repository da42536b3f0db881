import type { Selection, Subject } from '../selection/tree.ts';

/**
 * A standing order is a sentence: *when* something happens, *and* a selection holds of whom it happened to, *then*
 * steps, one after another.
 */
export interface Told {
  when: When;
  /** Of whom, if not of everybody. */
  selection: Selection | null;
  steps: readonly Step[];
  /** It stops for somebody who fits the selection no more; and, if so said, who has written to us since it began. */
  stops: { unfit: boolean; answered: boolean };
}

/** What an order waits for. Days count by the office's calendar. */
export type When =
  | { on: 'client new' | 'person new' | 'file opened' }
  /** A field comes to hold a value; a list, to have it among others; null: whatever is put there. */
  | { on: 'becomes'; of: Subject; fact: string; value: string | number | boolean | null }
  /** So many days before or after a day that stands in a record; every year, if so said. */
  | { on: 'day'; of: Subject; fact: string; days: number; side: 'before' | 'after'; yearly: boolean }
  /** A day of each month: in shorter ones the last. */
  | { on: 'month'; day: number }
  | { on: 'message comes' | 'message leaves'; words: string }
  | { on: 'mailing answered' | 'mailing opened'; mailingId: number | null }
  | { on: 'mailing unanswered' | 'mailing unopened'; mailingId: number | null; days: number }
  | { on: 'answer owed'; days: number }
  | { on: 'fee note entered' | 'fee note paid' }
  /** So many days before it is due; or after, while it is open. */
  | { on: 'fee note due' | 'fee note overdue'; days: number }
  | { on: 'document comes' | 'document shared'; words: string }
  /** Asked for on their page so many days ago, and not come. */
  | { on: 'wanted'; days: number }
  | { on: 'meeting over' };
export type On = When['on'];

/** Whoever has to do with a client: their adviser, who keeps the order, or somebody by number. */
export type Who = 'adviser' | 'owner' | number;

/** How long a step waits for its time, from the one before; at once where that says nothing. */
export interface Wait {
  days: number;
  /** Days on which the office works. */
  working: boolean;
}

export type Act =
  /** A template as an email in somebody's name; null: that which serves the occasion. */
  | { do: 'message'; wordingId: number | null; by: Who }
  /** A template as a letter on paper, on its way as the client wants letters. */
  | { do: 'letter'; wordingId: number | null }
  /** A mailing that has been released goes to them too, and its series with it. */
  | { do: 'mailing'; mailingId: number }
  /** A text message to whoever it is about: to a number that agreed. */
  | { do: 'text'; words: string }
  | { do: 'note'; words: string }
  | { do: 'task'; words: string; for: Who; days: number }
  | { do: 'tell'; who: Who; words: string }
  /** A field of the client or file comes to hold something. */
  | { do: 'change'; of: 'client' | 'file'; change: FieldChange };
export type Doing = Act['do'];

/** One change of one field; as contract/many.ts has it, which is the same by the compiler's word. */
export type FieldChange =
  | { what: 'status'; value: 'active' | 'past' | 'prospect' }
  | { what: 'adviser'; value: number | null }
  | { what: 'service' | 'stage'; value: string | null }
  | { what: 'add tag' | 'drop tag' | 'add interest' | 'drop interest'; value: string }
  | { what: 'field'; key: string; value: FieldValue };
type FieldValue = string | number | boolean | number[] | null;

export interface Step {
  wait: Wait;
  act: Act;
}

/** Which acts reach a client: what a manager alone lets go by itself, and what is never said twice. */
export const REACHING: readonly Doing[] = ['message', 'letter', 'mailing', 'text'];

/** An order has so many steps at most. */
export const MOST_STEPS = 8;
/** Orders that set each other off: so many in a row, and no further. */
export const LONGEST_CHAIN = 4;

/** What can be asked of those an order is about: clients always, files and people where it knows one. */
export const SUBJECTS_OF: Record<On, readonly Subject[]> = {
  'client new': ['client'],
  'person new': ['client', 'person'],
  'file opened': ['client', 'file'],
  becomes: ['client'],
  day: ['client'],
  month: ['client'],
  'message comes': ['client', 'person', 'file'],
  'message leaves': ['client', 'file'],
  'mailing answered': ['client', 'person'],
  'mailing opened': ['client', 'person'],
  'mailing unanswered': ['client', 'person'],
  'mailing unopened': ['client', 'person'],
  'answer owed': ['client', 'file'],
  'fee note entered': ['client'],
  'fee note paid': ['client'],
  'fee note due': ['client'],
  'fee note overdue': ['client'],
  'document comes': ['client', 'file'],
  'document shared': ['client', 'person', 'file'],
  wanted: ['client', 'person', 'file'],
  'meeting over': ['client', 'file'],
};

/** What those may be asked about whom something happened, one kind of record at a time. */
export function subjectsOf(when: When): readonly Subject[] {
  if (when.on !== 'becomes' && when.on !== 'day') return SUBJECTS_OF[when.on];
  return when.of === 'client' ? ['client'] : ['client', when.of];
}

/** What only time brings about; all else is told by what is done. */
export const TIMED: readonly On[] = [
  'day',
  'month',
  'mailing unanswered',
  'mailing unopened',
  'answer owed',
  'wanted',
  'fee note due',
  'fee note overdue',
  'meeting over',
];
export const isTimed = ({ on }: Pick<When, 'on'>): boolean => TIMED.includes(on);

/** Which default wording of the cupboard serves what happened. */
export function occasionOf(
  when: When,
):
  | 'file opened'
  | 'fee note sent'
  | 'answer owed'
  | 'client welcomed'
  | 'client leaving'
  | 'document shared'
  | null {
  switch (when.on) {
    case 'file opened':
      return 'file opened';
    case 'document shared':
      return 'document shared';
    case 'client new':
      return 'client welcomed';
    case 'fee note entered':
      return 'fee note sent';
    case 'answer owed':
      return 'answer owed';
    case 'becomes':
      if (when.of !== 'client' || when.fact !== 'status') return null;
      return when.value === 'past' ? 'client leaving' : when.value === 'active' ? 'client welcomed' : null;
    default:
      return null;
  }
}
