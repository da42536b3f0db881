import { readableBy } from '../correspondence/access.ts';
import type { Knex } from 'knex';
import type { Rule, RuleDraft, RuleTrial } from '../../contract/index.ts';
import { addressKey, shownName } from '../../core/address/address.ts';
import { ruleWords, type OfficeRule } from '../../core/filing/rules.ts';
import { noteAudit } from '../foundation/audit.ts';
import { isDuplicate } from '../foundation/database.ts';
import { beat } from '../foundation/pulse.ts';
import { filesByIds } from '../records/files.ts';
import { readRules } from './knowledge.ts';
import { notFound, Refusal } from '../foundation/refusal.ts';
import { likePattern } from '../foundation/rows.ts';

/** A rule is tried on this many of the newest messages. */
const LOOKED = 20_000;
const SAMPLE = 8;

/** The office's rules with who made them. */
export async function listRules(db: Knex): Promise<Rule[]> {
  const [rules, rows] = await Promise.all([
    readRules(db),
    db('office_rule')
      .join('staff', 'staff.id', 'office_rule.made_by')
      .select('office_rule.id', 'office_rule.made_at', 'staff.name'),
  ]);
  const made = new Map(rows.map((row) => [row.id as number, row]));
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

/** What the rule would have done: how many of the newest messages it speaks of, and how many it would have moved. */
export async function tryRule(db: Knex, staffId: number, draft: RuleDraft): Promise<RuleTrial> {
  const rule: OfficeRule = { id: 0, ...draft };
  const file =
    'fileId' in draft.then ? (await filesByIds(db, [draft.then.fileId])).get(draft.then.fileId) : undefined;
  if ('fileId' in draft.then && !file) throw notFound('That file');
  // Counted, not reckoned from the numbers, which go up in greater steps where several databases write.
  const beyond = await db('message').orderBy('id', 'desc').offset(LOOKED).first('id');
  const from = Number(beyond?.id ?? 0);
  const matching = () => matched(db, rule).where('message.id', '>', from);
  const moving = () => elsewhere(matching(), rule);
  const [matches, moves, overPeople, sample] = await Promise.all([
    matching().countDistinct('message.id as count').first(),
    moving().countDistinct('message.id as count').first(),
    moving().whereNotNull('message.decided_by').countDistinct('message.id as count').first(),
    readableBy(db, moving(), staffId)
      .orderBy('message.at', 'desc')
      .limit(SAMPLE)
      .distinct(
        'message.id',
        'message.at',
        'message.from_name',
        'message.from_address',
        'message.subject',
        'message.state',
      ),
  ]);
  return {
    words: ruleWords(rule, file?.number ?? ''),
    matches: Number(matches?.count ?? 0),
    moves: Number(moves?.count ?? 0),
    overPeople: Number(overPeople?.count ?? 0),
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

/** Messages of which a rule speaks; the same that `ruleMatches` would find, through the database's keys. */
function matched(db: Knex, rule: OfficeRule): Knex.QueryBuilder {
  const query = db('message').whereNot('message.state', 'private');
  if (rule.by === 'list') return query.where('message.list_id', 'like', `%${likePattern(rule.pattern)}`);
  if (rule.by === 'subject') return query.where('message.subject', 'like', likePattern(rule.pattern));
  query.join('message_party', 'message_party.message_id', 'message.id');
  return rule.by === 'address'
    ? query.where('message_party.email_key', addressKey(rule.pattern))
    : query.where('message_party.domain', rule.pattern.toLowerCase().replace(/^@/, ''));
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

/** Keeps a rule from now on. */
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
  const [id = 0] = await db('office_rule')
    .insert({ ...row, made_by: staffId, made_at: new Date() })
    .catch((error: unknown) => {
      throw isDuplicate(error) ? new Refusal(409, 'There is such a rule already.', 'pattern') : error;
    });
  await noteAudit(db, staffId, 'rule made', 'office_rule', id, null, draft);
  await beat(db, 'filing');
  const rule = (await listRules(db)).find((each) => each.id === id);
  if (!rule) throw notFound('That rule');
  return rule;
}

export async function dropRule(db: Knex, staffId: number, id: number): Promise<void> {
  const before = await db('office_rule').where({ id }).first();
  if (!before) throw notFound('That rule');
  await db('office_rule').where({ id }).delete();
  await noteAudit(db, staffId, 'rule dropped', 'office_rule', id, before, null);
  await beat(db, 'filing');
}
