import type { Knex } from 'knex';
import { DateTime } from 'luxon';
import { countryName } from '../../core/address/country.ts';
import { fieldKey } from '../../core/facts/catalogue.ts';
import { ME } from '../../core/selection/evaluate.ts';
import {
  factsAbout,
  KIND_OF_FIELD,
  SELECTABLE,
  type Catalogue,
  type Option,
  type SelectableFact,
  type SelectableKey,
} from '../../core/selection/catalogue.ts';
import { problemsOf } from '../../core/selection/explain.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { readFirm } from '../foundation/firm.ts';
import { Refusal } from '../foundation/refusal.ts';
import { groupBy } from '../foundation/rows.ts';
import { ALL_TOPICS } from './facts.ts';
import { runningFor, type Running } from './query.ts';

/** So many mailings can be chosen among, the latest. */
const MAILINGS = 300;

const plain = (...values: [value: string, title: string][]): Option[] =>
  values.map(([value, title]) => ({ value, title }));
const WAYS = plain(['email', 'email'], ['post', 'post'], ['both', 'email and post'], ['none', 'nothing']);

/**
 * All that the office's records can be selected by, with what can be chosen, as it is now.
 * @param staffId who asks: lists that colleagues keep to themselves are not among what can be chosen
 */
export async function selectionCatalogue(db: Knex, staffId: number): Promise<Catalogue> {
  const [options, fields, choices] = await Promise.all([
    builtInOptions(db, staffId),
    db('field').orderBy('position').select('id', 'of', 'label', 'kind', 'unit', 'gone_at'),
    db('field_choice').orderBy('position').select('id', 'field_id', 'label'),
  ]);
  const choicesOf = groupBy(choices, (row) => row.field_id);
  const builtIn = Object.entries(SELECTABLE).map(([key, fact]): SelectableFact => ({
    key,
    unit: '',
    yes: '',
    no: '',
    ...fact,
    options: options[key as SelectableKey] ?? [],
    gone: false,
  }));
  const own = fields.map((field): SelectableFact => ({
    key: fieldKey(field.id),
    of: field.of,
    label: field.label,
    kind: KIND_OF_FIELD[field.kind],
    unit: field.unit,
    yes: '',
    no: '',
    options: (choicesOf.get(field.id) ?? []).map(({ id, label }) => ({ value: id, title: label })),
    gone: field.gone_at !== null,
  }));
  return [...builtIn, ...own];
}

async function builtInOptions(db: Knex, staffId: number): Promise<Partial<Record<SelectableKey, Option[]>>> {
  const listed = (table: 'service' | 'tag' | 'interest' | 'stage' | 'topic') =>
    db(table).orderBy(['position', 'name']).select({ value: 'id', title: 'name' }) as Promise<Option[]>;
  const [services, tags, interests, stages, topics, staff, mailings, lists, countries] = await Promise.all([
    listed('service'),
    listed('tag'),
    listed('interest'),
    listed('stage'),
    listed('topic'),
    advisers(db),
    db('mailing')
      .whereNotNull('released_at')
      .orderBy('released_at', 'desc')
      .limit(MAILINGS)
      .select({ value: 'id', title: 'name' }) as Promise<Option[]>,
    db('selection')
      .where({ fixed: 1 })
      .whereNotNull('name')
      .where((either) => either.where({ shared: 1 }).orWhere({ owner_id: staffId }))
      .orderBy('name')
      .select({ value: 'id', title: 'name', subject: 'subject' }) as Promise<
      (Option & { subject: string })[]
    >,
    countriesInUse(db),
  ]);
  const listsOf = (subject: string) =>
    lists.filter((list) => list.subject === subject).map(({ value, title }) => ({ value, title }));
  const outOf = [{ value: ALL_TOPICS, title: 'everything' }, ...topics];
  return {
    'client.status': plain(['active', 'Active'], ['past', 'Past'], ['prospect', 'Prospect']),
    'client.kind': ['person', 'couple', 'company', 'trust', 'estate', 'public body'].map((kind) => ({
      value: kind,
      title: kind,
    })),
    'client.adviser': staff,
    'client.service': services,
    'client.tags': tags,
    'client.interests': interests,
    'client.country': countries,
    'client.letters': WAYS,
    'client.statements': WAYS,
    'client.mailings': WAYS,
    'client.optedOut': outOf,
    'client.lists': listsOf('client'),
    'person.optedOut': outOf,
    'person.lists': listsOf('person'),
    'file.adviser': staff,
    'file.stage': stages,
    'file.lists': listsOf('file'),
    'mailing.which': mailings,
    'mailing.topic': topics,
    'entry.kind': plain(['note', 'note'], ['call', 'call'], ['meeting', 'meeting']),
    'entry.state': plain(['planned', 'planned'], ['done', 'held'], ['off', 'called off']),
    'entry.staff': staff,
    'entry.by': staff,
    'message.from': plain(['client', 'them'], ['us', 'us']),
  };
}

/** Whoever asks, then everybody who is here or still has clients or files. */
async function advisers(db: Knex): Promise<Option[]> {
  const staff = await db('staff')
    .where({ active: 1 })
    .orWhereIn('id', db('client').whereNotNull('adviser_id').distinct('adviser_id'))
    .orWhereIn('id', db('file').whereNotNull('adviser_id').distinct('adviser_id'))
    .orderBy('name')
    .select({ value: 'id', title: 'name' });
  return [{ value: ME, title: 'me' }, ...(staff as Option[])];
}

/** Where clients live; what is empty is the office's own country. */
async function countriesInUse(db: Knex): Promise<Option[]> {
  const codes: string[] = await db('client').distinct('country').orderBy('country').pluck('country');
  return codes.filter(Boolean).map((code) => ({ value: code, title: countryName(code) }));
}

/** What is to be known to run a selection for somebody today. */
export async function runningNow(db: Knex, staffId: number): Promise<Running> {
  const { zone } = await readFirm(db);
  return runningFor(db, { zone, me: staffId, today: DateTime.now().setZone(zone).toISODate() ?? '' });
}

/**
 * Refuses a selection that asks for what is not there any more: a number of whom it would find could not be trusted.
 * @param staffId who asks @param shown facts that are to be shown or sorted by
 * @throws Refusal (400) saying what, and what to do
 */
export async function refuseBroken(
  db: Knex,
  staffId: number,
  selection: Pick<Selection, 'of' | 'subject'>,
  shown: readonly string[] = [],
): Promise<void> {
  const catalogue = await selectionCatalogue(db, staffId);
  const [problem] = problemsOf(selection, catalogue);
  if (problem) throw new Refusal(400, problem.words, 'selection');
  const known = new Set(
    factsAbout(catalogue, selection.subject)
      .filter(({ gone }) => !gone)
      .map(({ key }) => key),
  );
  if (shown.some((key) => !known.has(key)))
    throw new Refusal(
      400,
      'A column that was chosen is not there any more. Choose the columns again.',
      'columns',
    );
}
