<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue';
import Trouble from '../parts/Trouble.vue';
import { useWorkshop } from './workshop.ts';
import Writer from './Writer.vue';

const workshop = useWorkshop();
const subject = useTemplateRef<InstanceType<typeof Writer>>('subject');
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const last = ref<'subject' | 'body'>('body');
const field = ref<string | null>(null);
const fallback = ref('');
const linking = ref(false);
const link = ref('');
const linkProblem = ref('');

const label = (key: string) => workshop.fields?.mergeFields.find((each) => each.key === key)?.label ?? key;
const editor = computed(() => body.value?.editor);
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

function insert() {
  if (!field.value) return;
  const target = last.value === 'subject' ? subject.value?.editor : body.value?.editor;
  target
    ?.chain()
    .focus()
    .insertContent({ type: 'mergeField', attrs: { field: field.value, fallback: fallback.value.trim() } })
    .run();
  field.value = null;
  fallback.value = '';
}
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
  <div v-if="workshop.draft" class="message">
    <div class="write">
      <div class="sheet subject">
        <span class="quiet subject-name">Subject</span>
        <Writer
          ref="subject"
          v-model="workshop.draft.subject"
          line
          label="Subject"
          :field-label="label"
          class="subject-writer"
          @focus="last = 'subject'"
        />
      </div>
      <div class="sheet body">
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
          <button
            type="button"
            class="plain tool"
            :class="{ on: editor?.isActive('link') }"
            @click="openLink"
          >
            Link
          </button>
        </div>
        <div class="scroll">
          <Writer
            ref="body"
            v-model="workshop.draft.body"
            label="Message"
            :field-label="label"
            @focus="last = 'body'"
          />
        </div>
      </div>
    </div>
    <aside class="fields" aria-labelledby="fields">
      <h2 id="fields">Put in a fact</h2>
      <p class="quiet mt-1 mb-3">
        It becomes each client’s own when the message is made. It goes in where you were last writing.
      </p>
      <v-select
        v-model="field"
        :items="workshop.fields?.mergeFields ?? []"
        item-title="label"
        item-value="key"
        label="Fact"
      />
      <v-text-field
        v-model="fallback"
        label="Else say (when there is none)"
        class="mt-3"
        @keydown.enter="insert"
      />
      <v-btn class="mt-3" :disabled="!field" color="primary" variant="flat" @click="insert">Put it in</v-btn>
    </aside>
    <v-dialog v-model="linking" max-width="460" aria-label="Link">
      <v-card class="pa-5">
        <h2 class="mb-3">Where does it lead?</h2>
        <v-text-field v-model="link" label="Address" autofocus @keydown.enter="setLink" />
        <Trouble :words="linkProblem" class="mt-2" />
        <div class="answers">
          <v-btn @click="linking = false">Leave it</v-btn
          ><v-btn color="primary" variant="flat" @click="setLink">{{
            link.trim() ? 'Set the link' : 'Take the link away'
          }}</v-btn>
        </div>
      </v-card>
    </v-dialog>
  </div>
</template>

<style scoped>
.message {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 270px;
  gap: 18px;
}
.write {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
}
.subject {
  display: flex;
  align-items: center;
}
.subject-name {
  padding-left: 14px;
}
.subject-writer {
  flex: 1;
  min-width: 0;
}
.body {
  display: flex;
  flex-direction: column;
  min-height: 0;
  flex: 1;
}
.scroll {
  overflow: auto;
}
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
@media (max-width: 1000px) {
  .message {
    grid-template-columns: minmax(0, 1fr) 200px;
  }
}
</style>
