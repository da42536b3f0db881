import { DOMParser, XMLSerializer, type Document, type Element } from '@xmldom/xmldom';
import type { Known, RowsOf } from '../facts/catalogue.ts';
import { below, childrenOf, fieldsOf, isWord, OURS, type Field } from './fields.ts';
import { BadTemplate, compare, numberIn, textOf, type Argument } from './instruction.ts';
import { nameKey, rowsOfFact } from './names.ts';
import { dateAs, inCase, numberAs } from './pictures.ts';

/** More fields than a document of a hundred pages has. */
const MOST_FIELDS = 3000;
const MOST_NAMES = 300;
/** A row of a table is not repeated more often. */
const MOST_ROWS = 200;

/** A field that a template wants filled in. */
export interface WantedField {
  /** As it is written in the template, the first time. */
  name: string;
  times: number;
  /** It stands in a row of a table each time. */
  inRow: boolean;
}

/** What a template wants, and what in it is left as it is, in sentences. */
export interface TemplateFields {
  fields: WantedField[];
  warnings: string[];
}

/** What is put in the place of a field: a fact, or where it has none what to say instead. */
export interface Match {
  /** Its key; null: always what stands in `instead`. */
  fact: string | null;
  instead: string;
}

/** By the names of fields in small letters. */
export type Matching = Readonly<Record<string, Match>>;

/** A template filled in: its parts, and the keys of facts that were neither known nor had something instead. */
export interface Merged {
  parts: Map<string, string>;
  missing: string[];
}

const GENERAL = new Set(['upper', 'lower', 'firstcap', 'caps', 'mergeformat', 'charformat']);
/** What steps through a list of records: rows repeat by themselves here. */
const STEPS = new Set(['NEXT', 'NEXTIF', 'SKIPIF', 'MERGEREC', 'MERGESEQ']);

/** A word-processor template, read once and filled in as often as wanted. */
export class Template {
  private readonly documents: Map<string, Document>;

  /**
   * @param parts the XML of its body, headers, footers and notes, by their names in the archive
   * @throws BadTemplate when one is not well-formed, brings definitions of its own, or asks for what cannot be done
   */
  constructor(parts: ReadonlyMap<string, string>) {
    this.documents = new Map([...parts].map(([name, xml]) => [name, parse(name, xml)]));
  }

  /** The fields it wants filled in, and what in it is left as it is. */
  read(): TemplateFields {
    const found = new Map<string, WantedField>();
    const warnings = new Set<string>();
    let count = 0;
    const visit = (field: Field, inRow: boolean) => {
      if (++count > MOST_FIELDS) throw new BadTemplate('It has more fields than a letter could want.');
      const { kind, args, switches } = field.instruction;
      if (kind === 'MERGEFIELD') {
        const name = nameOf(field);
        const own = found.get(nameKey(name));
        found.set(nameKey(name), {
          name: own?.name ?? name,
          times: (own?.times ?? 0) + 1,
          inRow: inRow && (own?.inRow ?? true),
        });
      } else if (!OURS.has(kind)) warnings.add(`${kind || 'An empty field'} within “IF” is not filled in.`);
      for (const { name, value } of switches) {
        const format = textOf(value);
        if (name === '*' && !GENERAL.has(format.toLowerCase()))
          warnings.add(`The format \\* ${format} is not known: the words stand as they are.`);
      }
      if (kind === 'IF') operatorOf(field);
      for (const inner of [...args, ...switches.flatMap(({ value }) => value ?? [])].flatMap(fieldsIn))
        visit(inner, inRow);
    };
    for (const document of this.documents.values())
      for (const paragraph of below(document, 'p')) {
        for (const field of fieldsOf(paragraph)) visit(field, rowAround(paragraph) !== null);
        for (const kind of stepsIn(paragraph))
          warnings.add(`${kind} is left out of account: a row of a table repeats by itself.`);
      }
    if (found.size > MOST_NAMES)
      throw new BadTemplate('It wants more different fields than there are facts.');
    return { fields: [...found.values()], warnings: [...warnings] };
  }

  /** Fills it in for one. @throws BadTemplate */
  merge(known: Known, matching: Matching): Merged {
    const missing = new Set<string>();
    const writer = new XMLSerializer();
    const parts = new Map<string, string>();
    for (const [name, document] of this.documents) {
      const copy = document.cloneNode(true) as Document;
      repeatRows(copy, known, matching, missing);
      for (const paragraph of below(copy, 'p')) fillParagraph(paragraph, known, matching, missing);
      parts.set(name, writer.serializeToString(copy));
    }
    return { parts, missing: [...missing] };
  }
}

/** @throws BadTemplate */
function parse(name: string, xml: string): Document {
  // Nothing is defined in the parts of a document; whoever does so is up to something.
  if (/<!(?:DOCTYPE|ENTITY)/i.test(xml))
    throw new BadTemplate('It brings definitions of its own (a DTD): that is no letter.');
  try {
    return new DOMParser({
      onError: (level, message) => {
        if (level !== 'warning') throw new Error(message);
      },
    }).parseFromString(xml, 'text/xml');
  } catch {
    throw new BadTemplate(
      `Its part ${name} cannot be read: it may be damaged. Save it anew with your word processor.`,
    );
  }
}

function nameOf({ instruction, words }: Field): string {
  const [name] = instruction.args;
  if (!name || fieldsIn(name).length)
    throw new BadTemplate(`“${words}” does not say by a name which field it is.`);
  return textOf(name);
}

const fieldsIn = (argument: Argument<Field>): Field[] =>
  argument.of.filter((piece) => typeof piece !== 'string');

function operatorOf({ instruction: { args }, words }: Field): string {
  const operator = textOf(args[1]);
  if (args.length < 3 || !/^(?:=|<>|[<>]=?)$/.test(operator) || args[1]?.quoted)
    throw new BadTemplate(`“${words}” compares nothing: an IF is written as IF one = other "then" "else".`);
  return operator;
}

/** Kinds of fields in a paragraph that step through a list. */
function stepsIn(paragraph: Element): string[] {
  return below(paragraph, 'instrText').flatMap(({ textContent }) => {
    const kind = /^\s*(\w+)/.exec(textContent ?? '')?.[1]?.toUpperCase() ?? '';
    return STEPS.has(kind) ? [kind] : [];
  });
}

/** The innermost row of a table that a paragraph stands in. */
function rowAround(element: Element): Element | null {
  for (let node = element.parentNode; node; node = node.parentNode) if (isWord(node, 'tr')) return node;
  return null;
}

/** Rows in which a fact of something stands that there are several of stand once for each. */
function repeatRows(document: Document, known: Known, matching: Matching, missing: Set<string>): void {
  const paragraphs = new Map<Element, Element[]>();
  for (const paragraph of below(document, 'p')) {
    const row = rowAround(paragraph);
    if (!row) continue;
    const own = paragraphs.get(row);
    if (own) own.push(paragraph);
    else paragraphs.set(row, [paragraph]);
  }
  for (const [row, own] of paragraphs) {
    const of = rowsOf(own, matching);
    if (!of) continue;
    const places = own.map((paragraph) => pathTo(paragraph, row));
    for (const each of (known.rows?.[of] ?? []).slice(0, MOST_ROWS)) {
      const copy = row.cloneNode(true) as Element;
      const joined = {
        ...known,
        words: { ...known.words, ...each.words },
        values: { ...known.values, ...each.values },
      };
      for (const place of places) fillParagraph(at(copy, place), joined, matching, missing);
      row.parentNode?.insertBefore(copy, row);
    }
    const table = row.parentNode;
    table?.removeChild(row);
    if (isWord(table, 'tbl') && !below(table, 'tr').length) table.parentNode?.removeChild(table);
  }
}

/** What a row is repeated for: what the facts in it are of. */
function rowsOf(paragraphs: readonly Element[], matching: Matching): RowsOf | null {
  const names = new Set<string>();
  const visit = (field: Field) => {
    const { kind, args, switches } = field.instruction;
    if (kind === 'MERGEFIELD') names.add(nameKey(nameOf(field)));
    for (const inner of [...args, ...switches.flatMap(({ value }) => value ?? [])].flatMap(fieldsIn))
      visit(inner);
  };
  for (const paragraph of paragraphs) for (const field of fieldsOf(paragraph)) visit(field);
  for (const name of names) {
    const of = rowsOfFact(matching[name]?.fact ?? null);
    if (of) return of;
  }
  return null;
}

/** Where an element stands below another: the places of its ancestors among their siblings. */
function pathTo(element: Element, top: Element): number[] {
  const path: number[] = [];
  for (let node = element; node !== top && node.parentNode; node = node.parentNode as Element) {
    let place = 0;
    for (let before = node.previousSibling; before; before = before.previousSibling) place++;
    path.unshift(place);
  }
  return path;
}

function at(top: Element, path: readonly number[]): Element {
  let node = top;
  for (const place of path) {
    let child = node.firstChild;
    for (let count = 0; count < place && child; count++) child = child.nextSibling;
    node = child as Element;
  }
  return node;
}

/** Puts values in the place of a paragraph's fields; one in which nothing stands afterwards goes, as a line of an address does. */
function fillParagraph(paragraph: Element, known: Known, matching: Matching, missing: Set<string>): void {
  const fields = fieldsOf(paragraph);
  if (!fields.length) return;
  for (const field of fields) {
    const text = valueOf(field, { known, matching, missing, asked: false });
    const [first] = field.runs;
    if (!first) continue;
    if (text)
      first.parentNode?.insertBefore(
        runWith(first.ownerDocument as Document, paragraph, field.look, text),
        first,
      );
    for (const run of field.runs) run.parentNode?.removeChild(run);
  }
  if (isBlank(paragraph) && mayGo(paragraph)) paragraph.parentNode?.removeChild(paragraph);
}

/** Whether nothing is seen of a paragraph. */
function isBlank(paragraph: Element): boolean {
  const SEEN = ['t', 'drawing', 'pict', 'object', 'tab', 'br', 'sym', 'fldChar', 'sectPr', 'bookmarkStart'];
  return !SEEN.some((name) =>
    below(paragraph, name).some((each) => name !== 't' || (each.textContent ?? '').trim() !== ''),
  );
}

/** A cell, a note or a header has a paragraph at least (ECMA-376 part 1, 17.4.65), which is its last child in a cell. */
function mayGo(paragraph: Element): boolean {
  const parent = paragraph.parentNode as Element | null;
  if (!parent) return false;
  const siblings = childrenOf(parent);
  const last = siblings.filter(({ localName }) => localName !== 'sectPr').at(-1);
  return siblings.filter(({ localName }) => localName === 'p').length > 1 && last !== paragraph;
}

/** A run with a text: its lines, and nothing that XML does not hold (XML 1.0, 2.2). */
function runWith(document: Document, paragraph: Element, look: Element | null, text: string): Element {
  const space = paragraph.namespaceURI;
  const named = (name: string) =>
    document.createElementNS(space, paragraph.prefix ? `${paragraph.prefix}:${name}` : name);
  const run = named('r');
  const format = look && childrenOf(look).find(({ localName }) => localName === 'rPr');
  if (format) run.appendChild(format.cloneNode(true));
  for (const [place, line] of clean(text).split('\n').entries()) {
    if (place) run.appendChild(named('br'));
    if (!line) continue;
    const words = named('t');
    words.setAttributeNS('http://www.w3.org/XML/1998/namespace', 'xml:space', 'preserve');
    words.appendChild(document.createTextNode(line));
    run.appendChild(words);
  }
  return run;
}

/** Lines end with a line feed; letters that XML does not hold are left out, halves of letters too. */
function clean(text: string): string {
  return text
    .replace(/\r\n?|[\u2028\u2029]/g, '\n')
    .replace(/[^\t\n\u0020-\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '');
}

interface About {
  known: Known;
  matching: Matching;
  missing: Set<string>;
  /** Whether it is empty is asked about, so that it may be. */
  asked: boolean;
}

function valueOf(field: Field, about: About): string {
  const { kind } = field.instruction;
  if (kind === 'MERGEFIELD') return merged(field, about);
  return kind === 'IF' ? chosen(field, about) : '';
}

const wordOf = (argument: Argument<Field> | undefined, about: About): string =>
  (argument?.of ?? []).map((piece) => (typeof piece === 'string' ? piece : valueOf(piece, about))).join('');

function chosen(field: Field, about: About): string {
  const [one, , other, then, otherwise] = field.instruction.args;
  const asked = { ...about, asked: true };
  const holds = compare(wordOf(one, asked).trim(), operatorOf(field), wordOf(other, asked).trim());
  return formatted(field, wordOf(holds ? then : otherwise, about));
}

function merged(field: Field, about: About): string {
  const { known, matching, missing, asked } = about;
  const { switches } = field.instruction;
  const match = matching[nameKey(nameOf(field))];
  const key = match?.fact ?? '';
  const words = (known.words[key] ?? '').trim();
  const text = words ? pictured(field, words, known.values?.[key]) : (match?.instead ?? '').trim();
  const around = (name: string) => {
    const found = switches.find((each) => each.name === name);
    return found ? wordOf(found.value ?? undefined, about) : null;
  };
  const [before, behind] = [around('b'), around('f')];
  if (!text) {
    // What has words before or behind it says itself what stands where there is nothing.
    if (!asked && before === null && behind === null) missing.add(key || nameOf(field));
    return '';
  }
  return (before ?? '') + formatted(field, text) + (behind ?? '');
}

/** A day or a number as its picture shows it; anything else stays as it is. */
function pictured({ instruction: { switches } }: Field, words: string, value: string | undefined): string {
  const picture = (name: string) => switches.find((each) => each.name === name)?.value;
  const [date, number] = [picture('@'), picture('#')];
  if (date) return dateAs(value ?? words, textOf(date)) ?? words;
  const figure = number ? numberIn(value ?? words) : null;
  return number && figure !== null ? numberAs(figure, textOf(number)) : words;
}

function formatted({ instruction: { switches } }: Field, text: string): string {
  return switches
    .filter(({ name }) => name === '*')
    .reduce((all, { value }) => inCase(all, textOf(value)), text);
}
