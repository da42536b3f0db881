<script setup lang="ts">
import { Extension } from '@tiptap/core';
import Highlight from '@tiptap/extension-highlight';
import { TableCell, TableHeader } from '@tiptap/extension-table';
import TextAlign from '@tiptap/extension-text-align';
import { Color, FontSize, TextStyle } from '@tiptap/extension-text-style';
import StarterKit from '@tiptap/starter-kit';
import { EditorContent, useEditor } from '@tiptap/vue-3';
import { watch } from 'vue';
import type { DocNode } from '../../core/merge/document.ts';
import { ALIGNMENTS } from '../../core/merge/looks.ts';
import type { WordingKind } from '../../contract/index.ts';
import { wordsOf } from '../api.ts';
import { putIn } from '../wordings/putIn.ts';
import { mergeFieldNode } from './mergeField.ts';
import {
  ArticleNode,
  keptPicture,
  LinedTable,
  passageNode,
  PictureNode,
  putBlocks,
  RepeatedNode,
  RepeatedRow,
} from './nodes.ts';
import { cleanPasted } from './pasted.ts';

/** The editor of a subject line or a message, with merge fields as chips. */
const doc = defineModel<DocNode>({ required: true });
const props = defineProps<{
  line?: boolean;
  label: string;
  fieldLabel: (key: string) => string;
  /** Lines of plain text: no looks, tables or pictures. */
  plain?: boolean;
  /** Paragraphs that a few letters and Tab put in. */
  stock?: readonly { letters: string; kind: WordingKind; body: DocNode }[];
}>();
const emit = defineEmits<{ focus: []; trouble: [words: string] }>();

/** A subject is one paragraph: Enter does nothing there. */
const OneLine = Extension.create({
  name: 'oneLine',
  addKeyboardShortcuts: () => ({ Enter: () => true, 'Shift-Enter': () => true }),
});

/** The letters before the caret, and Tab: what they stand for comes in their place. */
const Stock = Extension.create({
  name: 'stock',
  priority: 1000,
  addKeyboardShortcuts: () => ({
    Tab: ({ editor: now }) => {
      const { $from, empty } = now.state.selection;
      const typed = /\S+$/.exec($from.parent.textBetween(0, $from.parentOffset, '\n', '\n'))?.[0] ?? '';
      const found = empty && typed ? props.stock?.find(({ letters }) => letters === typed) : undefined;
      if (!found) return false;
      putBlocks(now, putIn(found), $from.pos - typed.length);
      return true;
    },
  }),
});

const editor = useEditor({
  content: doc.value,
  extensions: [
    StarterKit.configure(
      props.line || props.plain
        ? {
            heading: false,
            bulletList: false,
            orderedList: false,
            blockquote: false,
            codeBlock: false,
            code: false,
            horizontalRule: false,
            bold: false,
            italic: false,
            underline: false,
            strike: false,
            link: false,
            ...(props.plain ? {} : { hardBreak: false as const }),
            listItem: false,
          }
        : {
            heading: { levels: [2, 3] },
            codeBlock: false,
            code: false,
            link: { openOnClick: false, protocols: ['mailto', 'tel'] },
          },
    ),
    mergeFieldNode(props.fieldLabel),
    ...(props.line
      ? [OneLine]
      : props.plain
        ? [passageNode(props.fieldLabel), RepeatedNode]
        : [
            Stock,
            TextStyle,
            Color,
            FontSize,
            Highlight.configure({ multicolor: true }),
            TextAlign.configure({ types: ['heading', 'paragraph'], alignments: [...ALIGNMENTS] }),
            LinedTable.configure({ resizable: true, cellMinWidth: 40 }),
            RepeatedRow,
            TableHeader,
            TableCell,
            PictureNode,
            passageNode(props.fieldLabel),
            RepeatedNode,
            ArticleNode,
          ]),
  ],
  editorProps: {
    transformPastedHTML: cleanPasted,
    handlePaste: (_view, event) => takePictures(event.clipboardData?.files),
    handleDrop: (_view, event, _slice, moved) => !moved && takePictures(event.dataTransfer?.files),
    attributes: {
      'aria-label': props.label,
      role: 'textbox',
      'aria-multiline': String(!props.line),
      class: props.line ? 'subject-line' : props.plain ? 'body-text as-plain' : 'body-text',
    },
  },
  onUpdate: ({ editor: now }) => (doc.value = now.getJSON() as DocNode),
  onFocus: () => emit('focus'),
});
watch(doc, (now) => {
  // Only what came from elsewhere is put in; one's own typing is there already.
  if (editor.value && JSON.stringify(editor.value.getJSON()) !== JSON.stringify(now))
    editor.value.commands.setContent(now, { emitUpdate: false });
});
/** Pictures that were dropped or pasted go where one writes. @returns whether there were any */
function takePictures(files: FileList | undefined): boolean {
  const pictures = [...(files ?? [])].filter(({ type }) => type.startsWith('image/'));
  if (props.line || props.plain || !pictures.length) return false;
  void insertPictures(pictures);
  return true;
}
async function insertPictures(pictures: readonly Blob[]) {
  try {
    for (const picture of pictures)
      editor.value
        ?.chain()
        .focus()
        .insertContent(await keptPicture(picture))
        .run();
  } catch (error) {
    emit('trouble', wordsOf(error));
  }
}
defineExpose({ editor, insertPictures });
</script>

<template>
  <EditorContent :editor="editor" class="writer" />
</template>

<style scoped>
.writer :deep(.ProseMirror) {
  white-space: break-spaces;
  outline: none;
}
.writer :deep(.subject-line) {
  padding: 8px 10px;
  white-space: pre;
  overflow-x: auto;
}
.writer :deep(.subject-line p) {
  margin: 0;
}
.writer :deep(.body-text) {
  padding: 16px 20px;
  min-height: 260px;
  font:
    16px/1.55 Georgia,
    serif;
}
.writer :deep(.as-plain) {
  font: 14px/1.5 var(--sans);
}
.writer :deep(.body-text p) {
  margin: 0 0 12px;
}
.writer :deep(.body-text ul),
.writer :deep(.body-text ol) {
  padding-left: 26px;
  margin-bottom: 12px;
}
.writer :deep(.body-text li p) {
  margin: 0 0 4px;
}
.writer :deep(table) {
  border-collapse: collapse;
  width: 100%;
  table-layout: fixed;
  margin: 0 0 12px;
}
.writer :deep(td),
.writer :deep(th) {
  position: relative;
  padding: 5px 8px;
  vertical-align: top;
  text-align: left;
  border: 1px solid var(--strong);
}
.writer :deep(table[data-no-lines] td),
.writer :deep(table[data-no-lines] th) {
  border: 1px dashed var(--hairline);
}
.writer :deep(td p),
.writer :deep(th p) {
  margin: 0;
}
.writer :deep(tr[data-of]) {
  background: var(--spruce-pale);
}
.writer :deep(.selectedCell) {
  background: var(--indigo-pale, #e4e9f3);
}
.writer :deep(.column-resize-handle) {
  position: absolute;
  right: -2px;
  top: 0;
  bottom: 0;
  width: 4px;
  background: var(--indigo);
  pointer-events: none;
}
.writer :deep(.resize-cursor) {
  cursor: col-resize;
}
.writer :deep(img) {
  max-width: 100%;
  height: auto;
}
.writer :deep([data-resize-handle]) {
  width: 12px;
  height: 12px;
  background: var(--indigo);
  border: 2px solid #fff;
  cursor: nwse-resize;
}
.writer :deep(.stands) {
  position: relative;
  margin: 22px 0 12px;
  padding: 6px 12px 0;
  border-left: 3px solid var(--indigo);
  background: var(--page);
}
.writer :deep(.stands)::before {
  content: attr(data-words);
  position: absolute;
  top: -18px;
  left: 0;
  font: 600 12px/1.4 var(--sans);
  color: var(--indigo);
}
.writer :deep(.article) {
  margin: 14px 0;
  border-top: 1px solid var(--strong);
  border-bottom: 1px solid var(--strong);
}
.writer :deep(.article-head) {
  padding: 2px 0 6px;
  font: 600 12px/1.4 var(--sans);
  color: var(--ink-soft);
  cursor: grab;
  user-select: none;
}
.writer :deep(.article > [data-beside]) {
  display: flow-root;
}
.writer :deep(.article > [data-beside] > :first-child:is(img, [data-resize-container])) {
  float: left;
  width: 180px;
  margin: 0 20px 8px 0;
}
.writer :deep(.ProseMirror-selectednode) {
  outline: 2px solid var(--indigo);
}
</style>
