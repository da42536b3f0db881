<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import {
  FIELD_LABELS,
  FileRecord,
  Made,
  NewFile,
  type FieldDefinition,
  type FileFields,
  type RegisterChoices,
} from '../../contract/index.ts';
import { act, get, send, wordsOf } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import { useRecord } from '../ui/record.ts';
import LinkField from './LinkField.vue';
import OwnFields from './OwnFields.vue';
import RecordFoot from './RecordFoot.vue';

/** A file, changed; or one about to be opened. */
const shown = defineModel<number | 'new' | null>({ required: true });
const props = defineProps<{
  clientId: number;
  fields: readonly FieldDefinition[];
  choices: RegisterChoices | null;
  /** Of the client. */
  people: readonly { value: number; title: string }[];
}>();
const emit = defineEmits<{ changed: [] }>();
const open = computed({
  get: () => shown.value !== null,
  set: (now) => {
    if (!now) shown.value = null;
  },
});
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
const known = ref<Whole | null>(null);
const trouble = ref('');
const record = useRecord<Whole>(
  () => known.value,
  { ...EMPTY },
  async (change) => {
    const made = (await send('PUT', FileRecord, `/files/${shown.value}`, change)) as Whole;
    known.value = made;
    return made;
  },
);
const { form, errorOf } = record;
const draft = reactive({
  number: '',
  title: '',
  adviserId: null as number | null,
  stage: null as string | null,
});
const opening = useForm(NewFile, ['number', 'title', 'adviserId', 'stage']);
watch(
  shown,
  async (now) => {
    trouble.value = '';
    record.undo();
    known.value = null;
    if (now === 'new') {
      opening.clear();
      Object.assign(draft, {
        number: '',
        title: '',
        adviserId: null,
        stage: props.choices?.stages[0] ?? null,
      });
    } else if (now !== null) await read(now);
  },
  { immediate: true },
);
async function read(id: number) {
  try {
    const file = await get(FileRecord, `/files/${id}/record`);
    if (shown.value === id) known.value = file as Whole;
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
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
async function remove() {
  trouble.value = '';
  try {
    await act('DELETE', `/files/${shown.value}`);
    emit('changed');
    open.value = false;
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
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
const labels = computed(() => ({
  ...FIELD_LABELS,
  ...Object.fromEntries(props.fields.map((field) => [`field:${field.id}`, field.label])),
}));
</script>

<template>
  <AskDialog v-model="open" :persistent="record.changed.value.length > 0" :max-width="680" label="A file">
    <template #heading>{{ shown === 'new' ? 'Open a file' : `${form.number} ${form.title}` }}</template>
    <p v-if="trouble" class="needs" role="alert">{{ trouble }}</p>
    <form v-if="shown === 'new'" class="form-grid" @submit.prevent="begin">
      <v-text-field
        v-model="draft.title"
        label="Title"
        class="wide"
        autofocus
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
