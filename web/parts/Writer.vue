<script setup lang="ts">
import { Extension } from '@tiptap/core';
import StarterKit from '@tiptap/starter-kit';
import { EditorContent, useEditor } from '@tiptap/vue-3';
import { watch } from 'vue';
import type { DocNode } from '../../core/merge/document.ts';
import { mergeFieldNode } from './mergeField.ts';

/** The editor of a subject line or a message, with merge fields as chips. */
const doc = defineModel<DocNode>({ required: true });
const props = defineProps<{ line?: boolean; label: string; fieldLabel: (key: string) => string }>();
const emit = defineEmits<{ focus: [] }>();

/** A subject is one paragraph: Enter does nothing there. */
const OneLine = Extension.create({
  name: 'oneLine',
  addKeyboardShortcuts: () => ({ Enter: () => true, 'Shift-Enter': () => true }),
});

const editor = useEditor({
  content: doc.value,
  extensions: [
    StarterKit.configure(
      props.line
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
            hardBreak: false,
            listItem: false,
          }
        : {
            heading: { levels: [2, 3] },
            codeBlock: false,
            code: false,
            strike: false,
            link: { openOnClick: false, protocols: ['mailto', 'tel'] },
          },
    ),
    mergeFieldNode(props.fieldLabel),
    ...(props.line ? [OneLine] : []),
  ],
  editorProps: {
    attributes: {
      'aria-label': props.label,
      role: 'textbox',
      'aria-multiline': String(!props.line),
      class: props.line ? 'subject-line' : 'body-text',
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
defineExpose({ editor });
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
.writer :deep(.ProseMirror-selectednode) {
  outline: 2px solid var(--indigo);
}
</style>
