import { Node, type Editor, type JSONContent } from '@tiptap/core';
import Image from '@tiptap/extension-image';
import { TableRow, Table } from '@tiptap/extension-table';
import { NodeSelection, TextSelection } from '@tiptap/pm/state';
import { ROWS, type RowsOf } from '../../core/facts/catalogue.ts';
import {
  ARTICLE,
  isPictureHash,
  PASSAGE,
  PICTURE,
  REPEATED,
  type DocNode,
  type PassageAttrs,
} from '../../core/merge/document.ts';
import { upload } from '../api.ts';
import { PictureKept } from '../../contract/index.ts';

/** What a passage hangs on, in words: `Only if Service is “Project”`. */
export function passageWords({ field, test, value }: PassageAttrs, label: (key: string) => string): string {
  const known = test === 'is known' || test === 'is not known';
  return `Only if ${label(field)} ${test}${known ? '' : ` “${value}”`}`;
}

/** What stands once for each of something is called so. */
export const ROWS_WORDS: Record<RowsOf, string> = {
  'fee notes': 'Once for each open fee note',
  files: 'Once for each open file',
  people: 'Once for each person of the client',
};

const rowsOf = (said: unknown) => ROWS.find((each) => each === said) ?? null;

/** A passage that stands only if something holds. @param label what a fact is called */
export function passageNode(label: (key: string) => string) {
  return Node.create({
    name: PASSAGE,
    group: 'block',
    content: 'block+',
    defining: true,
    addAttributes() {
      const kept = (name: string, initial: string) => ({
        default: initial,
        parseHTML: (element: HTMLElement) => element.getAttribute(`data-${name}`) ?? initial,
        renderHTML: (attrs: Record<string, unknown>) => ({ [`data-${name}`]: String(attrs[name]) }),
      });
      return { field: kept('field', ''), test: kept('test', 'is known'), value: kept('value', '') };
    },
    parseHTML() {
      return [{ tag: 'div[data-passage]' }];
    },
    renderHTML({ node, HTMLAttributes }) {
      const words = passageWords(node.attrs as PassageAttrs, label);
      return ['div', { ...HTMLAttributes, 'data-passage': '', 'data-words': words, class: 'stands' }, 0];
    },
  });
}

/** Blocks that stand once for each of something. */
export const RepeatedNode = Node.create({
  name: REPEATED,
  group: 'block',
  content: 'block+',
  defining: true,
  addAttributes() {
    return {
      of: {
        default: null,
        parseHTML: (element) => rowsOf(element.getAttribute('data-of')),
        renderHTML: (attrs) => ({ 'data-of': String(attrs.of) }),
      },
    };
  },
  parseHTML() {
    return [{ tag: 'div[data-of]' }];
  },
  renderHTML({ node, HTMLAttributes }) {
    const of = rowsOf(node.attrs.of);
    return ['div', { ...HTMLAttributes, 'data-words': of ? ROWS_WORDS[of] : '', class: 'stands' }, 0];
  },
});

/** An article of a newsletter, moved as one: by its handle, or with Alt and an arrow. */
export const ArticleNode = Node.create({
  name: ARTICLE,
  group: 'block',
  content: 'block+',
  defining: true,
  isolating: true,
  draggable: true,
  addAttributes() {
    return {
      beside: {
        default: false,
        parseHTML: (element) => element.hasAttribute('data-beside'),
        renderHTML: ({ beside }) => (beside === true ? { 'data-beside': '' } : {}),
      },
    };
  },
  parseHTML() {
    return [{ tag: 'div[data-article]' }];
  },
  renderHTML({ HTMLAttributes }) {
    return ['div', { ...HTMLAttributes, 'data-article': '', class: 'article' }, 0];
  },
  addNodeView() {
    return ({ node }) => {
      const dom = document.createElement('div');
      dom.className = 'article';
      const handle = document.createElement('div');
      handle.className = 'article-head';
      handle.textContent = '⠿ Article';
      handle.title = 'Drag it to another place, or press Alt and an arrow while you write in it';
      handle.contentEditable = 'false';
      handle.draggable = true;
      handle.dataset.dragHandle = '';
      const contentDOM = document.createElement('div');
      const look = ({ attrs }: typeof node) =>
        contentDOM.toggleAttribute('data-beside', attrs.beside === true);
      look(node);
      dom.append(handle, contentDOM);
      const update = (now: typeof node) => now.type.name === ARTICLE && (look(now), true);
      return { dom, contentDOM, update };
    };
  },
  addKeyboardShortcuts() {
    return {
      'Alt-ArrowUp': ({ editor }) => moveArticle(editor, -1),
      'Alt-ArrowDown': ({ editor }) => moveArticle(editor, 1),
    };
  },
});

/** The article that one writes in, or that is chosen: where it stands, and what it is among. */
function articleAt({ state: { selection } }: Editor) {
  if (selection instanceof NodeSelection && selection.node.type.name === ARTICLE)
    return { node: selection.node, at: selection.from, $at: selection.$from };
  for (let depth = selection.$from.depth; depth > 0; depth--)
    if (selection.$from.node(depth).type.name === ARTICLE) {
      const at = selection.$from.before(depth);
      return { node: selection.$from.node(depth), at, $at: selection.$from.doc.resolve(at) };
    }
  return null;
}

/** Moves the article one writes in past what stands before it, or after it. @returns whether there was one to move */
export function moveArticle(editor: Editor, by: -1 | 1): boolean {
  const found = articleAt(editor);
  if (!found) return false;
  const { node, at, $at } = found;
  const other = by < 0 ? $at.nodeBefore : $at.parent.maybeChild($at.index() + 1);
  if (!other) return true;
  const caret = editor.state.selection.from - at;
  const to = by < 0 ? at - other.nodeSize : at + other.nodeSize;
  const moved = editor.state.tr.delete(at, at + node.nodeSize).insert(to, node);
  moved.setSelection(TextSelection.near(moved.doc.resolve(to + Math.max(1, caret))));
  editor.view.dispatch(moved.scrollIntoView());
  return true;
}

/** Puts blocks where one writes; an article behind the one that one writes in, since none stands within another. */
export function putBlocks(
  editor: Editor,
  blocks: readonly DocNode[],
  from = editor.state.selection.from,
): void {
  const within = blocks.some(({ type }) => type === ARTICLE) ? articleAt(editor) : null;
  const { from: caret } = editor.state.selection;
  const chain = editor.chain().focus();
  if (from < caret) chain.deleteRange({ from, to: caret });
  const end = within && within.at + within.node.nodeSize - (caret - from);
  (end === null ? chain.insertContent([...blocks]) : chain.insertContentAt(end, [...blocks])).run();
}

/** Takes the article one writes in away. */
export function dropArticle(editor: Editor): void {
  const found = articleAt(editor);
  if (found) editor.view.dispatch(editor.state.tr.delete(found.at, found.at + found.node.nodeSize));
}

/** A row of a table that may stand once for each of something. */
export const RepeatedRow = TableRow.extend({
  addAttributes() {
    return {
      ...this.parent?.(),
      of: {
        default: null,
        parseHTML: (element) => rowsOf(element.getAttribute('data-of')),
        renderHTML: ({ of }) => (of ? { 'data-of': String(of), title: ROWS_WORDS[of as RowsOf] } : {}),
      },
    };
  },
});

/** A table whose lines may be left out. */
export const LinedTable = Table.extend({
  addAttributes() {
    return {
      ...this.parent?.(),
      lines: {
        default: true,
        parseHTML: (element) => !element.hasAttribute('data-no-lines'),
        renderHTML: ({ lines }) => (lines === false ? { 'data-no-lines': '' } : {}),
      },
    };
  },
});

/** A picture of our own: its bytes are kept here under their hash, and travel with the message. */
export const PictureNode = Image.extend({
  name: PICTURE,
  addAttributes() {
    return {
      // Where it is drawn from while one writes; it follows from the hash.
      src: {
        default: null,
        renderHTML: ({ hash }) => ({ src: `/api/pictures/${String(hash)}` }),
        parseHTML: (element) => element.getAttribute('src'),
      },
      hash: {
        default: '',
        parseHTML: (element) => {
          const hash = /\/api\/pictures\/([0-9a-f]{64})$/.exec(element.getAttribute('src') ?? '')?.[1] ?? '';
          return isPictureHash(hash) ? hash : '';
        },
        renderHTML: () => ({}),
      },
      alt: { default: '' },
      width: {
        default: null,
        parseHTML: (element) => Number(element.getAttribute('width')) || null,
      },
    };
  },
  parseHTML() {
    // A picture from elsewhere would tell its place who reads the message, and when.
    return [{ tag: 'img[src*="/api/pictures/"]' }];
  },
}).configure({
  resize: {
    enabled: true,
    directions: ['bottom-right', 'bottom-left'],
    minWidth: 24,
    minHeight: 24,
    alwaysPreserveAspectRatio: true,
  },
});

/** A picture is never made wider: no message is. */
const WIDEST = 1200;
/** So wide it is shown at first, at most. */
const SHOWN = 560;

/** Keeps a picture, made smaller where it is wider than any message. @returns what goes into the text */
export async function keptPicture(file: Blob): Promise<JSONContent> {
  const bitmap = await createImageBitmap(file);
  const scale = Math.min(1, WIDEST / bitmap.width);
  const small = scale === 1 && file.size < 600_000 ? file : await drawn(bitmap, scale, file.type);
  const { hash } = PictureKept.parse(await upload('/pictures', {}, small));
  const width = Math.min(SHOWN, Math.round(bitmap.width * scale));
  return { type: PICTURE, attrs: { hash, src: `/api/pictures/${hash}`, alt: '', width } };
}

async function drawn(bitmap: ImageBitmap, scale: number, type: string): Promise<Blob> {
  const canvas = document.createElement('canvas');
  canvas.width = Math.max(1, Math.round(bitmap.width * scale));
  canvas.height = Math.max(1, Math.round(bitmap.height * scale));
  canvas.getContext('2d')?.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
  const made = await new Promise<Blob | null>((resolve) =>
    canvas.toBlob(resolve, type === 'image/jpeg' ? type : 'image/png', 0.86),
  );
  if (!made) throw new Error('The picture could not be read.');
  return made;
}
