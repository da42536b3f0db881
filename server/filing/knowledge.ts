import { stateOf } from '../foundation/changes.ts';
import type { Knex } from 'knex';
import { lessonOf, type FilingKnowledge, type Unconnected } from '../../core/filing/decide.ts';
import { filingRegister, stateRead } from '../records/filingRegister.ts';
import type { AppContext } from '../foundation/context.ts';
import { Experience, type Lesson } from '../../core/filing/experience.ts';
import { filingMessage } from '../../core/filing/message.ts';
import type { FilingRegister } from '../../core/filing/register.ts';
import type { OfficeRule } from '../../core/filing/rules.ts';
import type { FilingState } from '../../core/filing/types.ts';
import { transact, type Database, type Transaction } from '../foundation/database.ts';
import { notFound } from '../foundation/refusal.ts';
import { holdTurn } from '../foundation/locks.ts';
import { readingOf } from '../reading/kept.ts';
import { fromJson, toJson } from '../foundation/json.ts';
import { unconnectedKinds } from './unconnected.ts';

const PAGE = 1000;

/** What was learned from people's decisions, held in this process and kept up with all others by reading new lessons. */
export class HeldExperience {
  readonly experience = new Experience();
  private last = 0;
  private reading: Promise<void> | null = null;

  /** Takes in the lessons added since, by whichever process. */
  catchUp(db: Knex): Promise<void> {
    this.reading ??= this.read(db).finally(() => (this.reading = null));
    return this.reading;
  }

  private async read(db: Knex): Promise<void> {
    for (;;) {
      const rows = await db('lesson')
        .where('id', '>', this.last)
        .orderBy('id')
        .limit(PAGE)
        .select('id', 'sign', 'lesson');
      for (const row of rows) {
        const lesson = fromJson('lesson.lesson', row.lesson);
        if (row.sign > 0) this.experience.learn(lesson);
        else this.experience.unlearn(lesson);
        this.last = Number(row.id);
      }
      if (rows.length < PAGE) return;
    }
  }
}

/** The office's own rules, oldest first. */
export async function readRules(db: Knex): Promise<OfficeRule[]> {
  const rows = await db('office_rule')
    .orderBy('id')
    .select('id', 'looks_at', 'pattern', 'outcome', 'file_id');
  return rows.map(({ id, looks_at, pattern, outcome, file_id }) => ({
    id,
    by: looks_at,
    pattern,
    then:
      outcome === 'file' || outcome === 'never' ? { kind: outcome, fileId: file_id ?? 0 } : { kind: outcome },
  }));
}

interface HeldKnowledge {
  learned: HeldExperience;
  rules: { state: string; rules: OfficeRule[]; unconnected: ReadonlySet<Unconnected> } | null;
}
const held = new WeakMap<AppContext, HeldKnowledge>();

/** All that filing decides from: the records, what was learned, the office's own rules; each read again only when it changed. */
export async function filingKnowledge(context: AppContext): Promise<FilingKnowledge> {
  const own = held.get(context) ?? { learned: new HeldExperience(), rules: null };
  held.set(context, own);
  const [register, state] = await Promise.all([
    filingRegister(context),
    stateOf(context.db, 'filing'),
    own.learned.catchUp(context.db),
  ]);
  if (own.rules?.state !== state)
    own.rules = {
      state,
      rules: await readRules(context.db),
      unconnected: new Set(await unconnectedKinds(context.db)),
    };
  const { rules, unconnected } = own.rules;
  const knowledge = { register, experience: own.learned.experience, rules, unconnected };
  statesOfRules.set(knowledge, own.rules.state);
  return knowledge;
}

const statesOfRules = new WeakMap<FilingKnowledge, string>();

/** Whether the records and the rules are still those that this was asked for by; what was learned since counts at once. */
export async function isCurrent(db: Knex, knowledge: FilingKnowledge): Promise<boolean> {
  const [records, rules] = await Promise.all([stateOf(db, 'records'), stateOf(db, 'filing')]);
  return records === stateRead(knowledge.register) && rules === statesOfRules.get(knowledge);
}

/** Where a person, or nobody yet, has put a message. */
export interface Settled {
  state: FilingState;
  decided_by: number | null;
  fileIds: readonly number[];
}

/**
 * Makes what is learned from a message fit where it stands now: a person's filing or setting aside teaches,
 * anything else does not. What it taught before is taken back. Lessons get their numbers in the order in
 * which they are committed: whoever adds one holds the topic's row until then.
 */
export async function teach(
  trx: Transaction,
  register: FilingRegister,
  messageId: number,
  settled: Settled,
): Promise<boolean> {
  await holdTurn(trx, 'lessons');
  const teaches = settled.decided_by !== null && (settled.state === 'logged' || settled.state === 'aside');
  const before = await trx('lesson')
    .where({ message_id: messageId })
    .orderBy('id', 'desc')
    .first('sign', 'evident', 'lesson');
  // What evidence taught stays until a person decides, and then gives way.
  if (!teaches && before?.evident) return false;
  const live = before && before.sign > 0 ? before : null;
  const now = teaches ? toJson('lesson.lesson', await lessonFrom(trx, register, messageId, settled)) : null;
  if ((live?.lesson ?? null) === now) return false;
  if (live) await trx('lesson').insert({ ...live, message_id: messageId, sign: -1 });
  if (now !== null) await trx('lesson').insert({ message_id: messageId, sign: 1, lesson: now });
  return true;
}

async function lessonFrom(
  trx: Transaction,
  register: FilingRegister,
  messageId: number,
  settled: Settled,
): Promise<Lesson> {
  const kept = await trx('message').where({ id: messageId }).first('raw_hash', 'at');
  if (!kept) throw notFound('That message');
  const message = filingMessage(register, (await readingOf(trx, kept.raw_hash)).read);
  return lessonOf(
    register,
    { ...message, at: kept.at.getTime() },
    settled.state === 'logged' ? [...settled.fileIds].sort((a, b) => a - b) : [],
  );
}

/**
 * Works the whole model out again from the decisions people made, and adds what differs from what was
 * learned along the way. Safe while servers run: they take the difference in like any other lesson.
 * @returns how many messages teach, and for how many the lesson was another
 */
export async function rebuildLessons(
  db: Database,
  register: FilingRegister,
): Promise<{ lessons: number; mended: number }> {
  let lessons = 0;
  let mended = 0;
  for (let after = 0; ;) {
    const rows = await db('message')
      .where('message.id', '>', after)
      .where((any) =>
        any
          .whereNotNull('decided_by')
          .orWhereExists((query) =>
            query.select(db.raw('1')).from('lesson').whereRaw('lesson.message_id = message.id'),
          ),
      )
      .orderBy('id')
      .limit(200)
      .select('id', 'state', 'decided_by');
    if (!rows.length) return { lessons, mended };
    for (const row of rows) {
      const changed = await transact(db, async (trx) => {
        const fileIds: number[] = await trx('filing').where({ message_id: row.id }).pluck('file_id');
        return teach(trx, register, row.id, { ...row, fileIds });
      });
      if (row.decided_by !== null) lessons++;
      if (changed) mended++;
    }
    after = rows.at(-1)?.id ?? after;
  }
}
