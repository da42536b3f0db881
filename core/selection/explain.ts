import { dayWords } from '../office/day.ts';
import { factsAbout, relationOf, type Among, type Catalogue, type SelectableFact } from './catalogue.ts';
import { fits } from './evaluate.ts';
import {
  isGroup,
  isRelated,
  isSaid,
  saidLines,
  type Criterion,
  type Line,
  type Match,
  type Selection,
  type Subject,
  type Test,
} from './tree.ts';

/** What is wrong with a line: where it stands (places in each list of lines, from outside in), and why. */
export interface Problem {
  path: number[];
  words: string;
}

/** The fact a criterion speaks of; none where there is no such. */
export function factOf(
  catalogue: Catalogue,
  { fact }: Pick<Criterion, 'fact'>,
  among: Among,
  through?: string,
): SelectableFact | undefined {
  return factsAbout(catalogue, among, through).find(({ key }) => key === fact);
}

/** What keeps a selection from being run: fields that were taken away, choices that are gone, tests that do not fit. */
export function problemsOf(
  { of, subject }: Pick<Selection, 'of' | 'subject'>,
  catalogue: Catalogue,
): Problem[] {
  const within = (
    lines: readonly Line[],
    among: Among,
    path: readonly number[],
    through?: string,
  ): Problem[] =>
    lines.flatMap((line, at): Problem[] => {
      const here = [...path, at];
      if (isGroup(line)) return within(line.of, among, here, through);
      if (isRelated(line)) {
        const relation = relationOf(line.through);
        if (relation?.of !== among) return [{ path: here, words: 'This line leads nowhere. Take it away.' }];
        return within(line.of, relation.to, here, line.through);
      }
      const words = wrongWith(line, factOf(catalogue, line, among, through));
      return words ? [{ path: here, words }] : [];
    });
  return within(of, subject, []);
}

function wrongWith(criterion: Criterion, fact: SelectableFact | undefined): string | null {
  if (!fact) return 'What this line asks for is not known here. Take it away.';
  if (fact.gone)
    return `The field “${fact.label}” has been taken away. Take this line away too, or bring the field back in Settings.`;
  if (!fits(fact, criterion.test)) return `“${fact.label}” cannot be asked this. Choose again.`;
  const gone = goneValues(criterion.test, fact);
  if (gone)
    return `${gone === 1 ? 'One' : gone} of what was chosen for “${fact.label}” is no longer there. Choose again.`;
  if (criterion.test.op === 'between' && criterion.test.from > criterion.test.to)
    return 'The first number is larger than the second.';
  if (isSaid(criterion) && criterion.test.op === 'from until' && criterion.test.from > criterion.test.to)
    return 'The first day is after the second.';
  return null;
}

function goneValues(test: Test, { kind, options }: SelectableFact): number {
  if (!('values' in test) || (kind !== 'choice' && kind !== 'choices')) return 0;
  return test.values.filter((value) => !options.some((option) => option.value === value)).length;
}

const PLURAL: Record<Subject, string> = { client: 'Clients', person: 'People', file: 'Files' };
/** How the lines of a group are headed where it is worked on. */
export const HEADS: Record<Match, string> = {
  all: 'all of these',
  any: 'any of these',
  none: 'none of these',
};

/** A selection in one plain sentence, with what is said by hand. */
export function explain(selection: Selection, catalogue: Catalogue): string {
  const { subject, of, past, added, removed, only } = selection;
  const clauses = saidLines(of).map((line) => clause(line, subject, catalogue));
  const who = `${past ? '' : PAST_OUT[subject]}${PLURAL[subject].toLowerCase()}`;
  const [but, plain] = [clauses.filter(isBut), clauses.filter((words) => !isBut(words))];
  const sentence = [`All ${who}`, plain.length ? listed(plain, 'and') : '', but.join(', and ')]
    .filter(Boolean)
    .join(' ');
  const byHand = [
    added.length ? `${added.length} put in by hand` : '',
    removed.length ? `${removed.length} taken out by hand` : '',
  ].filter(Boolean);
  const ticked = only ? `; of these only ${only.length} that were ticked` : '';
  return `${sentence}${byHand.length ? `; ${listed(byHand, 'and')}` : ''}${ticked}.`;
}

/** Whether a clause takes away: such ones stand last. */
const isBut = (words: string) => words.startsWith(BUT);
const BUT = 'but not those ';

const PAST_OUT: Record<Subject, string> = {
  client: 'present ',
  person: 'present clients’ ',
  file: 'present clients’ ',
};

/** One line in words, as part of a sentence: `whose woodland area is at least 10 ha`. */
export function clause(line: Line, among: Among, catalogue: Catalogue, through?: string): string {
  if (isRelated(line)) {
    const relation = relationOf(line.through);
    const inner = saidLines(line.of).map((each) =>
      clause(each, relation?.to ?? among, catalogue, line.through),
    );
    const one = line.has
      ? (relation?.one ?? 'something')
      : (relation?.one ?? 'a thing').replace(/^an? /, 'no ');
    return `${pronoun(among)} have ${one}${inner.length ? ` (${listed(inner, 'and')})` : ''}`;
  }
  if (isGroup(line)) {
    const inner = saidLines(line.of).map((each) => clause(each, among, catalogue, through));
    if (!inner.length) return `${HEADS[line.match]} …`;
    if (line.match === 'none') return `${BUT}${listed(inner, 'or')}`;
    return inner.length > 1
      ? `${line.match === 'any' ? 'either ' : ''}${listed(inner, line.match === 'any' ? 'or' : 'and')}`
      : (inner[0] ?? '');
  }
  const fact = factOf(catalogue, line, among, through);
  if (!fact) return 'something that is gone';
  if (line.test.op === 'yes' || line.test.op === 'no')
    return fact.yes && fact.no
      ? `${pronoun(among)} ${line.test.op === 'yes' ? fact.yes : fact.no}`
      : `whose ${inSentence(fact.label)} is ${line.test.op}`;
  return `whose ${inSentence(fact.label)} ${testWords(line.test, fact)}`;
}

const pronoun = (among: Among) => (among === 'client' || among === 'person' ? 'who' : 'which');

/** A label within a sentence: a small letter unless it is a name of capitals. */
function inSentence(label: string): string {
  return /^\p{Lu}\p{Lu}/u.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);
}

/** How a test is called where it is chosen and told. */
export const OPERATOR_WORDS: Record<Test['op'], string> = {
  contains: 'contains',
  lacks: 'does not contain',
  is: 'is',
  'begins with': 'begins with',
  within: 'is within',
  'at least': 'is at least',
  'at most': 'is at most',
  between: 'is between',
  'one of': 'is one of',
  'none of': 'is none of',
  'all of': 'are all of',
  from: 'is from',
  until: 'is up to',
  'from until': 'is between the days',
  'in the last': 'is in the last',
  'in the next': 'is in the next',
  'longer ago than': 'is longer ago than',
  'further ahead than': 'is further ahead than',
  yes: 'yes',
  no: 'no',
  empty: 'is empty',
  filled: 'is filled in',
};

/** What a fact must be, in words: `is at least 10 ha`. */
export function testWords(test: Test, fact: SelectableFact): string {
  if ('text' in test) return `${OPERATOR_WORDS[test.op]} “${test.text.trim()}”`;
  if ('values' in test) return choiceWords(test, fact);
  if ('count' in test) return `${OPERATOR_WORDS[test.op]} ${countWords(test.count, test.unit)}`;
  if ('day' in test) return `${OPERATOR_WORDS[test.op]} ${test.day ? dayWords(test.day) : '…'}`;
  if (test.op === 'from until')
    return `is from ${test.from ? dayWords(test.from) : '…'} to ${test.to ? dayWords(test.to) : '…'}`;
  const measured = (value: number) => `${value.toLocaleString('en-GB')}${fact.unit ? ` ${fact.unit}` : ''}`;
  if (test.op === 'between') return `is between ${measured(test.from)} and ${measured(test.to)}`;
  if ('value' in test) return `${OPERATOR_WORDS[test.op]} ${measured(test.value)}`;
  return OPERATOR_WORDS[test.op];
}

function countWords(count: number, unit: string): string {
  return count === 1 ? `1 ${unit.slice(0, -1)}` : `${count} ${unit}`;
}

function choiceWords(test: Extract<Test, { values: unknown }>, { options, kind }: SelectableFact): string {
  const titles = test.values.map(
    (value) => options.find((option) => option.value === value)?.title ?? `number ${value}`,
  );
  const [only] = titles;
  if (kind === 'choices')
    return test.op === 'none of'
      ? `have none of ${listed(titles, 'or')}`
      : `include ${listed(titles, test.op === 'all of' ? 'and' : 'or')}`;
  if (titles.length === 1) return test.op === 'none of' ? `is not ${only}` : `is ${only}`;
  return test.op === 'none of' ? `is neither ${listed(titles, 'nor')}` : `is ${listed(titles, 'or')}`;
}

/** `a, b and c`. */
function listed(words: readonly string[], and: string): string {
  return words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} ${and} ${words.at(-1)}`;
}
