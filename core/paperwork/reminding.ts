import { daysBetween, isOpenOn, type Charged } from './ageing.ts';

/** In which tone a reminder is written: later ones are firmer. */
export const TONES = ['friendly', 'plain', 'firm'] as const;
export type Tone = (typeof TONES)[number];

/** When somebody is reminded, in days; how often at most. */
export interface RemindRule {
  off: boolean;
  /** So many days after it was due the first goes. */
  after: number;
  /** So many days after each the next goes. */
  every: number;
  most: number;
}

/** What is otherwise for one client or one fee note; what is null there is as elsewhere. */
export interface OwnRemindRule {
  off: boolean;
  after: number | null;
  every: number | null;
  most: number | null;
}

/** A fee note with what was said of it already. */
export interface Reminded extends Charged {
  /** The last reminder that went, 0 for none; and on which day. */
  step: number;
  remindedOn: string | null;
  /** The client has answered a reminder since, and nobody has said that reminding goes on. */
  answered: boolean;
}

/** Where reminding stands of a fee note on a day. */
export type RemindState =
  | { what: 'paid' | 'not due' | 'off' | 'answered' | 'all sent' }
  /** The next goes on that day; `now` when it has come. */
  | { what: 'now' | 'later'; step: number; on: string };

/** The firm's rule as it stands for a fee note: what is set for it, else for its client. */
export function ruleFor(
  firm: Omit<RemindRule, 'off'>,
  client: OwnRemindRule | null,
  note: OwnRemindRule | null,
): RemindRule {
  const own = (key: 'after' | 'every' | 'most') => note?.[key] ?? client?.[key] ?? firm[key];
  return {
    off: note ? note.off : (client?.off ?? false),
    after: own('after'),
    every: own('every'),
    most: own('most'),
  };
}

/** Where reminding stands of a fee note; days as `2026-05-03`. What is due today is not over it yet. */
export function remindState(note: Reminded, rule: RemindRule, today: string): RemindState {
  if (!isOpenOn(note, today)) return { what: 'paid' };
  if (rule.off) return { what: 'off' };
  if (note.answered) return { what: 'answered' };
  if (note.step >= rule.most) return { what: 'all sent' };
  const step = note.step + 1;
  const on =
    note.remindedOn === null || note.step === 0
      ? addDays(note.dueOn, rule.after)
      : addDays(note.remindedOn, rule.every);
  if (daysBetween(note.dueOn, today) <= 0 && on > today) return { what: 'not due' };
  return { what: on <= today ? 'now' : 'later', step, on };
}

/** In which tone the reminder of that number is written; what comes after the third stays firm. */
export function toneOf(step: number): Tone {
  return TONES[Math.min(Math.max(step, 1), TONES.length) - 1] ?? 'friendly';
}

/** A day so many days later. */
export function addDays(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);
}
