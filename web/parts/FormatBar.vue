<script setup lang="ts">
import type { Editor } from '@tiptap/vue-3';
import { computed, ref } from 'vue';
import Trouble from './Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';

/** Letters, lists and links for an editor. */
const props = defineProps<{ editor: Editor | undefined }>();
const editor = computed(() => props.editor);
const linking = ref(false);
const link = ref('');
const linkProblem = ref('');

const BUTTONS = computed(() => [
  {
    words: 'Bold',
    shown: 'B',
    on: editor.value?.isActive('bold'),
    act: () => editor.value?.chain().focus().toggleBold().run(),
  },
  {
    words: 'Italic',
    shown: 'I',
    on: editor.value?.isActive('italic'),
    act: () => editor.value?.chain().focus().toggleItalic().run(),
  },
  {
    words: 'Underline',
    shown: 'U',
    on: editor.value?.isActive('underline'),
    act: () => editor.value?.chain().focus().toggleUnderline().run(),
  },
  {
    words: 'Heading',
    shown: 'Heading',
    on: editor.value?.isActive('heading'),
    act: () => editor.value?.chain().focus().toggleHeading({ level: 2 }).run(),
  },
  {
    words: 'List with dots',
    shown: '• List',
    on: editor.value?.isActive('bulletList'),
    act: () => editor.value?.chain().focus().toggleBulletList().run(),
  },
  {
    words: 'List with numbers',
    shown: '1. List',
    on: editor.value?.isActive('orderedList'),
    act: () => editor.value?.chain().focus().toggleOrderedList().run(),
  },
  {
    words: 'Quotation',
    shown: 'Quotation',
    on: editor.value?.isActive('blockquote'),
    act: () => editor.value?.chain().focus().toggleBlockquote().run(),
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
  const chain = editor.value?.chain().focus().extendMarkRange('link');
  if (href && editor.value?.state.selection.empty && !editor.value.isActive('link'))
    chain?.insertContent({ type: 'text', text: href, marks: [{ type: 'link', attrs: { href } }] }).run();
  else if (href) chain?.setLink({ href }).run();
  else chain?.unsetLink().run();
  linking.value = false;
}
</script>

<template>
  <div class="bar" role="toolbar" aria-label="Letters and lists">
    <button
      v-for="button in BUTTONS"
      :key="button.words"
      type="button"
      class="plain tool"
      :class="{ on: button.on }"
      :aria-label="button.words"
      :aria-pressed="Boolean(button.on)"
      :title="button.words"
      @click="button.act"
    >
      {{ button.shown }}
    </button>
    <button type="button" class="plain tool" :class="{ on: editor?.isActive('link') }" @click="openLink">
      Link
    </button>
  </div>
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
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  padding: 5px 10px;
  border-bottom: 1px solid var(--hairline);
}
.tool {
  padding: 2px 9px;
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
</style>
