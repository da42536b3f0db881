import { compile } from 'html-to-text';
import { Tokenizer } from 'htmlparser2';
import { cut, LIMITS } from './limits.ts';

/** HTML within the limits, and what was seen on the way. */
export interface BoundedHtml {
  html: string;
  /** It shows pictures that lie elsewhere. */
  remotePictures: boolean;
  /** Something was left out to keep it within the limits. */
  shortened: boolean;
}

/** Elements without an end tag (HTML Living Standard, "void elements"). */
const VOID = new Set(
  'area base br col embed hr img input link meta param source track wbr basefont bgsound frame'.split(' '),
);
const BLOCKS =
  'address article aside blockquote center div dl fieldset footer form h1 h2 h3 h4 h5 h6 header hr main nav ol p pre section table ul';
/** Which elements the beginning of another ends (HTML Living Standard, "optional tags"). */
const ENDS: ReadonlyMap<string, ReadonlySet<string>> = new Map([
  ...BLOCKS.split(' ').map((name) => [name, new Set(['p'])] as const),
  ['li', new Set(['li', 'p'])],
  ['dt', new Set(['dt', 'dd', 'p'])],
  ['dd', new Set(['dt', 'dd', 'p'])],
  ['option', new Set(['option'])],
  ['td', new Set(['td', 'th', 'p'])],
  ['th', new Set(['td', 'th', 'p'])],
  ['tr', new Set(['tr', 'td', 'th', 'p'])],
  ['tbody', new Set(['thead', 'tbody', 'tr', 'td', 'th', 'p'])],
  ['tfoot', new Set(['thead', 'tbody', 'tr', 'td', 'th', 'p'])],
]);
const TABLE = new Set(['table', 'thead', 'tbody', 'tfoot', 'tr', 'td', 'th']);

/**
 * Brings HTML from outside within {@link LIMITS}, in one pass and in time that grows with its length alone:
 * what is nested too deeply, stands beyond the last tag allowed or ends nothing is left out, its text kept.
 * The tokens are those of the very parser that reads the result, so that both see the same tags.
 * @param cells how many cells of tables may stand in it; beyond them tables lose their layout
 */
export function boundedHtml(source: string, cells: number = Infinity): BoundedHtml {
  const html = cut(source, LIMITS.html);
  const writer = new Bounding(html, cells);
  const tokenizer = new Tokenizer({ xmlMode: false, decodeEntities: false }, writer);
  tokenizer.write(html);
  tokenizer.end();
  return {
    html: writer.result(),
    remotePictures: writer.remotePictures,
    shortened: writer.shortened || html.length < source.length,
  };
}

/** Copies the source token by token, but for what goes beyond the limits. */
class Bounding {
  remotePictures = false;
  shortened = false;
  private readonly out: string[] = [];
  private copied = 0;
  private tags = 0;
  private cells = 0;
  private area = 1;
  private name = '';
  private start = 0;
  private attribute = '';
  private attributeEnd = 0;
  /** Where the tag at hand says that a cell spans too much. */
  private readonly spans: [from: number, to: number][] = [];
  /** Elements that are open, and how many of each name were left out and have still to end. */
  private readonly open: string[] = [];
  private readonly leftOut = new Map<string, number>();

  constructor(
    private readonly html: string,
    private readonly mostCells: number,
  ) {}

  result(): string {
    this.out.push(this.html.slice(this.copied));
    return this.out.join('');
  }

  onopentagname(start: number, end: number): void {
    this.start = start - 1;
    this.name = this.html.slice(start, end).toLowerCase();
    this.spans.length = 0;
    this.area = 1;
  }

  onattribname(start: number, end: number): void {
    this.attribute = this.html.slice(start, end).toLowerCase();
    this.attributeEnd = end;
  }

  onattribend(_quote: number, end: number): void {
    const value = this.html.slice(this.attributeEnd, Math.min(end, this.attributeEnd + 40));
    const plain = value.replace(/^[\s="']+/, '');
    if (this.name === 'img' && this.attribute === 'src' && /^https?:/i.test(plain))
      this.remotePictures = true;
    if (this.attribute !== 'colspan' && this.attribute !== 'rowspan') return;
    const spanned = /^\d{1,9}["'\s]*$/.test(plain) ? Number.parseInt(plain, 10) : LIMITS.span + 1;
    this.area *= Math.max(1, Math.min(spanned, LIMITS.span));
    if (spanned <= LIMITS.span) return;
    this.spans.push([this.attributeEnd, end]);
  }

  onopentagend(end: number): void {
    if (!this.begins()) this.replace(this.start, end + 1, ' ');
    else for (const [from, to] of this.spans) this.replace(from, to, `="${LIMITS.span}"`);
  }

  onselfclosingtag(end: number): void {
    this.onopentagend(end);
  }

  onclosetag(start: number, end: number): void {
    const name = this.html.slice(start, end).toLowerCase();
    const out = this.leftOut.get(name) ?? 0;
    const at = out ? -1 : this.open.lastIndexOf(name);
    if (out) this.leftOut.set(name, out - 1);
    if (at >= 0) this.open.length = at;
    // What ends nothing is looked for among all that is open, each time.
    else this.replace(start - 2, this.html.indexOf('>', end) + 1 || this.html.length, ' ');
  }

  /** Whether the element that begins here may stand. */
  private begins(): boolean {
    const { name, open } = this;
    if (++this.tags > LIMITS.tags) return this.leaveOut();
    // A cell takes up as many places of the table as it spans.
    if (name === 'td' || name === 'th') this.cells += this.area;
    if (TABLE.has(name) && this.cells > this.mostCells) return this.leaveOut();
    if (VOID.has(name)) return true;
    const ended = ENDS.get(name);
    while (ended?.has(open.at(-1) ?? '')) open.pop();
    if (open.length >= LIMITS.depth) return this.leaveOut();
    open.push(name);
    return true;
  }

  private leaveOut(): false {
    this.shortened = true;
    if (!VOID.has(this.name)) this.leftOut.set(this.name, (this.leftOut.get(this.name) ?? 0) + 1);
    return false;
  }

  private replace(from: number, to: number, by: string): void {
    this.out.push(this.html.slice(this.copied, from), by);
    this.copied = to;
  }

  onattribdata(): void {}
  onattribentity(): void {}
  oncdata(): void {}
  oncomment(): void {}
  ondeclaration(): void {}
  onend(): void {}
  onprocessinginstruction(): void {}
  ontext(): void {}
  ontextentity(): void {}
}

/** Put together once: working the selectors out takes longer than most conversions. */
const toText = compile({
  wordwrap: false,
  selectors: [
    { selector: 'img', format: 'skip' },
    { selector: 'a', options: { ignoreHref: true } },
    ...['h1', 'h2', 'h3', 'h4'].map((selector) => ({ selector, options: { uppercase: false } })),
    { selector: 'table', format: 'dataTable', options: { uppercaseHeaderCells: false } },
  ],
  limits: { maxInputLength: 2 * LIMITS.html },
});

/** The words of an HTML body, for reading, search and filing; without their layout where that cannot be made. */
export function plainText(html: string): string {
  const bounded = boundedHtml(html, LIMITS.cells);
  try {
    return toText(bounded.html);
  } catch {
    return bounded.html.replace(/<[^<>]{0,2000}>/g, ' ');
  }
}
