<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3';
import { computed, ref } from 'vue';
import { ROWS, type FactKind } from '../../core/facts/catalogue.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { asArticle } from '../../core/merge/frame.ts';
import { LETTER_COLOURS, LETTER_SIZES, MARK_COLOURS } from '../../core/merge/looks.ts';
import AskDialog from '../ui/AskDialog.vue';
import ChosenBar from './ChosenBar.vue';
import { putBlocks, ROWS_WORDS } from './nodes.ts';
import Trouble from './Trouble.vue';

/** Letters, lists, tables, pictures and links for an editor. */
const props = defineProps<{
  editor: Editor | undefined;
  /** What facts there are, for what is put in; left out where there are none. */
  facts?: readonly { key: string; label: string; kind: FactKind }[];
  /** Whether it may have articles, as a newsletter has. */
  articles?: boolean;
}>();
const emit = defineEmits<{ pictures: [files: File[]] }>();
const editor = computed(() => props.editor);
const linking = ref(false);
const link = ref('');
const linkProblem = ref('');
const chain = () => editor.value?.chain().focus();
const is = (name: string | object, attrs?: object) =>
  typeof name === 'string' ? editor.value?.isActive(name, attrs) : editor.value?.isActive(name);

/** What an article begins with. */
const BEGUN: DocNode = {
  type: 'doc',
  content: [
    { type: 'heading', attrs: { level: 2 }, content: [{ type: 'text', text: 'Heading' }] },
    { type: 'paragraph' },
  ],
};

interface Tool {
  words: string;
  shown: string;
  on?: boolean | undefined;
  act: () => unknown;
}
const LETTERS = computed<Tool[]>(() => [
  { words: 'Bold', shown: 'B', on: is('bold'), act: () => chain()?.toggleBold().run() },
  { words: 'Italic', shown: 'I', on: is('italic'), act: () => chain()?.toggleItalic().run() },
  { words: 'Underline', shown: 'U', on: is('underline'), act: () => chain()?.toggleUnderline().run() },
  { words: 'Struck out', shown: 'S', on: is('strike'), act: () => chain()?.toggleStrike().run() },
]);
const BLOCKS = computed<Tool[]>(() => [
  {
    words: 'Heading',
    shown: 'Heading',
    on: is('heading', { level: 2 }),
    act: () => chain()?.toggleHeading({ level: 2 }).run(),
  },
  {
    words: 'Lesser heading',
    shown: 'Lesser',
    on: is('heading', { level: 3 }),
    act: () => chain()?.toggleHeading({ level: 3 }).run(),
  },
  {
    words: 'List with dots',
    shown: '• List',
    on: is('bulletList'),
    act: () => chain()?.toggleBulletList().run(),
  },
  {
    words: 'List with numbers',
    shown: '1. List',
    on: is('orderedList'),
    act: () => chain()?.toggleOrderedList().run(),
  },
  {
    words: 'Quotation',
    shown: 'Quotation',
    on: is('blockquote'),
    act: () => chain()?.toggleBlockquote().run(),
  },
]);
const MENUS = computed<{ words: string; tools: Tool[] }[]>(() => [
  {
    words: 'Letters',
    tools: [
      ...LETTER_SIZES.map(({ value, words }) => ({
        words,
        shown: words,
        on: is('textStyle', { fontSize: value }),
        act: () => chain()?.setFontSize(value).run(),
      })),
      ...LETTER_COLOURS.map(({ value, words }) => ({
        words,
        shown: words,
        on: is('textStyle', { color: value }),
        act: () => chain()?.setColor(value).run(),
      })),
      ...MARK_COLOURS.map(({ value, words }) => ({
        words: `Marked: ${words}`,
        shown: `Marked: ${words}`,
        on: is('highlight', { color: value }),
        act: () => chain()?.toggleHighlight({ color: value }).run(),
      })),
      {
        words: 'Plain letters again',
        shown: 'Plain letters again',
        act: () => chain()?.unsetAllMarks().run(),
      },
    ],
  },
  {
    words: 'Place',
    tools: [
      ...(
        [
          ['left', 'At the left'],
          ['center', 'In the middle'],
          ['right', 'At the right'],
        ] as const
      ).map(([where, words]) => ({
        words,
        shown: words,
        on: is({ textAlign: where }),
        act: () => chain()?.setTextAlign(where).run(),
      })),
      ...(props.articles
        ? [
            {
              words: 'An article',
              shown: 'An article',
              act: () => editor.value && putBlocks(editor.value, [asArticle(BEGUN)]),
            },
          ]
        : []),
      { words: 'Line across', shown: 'Line across', act: () => chain()?.setHorizontalRule().run() },
    ],
  },
  {
    words: 'Table',
    tools: is('table')
      ? [
          { words: 'Row above', shown: 'Row above', act: () => chain()?.addRowBefore().run() },
          { words: 'Row below', shown: 'Row below', act: () => chain()?.addRowAfter().run() },
          { words: 'Column before', shown: 'Column before', act: () => chain()?.addColumnBefore().run() },
          { words: 'Column after', shown: 'Column after', act: () => chain()?.addColumnAfter().run() },
          { words: 'Take the row away', shown: 'Take the row away', act: () => chain()?.deleteRow().run() },
          {
            words: 'Take the column away',
            shown: 'Take the column away',
            act: () => chain()?.deleteColumn().run(),
          },
          {
            words: 'Cells into one, or parted',
            shown: 'Cells into one, or parted',
            act: () => chain()?.mergeOrSplit().run(),
          },
          {
            words: 'Heads in the first row',
            shown: 'Heads in the first row',
            act: () => chain()?.toggleHeaderRow().run(),
          },
          {
            words: 'Lines',
            shown: 'Lines',
            on: editor.value?.getAttributes('table').lines !== false,
            act: () =>
              chain()
                ?.updateAttributes('table', { lines: editor.value?.getAttributes('table').lines === false })
                .run(),
          },
          ...ROWS.map((of) => ({
            words: `This row: ${ROWS_WORDS[of].toLowerCase()}`,
            shown: `This row: ${ROWS_WORDS[of].toLowerCase()}`,
            on: editor.value?.getAttributes('tableRow').of === of,
            act: () =>
              chain()
                ?.updateAttributes('tableRow', {
                  of: editor.value?.getAttributes('tableRow').of === of ? null : of,
                })
                .run(),
          })),
          {
            words: 'Take the table away',
            shown: 'Take the table away',
            act: () => chain()?.deleteTable().run(),
          },
        ]
      : [
          [3, 2],
          [3, 3],
          [4, 4],
        ].map(([rows = 3, cols = 2]) => ({
          words: `${rows} rows, ${cols} columns`,
          shown: `${rows} rows, ${cols} columns`,
          act: () => chain()?.insertTable({ rows, cols, withHeaderRow: true }).run(),
        })),
  },
]);

function openLink() {
  link.value = String(editor.value?.getAttributes('link').href ?? '');
  linkProblem.value = '';
  linking.value = true;
}
function setLink() {
  const href = link.value.trim();
  if (href && !/^(https?:\/\/|mailto:|tel:)\S+$/i.test(href)) {
    linkProblem.value = 'Begin the address with https://, mailto: or tel:.';
    return;
  }
  const at = chain()?.extendMarkRange('link');
  if (href && editor.value?.state.selection.empty && !editor.value.isActive('link'))
    at?.insertContent({ type: 'text', text: href, marks: [{ type: 'link', attrs: { href } }] }).run();
  else if (href) at?.setLink({ href }).run();
  else at?.unsetLink().run();
  linking.value = false;
}

const chooser = ref<HTMLInputElement | null>(null);
function chosen() {
  emit('pictures', [...(chooser.value?.files ?? [])]);
  if (chooser.value) chooser.value.value = '';
}

/** The text as HTML, to be looked at and changed by hand: what no message may have is left out when it is put back. */
const byHand = ref(false);
const html = ref('');
function openHtml() {
  html.value = (editor.value?.getHTML() ?? '').replace(
    /(<\/(?:p|h2|h3|li|ul|ol|tr|table|div|blockquote)>)/g,
    '$1\n',
  );
  byHand.value = true;
}
function putBack() {
  editor.value?.chain().focus().setContent(html.value, { emitUpdate: true }).run();
  byHand.value = false;
}
</script>

<template>
  <div class="bar" role="toolbar" aria-label="Letters and lists">
    <button
      v-for="button in [...LETTERS, ...BLOCKS]"
      :key="button.words"
      type="button"
      class="plain tool"
      :class="{ on: button.on, struck: button.shown === 'S' }"
      :aria-label="button.words"
      :aria-pressed="Boolean(button.on)"
      :title="button.words"
      @click="button.act"
    >
      {{ button.shown }}
    </button>
    <v-menu v-for="menu in MENUS" :key="menu.words">
      <template #activator="{ props: opening }">
        <button type="button" class="plain tool" v-bind="opening">{{ menu.words }} ▾</button>
      </template>
      <v-list density="compact" :aria-label="menu.words">
        <v-list-item
          v-for="tool in menu.tools"
          :key="tool.words"
          :active="Boolean(tool.on)"
          @click="tool.act"
          >{{ tool.shown }}</v-list-item
        >
      </v-list>
    </v-menu>
    <button type="button" class="plain tool" :class="{ on: is('link') }" @click="openLink">Link</button>
    <button type="button" class="plain tool" @click="chooser?.click()">Picture</button>
    <input
      ref="chooser"
      type="file"
      accept="image/png,image/jpeg,image/gif"
      multiple
      hidden
      aria-hidden="true"
      @change="chosen"
    />
    <button
      type="button"
      class="plain tool"
      title="Look at it as HTML, and change it by hand"
      @click="openHtml"
    >
      HTML
    </button>
    <button type="button" class="plain tool" title="Take the last change back" @click="chain()?.undo().run()">
      Undo
    </button>
  </div>
  <ChosenBar v-if="editor" :editor="editor" :facts="facts ?? []" />
  <AskDialog v-model="linking" :max-width="460" label="Link">
    <template #heading>Where does it lead?</template>
    <v-text-field v-model="link" v-first label="Address" @keydown.enter="setLink" />
    <Trouble :words="linkProblem" class="mt-2" />

    <template #answers>
      <v-btn @click="linking = false">Leave it</v-btn
      ><v-btn color="primary" variant="flat" @click="setLink">{{
        link.trim() ? 'Set the link' : 'Take the link away'
      }}</v-btn>
    </template>
  </AskDialog>
  <AskDialog v-model="byHand" :max-width="900" label="HTML">
    <template #heading>The text as HTML</template>
    <p class="quiet mb-2">
      What a message may not have, such as scripts or pictures from elsewhere, is left out when it is put
      back.
    </p>
    <v-textarea v-model="html" class="code" rows="18" label="HTML" spellcheck="false" />
    <template #answers>
      <v-btn @click="byHand = false">Leave it as it was</v-btn>
      <v-btn color="primary" variant="flat" @click="putBack">Put it back</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.bar {
  display: flex;
  flex: none;
  flex-wrap: wrap;
  gap: 2px;
  padding: 5px 10px;
  border-bottom: 1px solid var(--hairline);
}
.tool {
  padding: 2px 8px;
  font-weight: 600;
  border-radius: 2px;
}
.tool:hover {
  background: var(--page);
}
.tool.on {
  background: var(--spruce-pale);
  color: var(--spruce);
}
.struck {
  text-decoration: line-through;
}
.code :deep(textarea) {
  font: 13px/1.5 monospace;
}
</style>
