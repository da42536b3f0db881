import { readableBy } from '../correspondence/access.ts';
import type { Knex } from 'knex';
import type { Rule, RuleDraft, RuleTrial } from '../../contract/index.ts';
import { addressKey, shownName } from '../../core/address/address.ts';
import { ruleMatches, ruleWords, type OfficeRule } from '../../core/filing/rules.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate, transact } from '../foundation/database.ts';
import { noteChange } from '../foundation/changes.ts';
import { filesByIds } from '../records/files.ts';
import { readRules } from './knowledge.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { countOf, groupBy, select } from '../foundation/rows.ts';

/** A rule is tried on this many of the newest messages. */
const LOOKED = 20_000;
const PAGE = 2000;
const SAMPLE = 8;

/** The office's rules with who made them. */
export async function listRules(db: Knex): Promise<Rule[]> {
  const [rules, rows] = await Promise.all([
    readRules(db),
    select(db('office_rule').join('staff', 'staff.id', 'office_rule.made_by'), {
      id: 'office_rule.id',
      made_at: 'office_rule.made_at',
      name: 'staff.name',
    }),
  ]);
  const made = new Map(rows.map((row) => [row.id, row]));
  const files = await filesByIds(
    db,
    rules.flatMap(({ then }) => ('fileId' in then ? [then.fileId] : [])),
  );
  return rules.map((rule) => {
    const file = 'fileId' in rule.then ? (files.get(rule.then.fileId) ?? null) : null;
    return {
      id: rule.id,
      words: ruleWords(rule, file?.number ?? ''),
      by: rule.by,
      pattern: rule.pattern,
      file,
      madeBy: made.get(rule.id)?.name ?? '',
      madeAt: made.get(rule.id)?.made_at.toISOString() ?? '',
    };
  });
}

/**
 * What the rule would have done: how many of the newest messages it speaks of, and how many it would have moved.
 * @throws Refusal when there is no such file
 */
export async function tryRule(db: Knex, staffId: number, draft: RuleDraft): Promise<RuleTrial> {
  const rule: OfficeRule = { id: 0, ...draft };
  const file =
    'fileId' in draft.then ? (await filesByIds(db, [draft.then.fileId])).get(draft.then.fileId) : undefined;
  if ('fileId' in draft.then && !file) throw notFound('That file');
  const matches = await matching(db, rule);
  const moving = () => elsewhere(db('message').whereIn('message.id', matches), rule);
  const [moves, overPeople, sample] = await Promise.all([
    countOf(moving()),
    countOf(moving().whereNotNull('message.decided_by')),
    select(readableBy(db, moving(), staffId).orderBy('message.at', 'desc').limit(SAMPLE), {
      id: 'message.id',
      at: 'message.at',
      from_name: 'message.from_name',
      from_address: 'message.from_address',
      subject: 'message.subject',
      state: 'message.state',
    }),
  ]);
  return {
    words: ruleWords(rule, file?.number ?? ''),
    matches: matches.length,
    moves: moves,
    overPeople,
    sample: sample.map((row) => ({
      id: row.id,
      at: row.at.toISOString(),
      from: shownName(row.from_name, row.from_address),
      subject: row.subject,
      state: row.state,
    })),
    looked: LOOKED,
  };
}

/** Of the newest messages those of which a rule speaks, by the very function that decides on new ones. */
async function matching(db: Knex, rule: OfficeRule): Promise<number[]> {
  const found: number[] = [];
  for (let looked = 0, before = Number.MAX_SAFE_INTEGER; looked < LOOKED; looked += PAGE) {
    const rows: Looked[] = await db('message')
      .where('id', '<', before)
      .orderBy('id', 'desc')
      .limit(PAGE)
      .select('id', 'state', 'subject', 'list_id', 'from_address');
    if (!rows.length) break;
    const parties = await db('message_party')
      .whereIn(
        'message_id',
        rows.map(({ id }) => id),
      )
      .whereNot({ role: 'from' })
      .select('message_id', 'email');
    const recipientsOf = groupBy(parties, ({ message_id }) => message_id);
    for (const row of rows) {
      const recipients = (recipientsOf.get(row.id) ?? []).map(({ email }) => ({ address: email }));
      const from = row.from_address ? { address: row.from_address } : null;
      const view = { subject: row.subject, list: row.list_id, from, recipients };
      if (row.state !== 'private' && ruleMatches(rule, view)) found.push(row.id);
    }
    before = rows.at(-1)?.id ?? 0;
  }
  return found;
}

interface Looked {
  id: number;
  state: string;
  subject: string;
  list_id: string;
  from_address: string;
}

/** Narrows to those that the rule would put elsewhere than they are. */
function elsewhere(query: Knex.QueryBuilder, rule: OfficeRule): Knex.QueryBuilder {
  if (rule.then.kind === 'aside' || rule.then.kind === 'private')
    return query.whereNot('message.state', rule.then.kind);
  const { fileId } = rule.then;
  const onFile = (sub: Knex.QueryBuilder) =>
    sub.select(1).from('filing').whereRaw('filing.message_id = message.id').where('filing.file_id', fileId);
  return rule.then.kind === 'file' ? query.whereNotExists(onFile) : query.whereExists(onFile);
}

/** Keeps a rule from now on. @throws Refusal when there is no such file, or such a rule already */
export async function makeRule(db: Knex, staffId: number, draft: RuleDraft): Promise<Rule> {
  const fileId = 'fileId' in draft.then ? draft.then.fileId : null;
  if (fileId !== null && !(await db('file').where({ id: fileId }).first('id'))) throw notFound('That file');
  const row = {
    looks_at: draft.by,
    pattern: draft.by === 'address' ? addressKey(draft.pattern) : draft.pattern,
    outcome: draft.then.kind,
    file_id: fileId,
  };
  // A unique key takes two nulls for different: without a file we look ourselves.
  if (await db('office_rule').where(row).first('id'))
    throw new Refusal(409, 'There is such a rule already.', 'pattern');
  const id = await transact(db, async (trx) => {
    const [made = 0] = await trx('office_rule').insert({ ...row, made_by: staffId, made_at: new Date() });
    await noteAudit(trx, { staffId, action: 'rule made', subject: 'office_rule', id: made, after: draft });
    await noteChange(trx, 'filing');
    return made;
  }).catch((error: unknown) => {
    throw isDuplicate(error) ? new Refusal(409, 'There is such a rule already.', 'pattern') : error;
  });
  const rule = (await listRules(db)).find((each) => each.id === id);
  if (!rule) throw notFound('That rule');
  return rule;
}

/** Drops a rule; what it has filed stays where it is. @throws Refusal when there is none of that number */
export async function dropRule(db: Knex, staffId: number, id: number): Promise<void> {
  const before = await db('office_rule').where({ id }).first();
  if (!before) throw notFound('That rule');
  await transact(db, async (trx) => {
    await trx('office_rule').where({ id }).delete();
    await noteAudit(trx, { staffId, action: 'rule dropped', subject: 'office_rule', id, before });
    await noteChange(trx, 'filing');
  });
}
