<script setup lang="ts">
import { computed, reactive, ref } from 'vue';
import {
  FileRecord,
  Made,
  NewFile,
  type FieldDefinition,
  type FileFields,
  type RegisterChoices,
} from '../../contract/index.ts';
import { act, send } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import LinkField from './LinkField.vue';
import OwnFields from './OwnFields.vue';
import RecordFoot from './RecordFoot.vue';
import { labelsWith, useRecordDialog, type Shown } from './recordDialog.ts';

/** A file, changed; or one about to be opened. */
const shown = defineModel<Shown>({ required: true });
const props = defineProps<{
  clientId: number;
  fields: readonly FieldDefinition[];
  choices: RegisterChoices | null;
  /** Of the client. */
  people: readonly { value: number; title: string }[];
}>();
const emit = defineEmits<{ changed: [] }>();
type Whole = FileFields & Record<string, unknown>;
const EMPTY: FileFields = {
  number: '',
  title: '',
  adviserId: null,
  stage: null,
  opened: '',
  closed: null,
  people: [],
};
const draft = reactive({
  number: '',
  title: '',
  adviserId: null as number | null,
  stage: null as string | null,
});
const opening = useForm(NewFile, ['number', 'title', 'adviserId', 'stage']);
const dialog = useRecordDialog<Whole>(shown, FileRecord, 'files', { ...EMPTY }, () => {
  opening.clear();
  Object.assign(draft, { number: '', title: '', adviserId: null, stage: props.choices?.stages[0] ?? null });
});
const { open, known, record, trouble, read, attempt } = dialog;
const { form, errorOf } = record;
async function keep() {
  if (!(await record.keep())) return;
  emit('changed');
  open.value = false;
}
const begin = () =>
  opening.submit({ ...draft }, async (wanted) => {
    await send('POST', Made, `/clients/${props.clientId}/files`, wanted);
    emit('changed');
    open.value = false;
  });
const remove = () =>
  attempt(async () => {
    await act('DELETE', `/files/${shown.value}`);
    emit('changed');
    open.value = false;
  });
const advisers = computed(
  () => props.choices?.advisers.map(({ id, name }) => ({ value: id, title: name })) ?? [],
);
const closed = computed({
  get: () => form.closed ?? '',
  set: (day: string) => {
    form.closed = day || null;
  },
});
const joined = ref<number | null>(null);
const nameOf = (id: number) => props.people.find(({ value }) => value === id)?.title;
function join(id: number | null) {
  joined.value = null;
  if (id !== null && !form.people.some(({ personId }) => personId === id))
    form.people = [...form.people, { personId: id, role: '' }];
}
/** Escape, and a click beside it, lose nothing. */
const typed = computed(() => (shown.value === 'new' ? draft.title !== '' : record.changed.value.length > 0));
const labels = computed(() => labelsWith(props.fields));
</script>

<template>
  <AskDialog v-model="open" :persistent="typed" :max-width="680" label="A file">
    <template #heading>{{ shown === 'new' ? 'Open a file' : `${form.number} ${form.title}` }}</template>
    <p v-if="trouble" class="needs" role="alert">{{ trouble }}</p>
    <form v-if="shown === 'new'" class="form-grid" @submit.prevent="begin">
      <v-text-field
        v-model="draft.title"
        v-first
        label="Title"
        class="wide"
        :error-messages="opening.errorOf('title')"
      />
      <v-text-field
        v-model="draft.number"
        label="Number"
        placeholder="the next"
        persistent-placeholder
        :error-messages="opening.errorOf('number')"
      />
      <v-select
        v-model="draft.stage"
        :items="choices?.stages ?? []"
        label="Stage"
        clearable
        :error-messages="opening.errorOf('stage')"
      />
      <v-autocomplete
        v-model="draft.adviserId"
        :items="advisers"
        label="Adviser"
        clearable
        placeholder="the client’s"
        persistent-placeholder
      />
      <p v-if="opening.problem.value" class="needs wide" role="alert">{{ opening.problem.value }}</p>
      <div class="answers wide">
        <v-btn @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="opening.busy.value">Open it</v-btn>
      </div>
    </form>
    <form v-else-if="known" class="form-grid" @submit.prevent="keep">
      <v-text-field v-model="form.title" label="Title" class="wide" :error-messages="errorOf('title')" />
      <v-text-field v-model="form.number" label="Number" :error-messages="errorOf('number')" />
      <v-select
        v-model="form.stage"
        :items="choices?.stages ?? []"
        label="Stage"
        clearable
        :error-messages="errorOf('stage')"
      />
      <v-autocomplete v-model="form.adviserId" :items="advisers" label="Adviser" clearable />
      <span />
      <DateField v-model="form.opened" label="Opened" :error-messages="errorOf('opened')" />
      <DateField v-model="closed" label="Closed" clearable :error-messages="errorOf('closed')" />
      <section class="wide" aria-label="People of the file">
        <h3>Named on it</h3>
        <div v-for="(line, index) in form.people" :key="line.personId" class="tie">
          <LinkField v-if="!nameOf(line.personId)" v-model="line.personId" to="person" label="Person" />
          <strong v-else>{{ nameOf(line.personId) }}</strong>
          <v-combobox v-model="line.role" :items="choices?.roles ?? []" label="Role" />
          <button
            type="button"
            class="link"
            @click="form.people = form.people.filter((_, at) => at !== index)"
          >
            take away
          </button>
        </div>
        <LinkField
          :model-value="joined"
          to="person"
          label="Name somebody on it"
          :error-messages="errorOf('people')"
          @update:model-value="join"
        />
      </section>
      <OwnFields :fields="fields" :values="form" :error-of="errorOf" />
      <RecordFoot
        v-if="typeof shown === 'number'"
        :id="shown"
        :record="record"
        :labels="labels"
        subject="file"
        @close="open = false"
        @changed="read(shown)"
      >
        <button type="button" class="link gone" @click="remove">It was opened by mistake</button>
      </RecordFoot>
    </form>
  </AskDialog>
</template>

<style scoped>
.tie {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
.gone {
  margin-right: auto;
}
</style>
