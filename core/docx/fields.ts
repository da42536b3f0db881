import type { Element, Node } from '@xmldom/xmldom';
import { BadTemplate, readInstruction, type Instruction, type Piece } from './instruction.ts';

/** Of transitional documents and of strict ones (ECMA-376 part 1 and part 4). */
const WORDS = new Set([
  'http://schemas.openxmlformats.org/wordprocessingml/2006/main',
  'http://purl.oclc.org/ooxml/wordprocessingml/main',
]);
/** Fields within fields within fields: nobody writes more. */
const DEEPEST = 20;

/** What stands around runs without being one: links, changes that were put in, tags. */
const AROUND = new Set([
  'hyperlink',
  'ins',
  'moveTo',
  'smartTag',
  'sdt',
  'sdtContent',
  'customXml',
  'dir',
  'bdo',
]);

/** A field of a paragraph: its instruction, the runs that it takes up, and whose look its result has. */
export interface Field {
  instruction: Instruction<Field>;
  /** Runs, or one simple field, in their order. */
  runs: Element[];
  /** The first of its result, else of its instruction. */
  look: Element | null;
  /** As it stands in the template, for whoever reads of it. */
  words: string;
}

export const isWord = (node: Node | null, name?: string): node is Element =>
  node !== null &&
  node.nodeType === 1 &&
  WORDS.has(node.namespaceURI ?? '') &&
  (name === undefined || (node as Element).localName === name);

/** An attribute of the words' namespace, whichever prefix it has. */
export function attributeOf(element: Element, name: string): string {
  for (const space of WORDS) {
    const value = element.getAttributeNS(space, name);
    if (value !== null) return value;
  }
  return '';
}

/** The elements of a kind below another, in their order. */
export function below(node: Node, name: string): Element[] {
  const found: Element[] = [];
  const visit = (each: Node) => {
    for (let child = each.firstChild; child; child = child.nextSibling) {
      if (isWord(child, name)) found.push(child);
      visit(child);
    }
  };
  visit(node);
  return found;
}

/** The children that are elements of the words' namespace. */
export function childrenOf(element: Element): Element[] {
  const found: Element[] = [];
  for (let child = element.firstChild; child; child = child.nextSibling) if (isWord(child)) found.push(child);
  return found;
}

/** The runs of a paragraph and its simple fields, in their order; what was deleted under review is none of them. */
function runsOf(paragraph: Element): Element[] {
  const found: Element[] = [];
  const visit = (element: Element) => {
    for (const child of childrenOf(element)) {
      const name = child.localName ?? '';
      if (name === 'r') found.push(...parted(child));
      else if (name === 'fldSimple') found.push(child);
      else if (AROUND.has(name)) visit(child);
    }
  };
  visit(paragraph);
  return found;
}

/** A run in which a field begins or ends amid other things becomes several, so that each does one thing. */
function parted(run: Element): Element[] {
  const own = childrenOf(run).filter((child) => child.localName !== 'rPr');
  if (own.length < 2 || !own.some(({ localName }) => localName === 'fldChar')) return [run];
  const look = childrenOf(run).find(({ localName }) => localName === 'rPr') ?? null;
  const made: Element[] = [];
  for (const child of own) {
    const each = run.cloneNode(false) as Element;
    if (look) each.appendChild(look.cloneNode(true));
    each.appendChild(child);
    run.parentNode?.insertBefore(each, run);
    made.push(each);
  }
  run.parentNode?.removeChild(run);
  return made;
}

/** A field while its end is still to come. */
interface Open {
  runs: Element[];
  pieces: Piece<Field>[];
  look: Element | null;
  first: Element | null;
  /** Its result has begun. */
  result: boolean;
  /** Fields that stand in its result. */
  within: Field[];
}

/** What a field may do that we do. */
export const OURS = new Set(['MERGEFIELD', 'IF']);

/** Fields that bring in what lies elsewhere, or run something. */
const REACHING = new Set([
  ...['INCLUDETEXT', 'INCLUDEPICTURE', 'INCLUDE', 'IMPORT', 'LINK', 'DDE', 'DDEAUTO', 'DATABASE', 'RD'],
  ...['MACROBUTTON', 'EMBED', 'CONTROL', 'HTMLACTIVEX', 'ADDIN', 'PRINT'],
]);

function refuseReaching({ instruction: { kind }, words }: Field): void {
  if (REACHING.has(kind))
    throw new BadTemplate(
      `The field “${words}” reaches for something outside the document. Take it out, and save it anew.`,
    );
}

/**
 * The fields of a paragraph that we fill in: those that stand by themselves, and those in the result of one that is
 * none of ours (the words of a link, say). Runs may split an instruction in any way (ECMA-376 part 1, 17.16.18).
 * @throws BadTemplate when one begins here and ends elsewhere, or they stand within each other without end
 */
export function fieldsOf(paragraph: Element): Field[] {
  const found: Field[] = [];
  const open: Open[] = [];
  const close = (field: Field, within: readonly Field[]) => {
    refuseReaching(field);
    const outer = open.at(-1);
    if (outer && !outer.result) return void outer.pieces.push(field);
    const kept = OURS.has(field.instruction.kind) ? [field] : within;
    if (outer) outer.within.push(...kept);
    else found.push(...kept);
  };
  for (const run of runsOf(paragraph)) {
    for (const each of open) each.runs.push(run);
    if (run.localName === 'fldSimple') {
      close(simple(run), []);
      continue;
    }
    const inner = open.at(-1);
    const mark = childrenOf(run).find(({ localName }) => localName === 'fldChar');
    const type = mark ? attributeOf(mark, 'fldCharType') : '';
    if (type === 'begin') {
      if (open.length >= DEEPEST) throw new BadTemplate('Its fields stand within each other too deeply.');
      open.push({ runs: [run], pieces: [], look: null, first: null, result: false, within: [] });
    } else if (type === 'separate' && inner) inner.result = true;
    else if (type === 'end' && inner) {
      open.pop();
      close(fieldOf(inner), inner.within);
    } else if (inner) take(inner, run);
  }
  // A table of contents, say, ends further down: it is left alone.
  for (const each of open) {
    const field = fieldOf(each);
    refuseReaching(field);
    if (OURS.has(field.instruction.kind))
      throw new BadTemplate(`The field “${field.words}” does not end in its paragraph. Write it within one.`);
    found.push(...each.within);
  }
  return found;
}

function take(open: Open, run: Element): void {
  if (open.result) {
    if (below(run, 't').length) open.look ??= run;
    return;
  }
  for (const child of childrenOf(run))
    if (child.localName === 'instrText') {
      open.pieces.push(child.textContent ?? '');
      if (child.textContent?.trim()) open.first ??= run;
    }
}

function fieldOf({ runs, pieces, look, first }: Open): Field {
  const instruction = readInstruction(joined(pieces));
  const asWritten = instruction.switches.some(
    ({ name, value }) => name === '*' && value?.of[0] === 'CHARFORMAT',
  );
  return {
    instruction,
    runs,
    look: (asWritten ? first : look) ?? look ?? first ?? runs[0] ?? null,
    words: wordsOf(pieces),
  };
}

function simple(element: Element): Field {
  const words = attributeOf(element, 'instr');
  const [first] = below(element, 'r');
  return {
    instruction: readInstruction<Field>([words]),
    runs: [element],
    look: first ?? null,
    words: words.trim(),
  };
}

/** Texts that were split stand together again. */
function joined(pieces: readonly Piece<Field>[]): Piece<Field>[] {
  const all: Piece<Field>[] = [];
  for (const piece of pieces) {
    const last = all.at(-1);
    if (typeof piece === 'string' && typeof last === 'string') all[all.length - 1] = last + piece;
    else all.push(piece);
  }
  return all;
}

function wordsOf(pieces: readonly Piece<Field>[]): string {
  const words = pieces.map((piece) => (typeof piece === 'string' ? piece : `{ ${piece.words} }`)).join('');
  return words.replace(/\s+/g, ' ').trim().slice(0, 120);
}
