import { isAddress } from '../address/address.ts';

/** What a column of a table may hold: a field of client, person or file, as `client.name`; of the firm's own as `field:12`. */
export const TARGETS = {
  'client.name': 'Client',
  'client.kind': 'Kind of client',
  'client.status': 'Status',
  'client.since': 'Client since',
  'client.service': 'Service',
  'client.place': 'Place',
  'client.postal': 'Postal address',
  'client.country': 'Country',
  'client.greeting': 'Greeting of the client',
  'client.adviser': 'Adviser',
  'client.note': 'Note on the client',
  'client.tags': 'Tags',
  'client.interests': 'Interests',
  'client.phone': 'Telephone of the client',
  'person.title': 'Title of a person',
  'person.firstName': 'First name',
  'person.lastName': 'Last name',
  'person.name': 'Whole name of a person',
  'person.email': 'Email address',
  'person.phone': 'Telephone of a person',
  'person.role': 'Role',
  'person.greeting': 'Greeting of a person',
  'file.number': 'File number',
  'file.title': 'File title',
  'file.stage': 'Stage',
  'file.opened': 'Opened',
  'file.closed': 'Closed',
  'fee.number': 'Fee note number',
  'fee.issued': 'Fee note issued',
  'fee.due': 'Fee note due',
  'fee.amount': 'Fee note amount, with tax',
  'fee.tax': 'Tax within the amount',
  'fee.paid': 'Fee note paid on',
  'fee.words': 'What the fee note is for',
} as const;
export type BuiltInTarget = keyof typeof TARGETS;
/** A field of the firm's own as a target, by its number. */
export type Target = BuiltInTarget | `field:${number}`;

/** Words that columns are headed by, folded; the first of a line's that fits is meant (common practice). */
const HEADED: readonly [BuiltInTarget, RegExp][] = [
  ['fee.number', /^(?:fee ?note|invoice|bill) ?(?:no|number|nr|ref(?:erence)?|id)?$/],
  [
    'fee.issued',
    /^(?:(?:fee ?note|invoice|bill) date|(?:date )?(?:issued|invoiced|billed)(?: on)?|fee note issued)$/,
  ],
  ['fee.due', /^(?:due|payable|(?:date )?due(?: on| by)?|due date|fee note due)$/],
  [
    'fee.amount',
    /^(?:amount|gross|total|fee|sum)(?: (?:with|incl(?:uding)?) ?tax)?$|^fee note amount with tax$/,
  ],
  ['fee.tax', /^(?:tax|vat|sales tax|tax within the amount)$/],
  ['fee.paid', /^(?:paid|paid on|date paid|payment date|fee note paid on)$/],
  ['fee.words', /^(?:what the fee note is for|fee ?note (?:text|words|description))$/],
  ['file.number', /^(?:file|matter|job|case|ref(?:erence)?) ?(?:no|number|nr|ref(?:erence)?|code|id)?$/],
  ['file.title', /^(?:file|matter|job|case) ?(?:title|name|description|subject)$|^subject$/],
  ['file.stage', /^(?:stage|phase|progress)$/],
  ['file.opened', /^(?:(?:date |file )?opened(?: on)?|open(?:ed)? date|start(?:ed)?(?: date)?)$/],
  ['file.closed', /^(?:(?:date |file )?closed(?: on)?|close(?:d)? date|end(?:ed)?(?: date)?)$/],
  ['person.firstName', /^(?:first ?name|forename|given ?name|christian name)s?$/],
  ['person.lastName', /^(?:last ?name|surname|family ?name)$/],
  ['person.title', /^(?:title|salutation|mr mrs|prefix)$/],
  ['person.greeting', /^(?:dear|greeting|salutation line)$/],
  ['person.email', /^e ?mails?(?: ?(?:address(?:es)?|1))?$/],
  ['person.phone', /^(?:mobile|cell)(?: ?(?:phone|number|no))?$/],
  ['client.phone', /^(?:tele)?phones?(?: ?(?:number|no))?$|^tel$/],
  ['person.role', /^(?:role|position|job title|relationship)$/],
  ['person.name', /^(?:contact|person|full)(?: ?name)?$/],
  ['client.kind', /^(?:kind|type|client type|type of client)$/],
  ['client.status', /^(?:status|client status)$/],
  ['client.since', /^(?:since|client since|year|first year as a client)$/],
  ['client.service', /^(?:service|service level|retainer|package)$/],
  [
    'client.postal',
    /^(?:(?:postal |full |street )?address(?: ?(?:line)? ?\d)?|street|county|post ?code|zip(?: code)?|postal code)$/,
  ],
  ['client.place', /^(?:place|town|city|location|village|parish)$/],
  ['client.country', /^country$/],
  ['client.adviser', /^(?:advis[eo]r|consultant|account manager|responsible|handler|owner)$/],
  ['client.note', /^(?:notes?|comments?|remarks?)$/],
  ['client.tags', /^(?:tags?|labels?|categor(?:y|ies)|keywords?)$/],
  ['client.interests', /^interests?$/],
  ['client.name', /^(?:client|customer|company|organi[sz]ation|estate|account|business)?(?: ?name)?$/],
];

/** A heading as it is compared. */
function folded(heading: string): string {
  return heading
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, ' ')
    .trim();
}

/** Several columns of a table may be lines of one postal address, or several addresses of one person. */
const SEVERAL: readonly Target[] = [
  'client.postal',
  'person.email',
  'person.phone',
  'client.phone',
  'client.tags',
  'client.interests',
  'client.note',
];

/** Whether more than one column may hold it. */
export function maySeveral(target: Target): boolean {
  return SEVERAL.includes(target);
}

/** A field of the firm's own, as a column may be headed by it. */
interface OwnHeading {
  id: number;
  label: string;
  unit: string;
}

/**
 * What each column most likely holds, by its heading, else by what stands in it; null where nobody could tell.
 * @param sample some rows
 * @param own fields of the firm's own
 */
export function guessColumns(
  header: readonly string[],
  sample: readonly (readonly string[])[],
  own: readonly OwnHeading[],
): (Target | null)[] {
  const taken = new Set<Target>();
  return header.map((heading, column) => {
    const cells = sample.map((row) => row[column] ?? '').filter(Boolean);
    const target = guess(folded(heading), cells, own);
    if (!target || (taken.has(target) && !maySeveral(target))) return null;
    taken.add(target);
    return target;
  });
}

function guess(heading: string, cells: readonly string[], own: readonly OwnHeading[]): Target | null {
  // In lists that were taken out here the unit stands beside it.
  const field = own.find(({ label, unit }) => [folded(label), folded(`${label} ${unit}`)].includes(heading));
  if (field) return `field:${field.id}`;
  const headed = heading ? HEADED.find(([, words]) => words.test(heading))?.[0] : undefined;
  if (headed) return headed;
  const addresses = cells.filter((cell) => isAddress(cell.trim())).length;
  return cells.length > 0 && addresses > cells.length * 0.7 ? 'person.email' : null;
}
