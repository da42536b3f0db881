import type { Knex } from 'knex';
import { FIELD_LABELS, type OrderChoices, type OrderTold } from '../../contract/index.ts';
import { fieldKey } from '../../core/facts/catalogue.ts';
import { dayWords } from '../../core/office/day.ts';
import type { OrderNames } from '../../core/orders/sentence.ts';
import { orderInWords } from '../../core/orders/sentence.ts';
import type { Catalogue } from '../../core/selection/catalogue.ts';
import { explain } from '../../core/selection/explain.ts';
import type { Subject } from '../../core/selection/tree.ts';
import { groupBy } from '../foundation/rows.ts';
import { selectionCatalogue } from '../selection/catalogue.ts';
import { wordingsFor } from '../writing/cupboard.ts';

type Field = OrderChoices['fields'][number];
const GONE = 'something that is not there any more';

/** So many released mailings can be chosen among, the latest. */
const MAILINGS = 300;

/** What the sentence of an order can name. @param staffId who chooses: wordings of their own are among the others */
export async function orderChoices(db: Knex, staffId: number): Promise<OrderChoices> {
  const [staff, templates, mailings, fields] = await Promise.all([
    db('staff').where({ active: 1 }).whereNull('left_at').orderBy('name').select('id', 'name'),
    wordingsFor(db, staffId)
      .where({ kind: 'template', own: 0 })
      .orderBy('name')
      .select<OrderChoices['templates']>('id', 'name', 'occasion'),
    db('mailing')
      .whereNull('head_id')
      .whereNull('colleagues')
      .whereIn('state', ['going', 'finished'])
      .orderBy('released_at', 'desc')
      .limit(MAILINGS)
      .select('id', 'name'),
    orderFields(db),
  ]);
  return { staff, templates, mailings, fields };
}

const KINDS: Record<string, Field['kind']> = {
  text: 'text',
  'long text': 'text',
  number: 'number',
  money: 'number',
  date: 'day',
  'yes or no': 'yes or no',
  choice: 'choice',
  choices: 'choices',
};

/** Fields that may come to be something: those whose changes are told one by one. */
async function orderFields(db: Knex): Promise<Field[]> {
  const listed = async (table: 'service' | 'stage' | 'tag' | 'interest') => {
    const names: string[] = await db(table).orderBy(['position', 'name']).pluck('name');
    return names.map((name) => ({ value: name, title: name }));
  };
  const [services, stages, tags, interests, staff, own, choices] = await Promise.all([
    listed('service'),
    listed('stage'),
    listed('tag'),
    listed('interest'),
    db('staff').orderBy('name').select({ value: 'id', title: 'name' }),
    db('field').whereNull('gone_at').orderBy('position').select('id', 'of', 'label', 'kind'),
    db('field_choice').orderBy('position').select('id', 'field_id', 'label'),
  ]);
  const choicesOf = groupBy(choices, (row) => row.field_id);
  const statuses = ['active', 'past', 'prospect'].map((value) => ({ value, title: value }));
  const builtIn = (
    of: Subject,
    fact: string,
    kind: Field['kind'],
    options: Field['options'] = [],
    settable = true,
  ): Field => ({ of, fact, kind, options, settable, label: FIELD_LABELS[fact] ?? fact });
  return [
    builtIn('client', 'status', 'choice', statuses),
    builtIn('client', 'adviserId', 'choice', staff),
    builtIn('client', 'service', 'choice', services),
    builtIn('client', 'tags', 'choices', tags),
    builtIn('client', 'interests', 'choices', interests),
    builtIn('file', 'stage', 'choice', stages),
    builtIn('file', 'adviserId', 'choice', staff),
    builtIn('file', 'opened', 'day', [], false),
    builtIn('file', 'closed', 'day', [], false),
    ...own.flatMap(({ id, of, label, kind }): Field[] => {
      const known = KINDS[kind];
      if (!known) return [];
      const options = (choicesOf.get(id) ?? []).map((row) => ({ value: row.id, title: row.label }));
      return [{ of, fact: fieldKey(id), label, kind: known, options, settable: of !== 'person' }];
    }),
  ];
}

/** What orders name by number, in words; what is gone is said to be. */
export async function orderNames(db: Knex): Promise<OrderNames> {
  const [wordings, staff, mailings, fields] = await Promise.all([
    db('wording').select('id', 'name'),
    db('staff').select('id', 'name'),
    db('mailing').select('id', 'name'),
    orderFields(db),
  ]);
  const named = (rows: readonly { id: number; name: string }[]) => {
    const names = new Map(rows.map(({ id, name }) => [id, name]));
    return (id: number) => names.get(id) ?? GONE;
  };
  const fieldOf = (of: Subject, fact: string) => fields.find((each) => each.of === of && each.fact === fact);
  return {
    wording: named(wordings),
    staff: named(staff),
    mailing: named(mailings),
    field: (of, fact) => fieldOf(of, fact)?.label ?? GONE,
    value: (of, fact, value) => valueWords(fieldOf(of, fact), value),
  };
}

function valueWords(field: Field | undefined, value: unknown): string {
  if (value === null || value === undefined || value === '') return '';
  if (Array.isArray(value)) return value.map((each) => valueWords(field, each)).join(', ');
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  const option = field?.options.find((each) => each.value === value);
  if (option) return option.title;
  return field?.kind === 'day' && typeof value === 'string' ? dayWords(value) : String(value);
}

/** What puts orders into words: read once for many. @param staffId who reads */
export async function ordersInWords(db: Knex, staffId: number) {
  const [names, catalogue] = await Promise.all([orderNames(db), selectionCatalogue(db, staffId)]);
  return (told: OrderTold, sends: boolean) => orderInWords(told, sends, whomOf(told, catalogue), names);
}

/** A selection as part of a sentence: `all present clients whose …`. */
function whomOf({ selection }: OrderTold, catalogue: Catalogue): string {
  if (!selection) return '';
  const words = explain(selection, catalogue).replace(/\.$/, '');
  return words.charAt(0).toLowerCase() + words.slice(1);
}
