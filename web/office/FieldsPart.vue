<script setup lang="ts">
import { computed, reactive, ref } from 'vue';
import { z } from 'zod';
import { FieldDefinition, FieldDraft, type RecordSubject } from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { many } from '../words.ts';

/** The fields of the firm's own, of clients, people and files. */
const Definitions = z.array(FieldDefinition);
const {
  data: all,
  problem,
  load,
} = useLoad(Definitions, () => '/office/fields', { concerns: { records: true } });
const OF: Record<RecordSubject, string> = { client: 'Clients', person: 'People', file: 'Files' };
const subjects = Object.keys(OF) as RecordSubject[];
const fieldsOf = (of: RecordSubject) => all.value?.filter((field) => field.of === of) ?? [];
const KINDS: Record<FieldDefinition['kind'], string> = {
  text: 'Text',
  'long text': 'Long text',
  number: 'Number',
  money: 'Money',
  date: 'Date',
  'yes or no': 'Yes or no',
  choice: 'One of some choices',
  choices: 'Several of some choices',
  person: 'A person of the register',
  client: 'A client of the register',
};
const kindItems = Object.entries(KINDS).map(([value, title]) => ({ value, title }));

const editing = ref<'new' | FieldDefinition | null>(null);
const open = computed({
  get: () => editing.value !== null,
  set: (now) => {
    if (!now) editing.value = null;
  },
});
interface Draft {
  of: RecordSubject;
  label: string;
  kind: FieldDefinition['kind'];
  unit: string;
  choices: { id: number | null; label: string }[];
}
const draft = reactive<Draft>({ of: 'client', label: '', kind: 'text', unit: '', choices: [] });
const {
  errorOf,
  problem: refused,
  busy,
  submit,
  clear,
} = useForm(FieldDraft, ['label', 'kind', 'unit', 'choices']);
const used = computed(() => (editing.value !== 'new' ? (editing.value?.used ?? 0) : 0));
const chooses = computed(() => draft.kind === 'choice' || draft.kind === 'choices');
function edit(field: FieldDefinition) {
  clear();
  const { of, label, kind, unit, choices } = field;
  Object.assign(draft, { of, label, kind, unit, choices: choices.map((choice) => ({ ...choice })) });
  editing.value = field;
}
function make(of: RecordSubject) {
  clear();
  Object.assign(draft, { of, label: '', kind: 'text', unit: '', choices: [] });
  editing.value = 'new';
}
const addChoice = () => draft.choices.push({ id: null, label: '' });
const keep = () =>
  submit({ ...draft, choices: chooses.value ? draft.choices : [] }, async (field) => {
    const now = editing.value;
    all.value =
      now === 'new' || now === null
        ? await send('POST', Definitions, '/office/fields', field)
        : await send('PUT', Definitions, `/office/fields/${now.id}`, field);
    editing.value = null;
  });

const trouble = ref('');
/** Taken away last, for bringing it back. */
const gone = ref<FieldDefinition | null>(null);
async function attempt(work: () => Promise<void>) {
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const remove = (field: FieldDefinition) =>
  attempt(async () => {
    await act('DELETE', `/office/fields/${field.id}`);
    gone.value = field;
    editing.value = null;
    await load();
  });
const restore = () =>
  attempt(async () => {
    all.value = await send('POST', Definitions, `/office/fields/${gone.value?.id}/restore`, {});
    gone.value = null;
  });
const earlier = (of: RecordSubject, index: number) =>
  attempt(async () => {
    const ids = fieldsOf(of).map(({ id }) => id);
    const [id] = ids.splice(index, 1);
    if (id !== undefined) ids.splice(index - 1, 0, id);
    all.value = await send('PUT', Definitions, '/office/fields', { of, ids });
  });
</script>

<template>
  <Trouble :words="problem || trouble" :retry="load" class="mb-3" />
  <p v-if="gone" class="mb-2" role="status">
    “{{ gone.label }}” is taken away; what stands in it is kept.
    <button type="button" class="link" @click="restore">Bring it back</button>
  </p>
  <section v-for="of in subjects" :key="of" class="of" :aria-label="OF[of]">
    <h3>{{ OF[of] }}</h3>
    <table v-if="fieldsOf(of).length" class="ledger-table">
      <tbody>
        <tr v-for="(field, index) in fieldsOf(of)" :key="field.id">
          <td>
            <button type="button" class="link" @click="edit(field)">{{ field.label }}</button>
          </td>
          <td class="quiet">
            {{ KINDS[field.kind] }}{{ field.unit ? `, ${field.unit}` : ''
            }}{{ field.choices.length ? `: ${field.choices.map(({ label }) => label).join(', ')}` : '' }}
          </td>
          <td class="right quiet figures">
            {{ field.used ? `in ${field.used.toLocaleString('en-GB')}` : '' }}
          </td>
          <td class="right">
            <button
              type="button"
              class="link"
              :disabled="!index"
              :aria-label="`${field.label} earlier`"
              @click="earlier(of, index)"
            >
              up
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">None yet.</p>
    <v-btn class="mt-2" @click="make(of)">Add a field</v-btn>
  </section>
  <AskDialog
    v-model="open"
    :persistent="editing === 'new' && draft.label !== ''"
    :max-width="520"
    label="A field of your own"
  >
    <template #heading>{{
      editing === 'new' ? `A field of ${OF[draft.of].toLowerCase()}` : draft.label
    }}</template>
    <form class="form-grid" @submit.prevent="keep">
      <v-text-field
        v-model="draft.label"
        v-first
        label="Name"
        class="wide"
        :error-messages="errorOf('label')"
      />
      <v-select
        v-model="draft.kind"
        :items="kindItems"
        label="What stands in it"
        :disabled="used > 0"
        :error-messages="errorOf('kind')"
      />
      <v-text-field
        v-if="draft.kind === 'number' || draft.kind === 'money'"
        v-model="draft.unit"
        :label="draft.kind === 'money' ? 'Currency, such as £' : 'Unit, such as ha'"
        :error-messages="errorOf('unit')"
      />
      <p v-if="used" class="quiet wide">
        Something stands in it in {{ many(used, 'record') }}, so what sort it is stays as it is.
      </p>
      <div v-if="chooses" class="wide">
        <div v-for="(choice, index) in draft.choices" :key="index" class="choice-line">
          <v-text-field v-model="choice.label" :label="`Choice ${index + 1}`" maxlength="80" />
          <button
            type="button"
            class="link"
            :aria-label="`Take away ${choice.label || `choice ${index + 1}`}`"
            @click="draft.choices.splice(index, 1)"
          >
            take away
          </button>
        </div>
        <button type="button" class="link" @click="addChoice">Add a choice</button>
        <p v-for="words in errorOf('choices')" :key="words" class="needs" role="alert">{{ words }}</p>
      </div>
      <p v-if="refused" class="needs wide" role="alert">{{ refused }}</p>
      <div class="answers wide">
        <button v-if="editing !== 'new' && editing" type="button" class="link gone" @click="remove(editing)">
          Take it away
        </button>
        <v-btn @click="editing = null">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">Keep</v-btn>
      </div>
    </form>
  </AskDialog>
</template>

<style scoped>
.of {
  margin-bottom: 20px;
}
.choice-line {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
.gone {
  margin-right: auto;
}
</style>
