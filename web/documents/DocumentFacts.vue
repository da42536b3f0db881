<script setup lang="ts">
import { computed, reactive, ref } from 'vue';
import { DocumentChange, type DocumentRow, type FileRef, type ListEntry } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import MessageDialog from '../message/MessageDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import { many, size, useTimes } from '../words.ts';

/** Beside a document: what it is called, of which kind it is, where it lies and how it came there. */
const props = defineProps<{ row: DocumentRow; kinds: readonly ListEntry[]; may: boolean }>();
const emit = defineEmits<{ changed: []; gone: [] }>();
const { full, dayOf } = useTimes();
const put = computed(() => props.row.how === 'put');
const draft = reactive({
  filename: props.row.filename,
  kindId: props.row.kind?.id ?? null,
  on: dayOf(props.row.at),
});
const typed = computed(
  () =>
    draft.filename !== props.row.filename ||
    draft.kindId !== (props.row.kind?.id ?? null) ||
    draft.on !== dayOf(props.row.at),
);
const form = useForm(DocumentChange, ['filename', 'kindId', 'on']);
const keep = () =>
  form.submit(
    {
      filename: draft.filename,
      kindId: draft.kindId,
      ...(put.value && draft.on !== dayOf(props.row.at) ? { on: draft.on } : {}),
    },
    async (change) => {
      await act('PUT', `/documents/${props.row.id}`, change);
      emit('changed');
    },
  );
const finding = ref<'move' | 'copy' | null>(null);
const asking = computed({
  get: () => finding.value !== null,
  set: (open) => {
    if (!open) finding.value = null;
  },
});
const problem = ref('');
const said = ref('');
async function lay(file: FileRef) {
  const how = finding.value;
  try {
    if (how === 'move') await act('PUT', `/documents/${props.row.id}`, { fileId: file.id });
    else await act('POST', `/documents/${props.row.id}/copy`, { fileId: file.id });
    said.value = how === 'move' ? `It lies on ${file.number} now.` : `It lies on ${file.number} too.`;
    problem.value = '';
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const message = ref<number | null>(null);
const first = computed(() => props.row.files[0]);
</script>

<template>
  <form @submit.prevent="keep">
    <p class="quiet">
      {{
        { came: 'Received from', went: 'Sent by', put: 'Put there by', made: 'Made and released by' }[row.how]
      }}
      {{ row.from || 'nobody named' }}, {{ full(row.at) }}; {{ size(row.size)
      }}{{ row.times > 1 ? `; lies here ${many(row.times, 'time')}` : '' }}.
      <button v-if="row.messageId" type="button" class="link" @click="message = row.messageId">
        The message
      </button>
    </p>
    <v-text-field
      v-model="draft.filename"
      label="Name"
      maxlength="255"
      :disabled="!may"
      class="mt-3"
      :error-messages="form.errorOf('filename')"
    />
    <v-select
      v-model="draft.kindId"
      :items="kinds"
      item-title="name"
      item-value="id"
      label="Kind"
      clearable
      :disabled="!may"
      class="mt-2"
      no-data-text="No kinds yet: they are named under Settings"
      :error-messages="form.errorOf('kindId')"
    />
    <DateField
      v-if="put"
      v-model="draft.on"
      label="Of the day"
      :disabled="!may"
      class="mt-2"
      :error-messages="form.errorOf('on')"
    />
    <p v-if="form.problem.value" class="needs" role="alert">{{ form.problem.value }}</p>
    <v-btn
      v-if="may"
      type="submit"
      color="primary"
      variant="flat"
      size="small"
      class="mt-2"
      :disabled="!typed"
      :loading="form.busy.value"
      >Keep</v-btn
    >
    <h3 class="mt-4">Lies on</h3>
    <p v-for="file in row.files" :key="file.id" class="mt-1">
      <FileTab state="logged" :label="file.number" /><br />
      {{ file.title }}<br /><router-link :to="`/clients/${file.clientId}`">{{ file.clientName }}</router-link>
    </p>
    <p v-if="said" role="status" class="mt-2">{{ said }}</p>
    <p v-if="problem" class="needs mt-2" role="alert">{{ problem }}</p>
    <div class="acts mt-3">
      <router-link v-if="first" :to="{ name: 'write', query: { file: first.id, document: row.id } }"
        >Write with it enclosed</router-link
      >
      <template v-if="may">
        <button v-if="put" type="button" class="link" @click="finding = 'move'">
          Move it to another file…
        </button>
        <button type="button" class="link" @click="finding = 'copy'">Lay it on another file too…</button>
        <button v-if="put" type="button" class="link" @click="emit('gone')">Take it off</button>
      </template>
    </div>
    <FileFinder v-model="asking" @choose="lay" />
    <MessageDialog v-model="message" />
  </form>
</template>

<style scoped>
h3 {
  border-bottom: 1px solid var(--hairline);
}
.acts {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 6px;
}
</style>
