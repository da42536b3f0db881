import type { Knex } from 'knex';
import { z } from 'zod';
import {
  FirmSettings,
  type FirmChange,
  type FirmField,
  type FirmView,
  type NumbersLearned,
  type NumberTrial,
} from '../../contract/index.ts';
import { CannotLearn, isFileNumber, learnNumbers, numberAfter } from '../../core/office/fileNumbers.ts';
import { DateTime } from 'luxon';
import { noteAudit } from '../foundation/audit.ts';
import { noteChange } from '../foundation/changes.ts';
import { transact, type Database } from '../foundation/database.ts';
import { readFirm, writeFirm, type Firm } from '../foundation/firm.ts';
import { refuseStale } from '../foundation/stale.ts';
import { Refusal } from '../foundation/refusal.ts';
import { countOf, selectFirst } from '../foundation/rows.ts';

/** All that the firm has settled about itself on the pages of Settings. */
export async function viewFirm(db: Knex): Promise<FirmView> {
  return asView(await readFirm(db));
}

function asView(firm: Firm): FirmView {
  const examples = firm.numberExamples.length ? firm.numberExamples : [firm.firstNumber].filter(Boolean);
  return {
    ...FirmSettings.parse(firm),
    numbersPattern: firm.fileNumberPattern,
    numbersWords: examples.length ? learnNumbers(examples).words : '',
  };
}

/**
 * Changes some of it. What the person saw when they began is compared, field by field, with what stands there now.
 * @throws Refusal (409) with what stands there when somebody else has changed one of these fields meanwhile
 */
export async function changeFirm(
  db: Database,
  staffId: number,
  { before, after }: FirmChange,
): Promise<FirmView> {
  return transact(db, async (trx) => {
    // Held, so that two changes come one after the other.
    await trx('setting').where({ name: 'firm' }).forUpdate().first('name');
    const firm = await readFirm(trx);
    const fields = Object.keys(after) as FirmField[];
    const now = FirmSettings.parse(firm);
    refuseStale(fields, before, now, after);
    const changed: Firm = { ...firm, ...after };
    if (after.numberExamples) changed.fileNumberPattern = patternOf(after.numberExamples, firm);
    await writeFirm(trx, changed);
    await noteAudit(trx, {
      staffId,
      action: 'settings changed',
      subject: 'firm',
      id: 0,
      before: Object.fromEntries(fields.map((field) => [field, now[field]])),
      after,
    });
    await noteChange(trx, 'records');
    return asView(changed);
  });
}

function patternOf(examples: readonly string[], firm: Firm): string {
  if (!examples.some((each) => each.trim())) return learnNumbers([firm.firstNumber || 'F-00000']).pattern;
  try {
    return learnNumbers(examples).pattern;
  } catch (error) {
    throw error instanceof CannotLearn ? new Refusal(400, error.message, 'numberExamples') : error;
  }
}

/** What would be learned from examples, how it fares with others, and with the files there are. */
export async function tryNumbers(
  db: Knex,
  { examples, tries }: z.output<typeof NumberTrial>,
): Promise<NumbersLearned> {
  const firm = await readFirm(db);
  try {
    const { pattern, words } = learnNumbers(examples);
    const typed = tries.map((each) => each.trim()).filter(Boolean);
    return {
      words,
      tries: typed.map((each) => ({ typed: each, fits: isFileNumber(pattern, each) })),
      next: nextOrNull(pattern, [...examples].sort().at(-1) ?? null),
      problem: null,
      unfitting: await countOf(db('file').whereNot('number', 'rlike', `^(?:${pattern})$`)),
    };
  } catch (error) {
    if (!(error instanceof CannotLearn)) throw error;
    return {
      words: firm.numberExamples.length ? learnNumbers(firm.numberExamples).words : '',
      tries: [],
      next: null,
      problem: error.message,
      unfitting: 0,
    };
  }
}

function nextOrNull(pattern: string, highest: string | null): string | null {
  try {
    return numberAfter(pattern, highest);
  } catch {
    return null;
  }
}

/** The day it is in the firm's zone. */
export async function firmToday(db: Knex): Promise<string> {
  const { zone } = await readFirm(db);
  return DateTime.now().setZone(zone).toISODate() ?? '';
}

/**
 * The number of a file about to be opened. Who asks holds the turn `numbers`, so that no two get the same.
 * @throws Refusal when none follows the highest there is
 */
export async function nextFileNumber(trx: Knex): Promise<string> {
  const firm = await readFirm(trx);
  const files = trx('file').orderByRaw('number_length DESC, number DESC').limit(1);
  const highest = await selectFirst(files, { number: 'file.number' });
  const known = highest?.number ?? ([...firm.numberExamples].sort().at(-1) || firm.firstNumber || null);
  const year = DateTime.now().setZone(firm.zone).year;
  try {
    return numberAfter(firm.fileNumberPattern, known, firm.numbersAnew ? year : null);
  } catch (error) {
    throw error instanceof CannotLearn ? new Refusal(409, error.message) : error;
  }
}
