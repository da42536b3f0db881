<script setup lang="ts">
import { computed, reactive, ref } from 'vue';
import { z } from 'zod';
import {
  Made,
  NewPerson,
  OptOut,
  PersonRecord,
  type FieldDefinition,
  type PersonFields,
  type RegisterChoices,
} from '../../contract/index.ts';
import { act, get, send } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useTimes } from '../words.ts';
import LinkField from './LinkField.vue';
import OwnFields from './OwnFields.vue';
import RecordFoot from './RecordFoot.vue';
import PhoneLines from './PhoneLines.vue';
import { labelsWith, useRecordDialog, type Shown } from './recordDialog.ts';

/** A person of the register, changed; or somebody who joins a client. */
const shown = defineModel<Shown>({ required: true });
const props = defineProps<{
  clientId: number;
  fields: readonly FieldDefinition[];
  choices: RegisterChoices | null;
}>();
const emit = defineEmits<{ changed: [] }>();
const { day } = useTimes();
type Whole = PersonFields & Record<string, unknown>;
const EMPTY: PersonFields = {
  title: '',
  firstName: '',
  lastName: '',
  greeting: null,
  note: '',
  phones: [],
  addresses: [],
};
const optOuts = ref<OptOut[]>([]);

const join = reactive({
  personId: null as number | null,
  title: '',
  firstName: '',
  lastName: '',
  email: '',
  role: '',
});
const joining = useForm(NewPerson, ['personId', 'firstName', 'lastName', 'email', 'role']);

const readOptOuts = async (id: number) => {
  optOuts.value = [];
  const outs = await get(z.array(OptOut), `/people/${id}/opt-outs`);
  if (shown.value === id) optOuts.value = outs;
};
const dialog = useRecordDialog<Whole>(
  shown,
  PersonRecord,
  'people',
  { ...EMPTY },
  () => {
    joining.clear();
    Object.assign(join, { personId: null, title: '', firstName: '', lastName: '', email: '', role: '' });
  },
  readOptOuts,
);
const { open, known, record, trouble, read, attempt } = dialog;
const { form, errorOf } = record;
async function keep() {
  if (!(await record.keep())) return;
  emit('changed');
  open.value = false;
}
const add = () =>
  joining.submit({ ...join }, async (wanted) => {
    const { id } = await send('POST', Made, `/clients/${props.clientId}/people`, wanted);
    emit('changed');
    // Whoever is new may have more to be noted.
    shown.value = wanted.personId === null ? id : null;
  });
const changeAddress = (index: number, part: Partial<PersonFields['addresses'][number]>) => {
  form.addresses = form.addresses.map((each, at) => (at === index ? { ...each, ...part } : each));
};
const addAddress = () => {
  form.addresses = [...form.addresses, { email: '', current: true, purpose: '' }];
};
const dropAddress = (index: number) => {
  form.addresses = form.addresses.filter((_, at) => at !== index);
};

const out = reactive({ email: '', topicId: null as number | null, how: '' });
const addressItems = computed(() => known.value?.addresses.map(({ email }) => email) ?? []);
const topicItems = computed(() => [
  { value: null, title: 'everything' },
  ...(props.choices?.topics.map(({ id, name }) => ({ value: id, title: name })) ?? []),
]);
const optingOut = ref(false);
function beginOptOut() {
  Object.assign(out, { email: addressItems.value[0] ?? '', topicId: null, how: '' });
  optingOut.value = true;
}
const say = (email: string, topicId: number | null, isOut: boolean, how: string) =>
  attempt(async () => {
    await act('PUT', '/opt-outs', { email, topicId, out: isOut, how });
    optingOut.value = false;
    if (typeof shown.value === 'number') await readOptOuts(shown.value);
    emit('changed');
  });
/** Whoever asked to be left alone is written to again only with proof. */
const again = reactive({ email: '', topicId: null as number | null, how: '' });
async function sayAgain() {
  await say(again.email, again.topicId, false, again.how);
  again.email = '';
}
const greeting = computed({
  get: () => form.greeting ?? '',
  set: (words: string) => {
    form.greeting = words.trim() ? words : null;
  },
});
/** Escape, and a click beside it, lose nothing. */
const typed = computed(() =>
  shown.value === 'new'
    ? Boolean(join.firstName || join.lastName || join.email)
    : record.changed.value.length > 0,
);
const labels = computed(() => labelsWith(props.fields));
</script>

<template>
  <AskDialog v-model="open" :persistent="typed" :max-width="720" label="A person">
    <template #heading>{{
      shown === 'new' ? 'Add somebody' : `${form.firstName} ${form.lastName}`.trim() || 'A person'
    }}</template>
    <p v-if="trouble" class="needs" role="alert">{{ trouble }}</p>
    <form v-if="shown === 'new'" class="form-grid" @submit.prevent="add">
      <LinkField
        v-model="join.personId"
        to="person"
        label="Somebody who is here already"
        class="wide"
        :error-messages="joining.errorOf('personId')"
      />
      <template v-if="join.personId === null">
        <p class="quiet wide">or somebody new:</p>
        <v-text-field
          v-model="join.firstName"
          label="First name"
          :error-messages="joining.errorOf('firstName')"
        />
        <v-text-field
          v-model="join.lastName"
          label="Last name"
          :error-messages="joining.errorOf('lastName')"
        />
        <v-text-field v-model="join.email" label="Email address" :error-messages="joining.errorOf('email')" />
      </template>
      <v-combobox v-model="join.role" :items="choices?.roles ?? []" label="Role, such as owner or agent" />
      <p v-if="joining.problem.value" class="needs wide" role="alert">{{ joining.problem.value }}</p>
      <div class="answers wide">
        <v-btn @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="joining.busy.value">Add</v-btn>
      </div>
    </form>
    <form v-else-if="known" class="form-grid" @submit.prevent="keep">
      <div class="wide names">
        <v-text-field v-model="form.title" label="Title" :error-messages="errorOf('title')" />
        <v-text-field v-model="form.firstName" label="First name" :error-messages="errorOf('firstName')" />
        <v-text-field v-model="form.lastName" label="Last name" :error-messages="errorOf('lastName')" />
      </div>
      <v-text-field
        v-model="greeting"
        label="Greeting, after “Dear”"
        placeholder="made of the name"
        :error-messages="errorOf('greeting')"
      />
      <v-textarea v-model="form.note" label="Note" rows="1" auto-grow />
      <div class="wide">
        <div v-for="(address, index) in form.addresses" :key="index" class="address">
          <v-text-field
            :model-value="address.email"
            label="Email address"
            @update:model-value="(email: string) => changeAddress(index, { email })"
          />
          <v-text-field
            :model-value="address.purpose"
            label="What for"
            @update:model-value="(purpose: string) => changeAddress(index, { purpose })"
          />
          <v-checkbox
            :model-value="address.current"
            label="current"
            @update:model-value="(current) => changeAddress(index, { current: Boolean(current) })"
          />
          <button
            type="button"
            class="link"
            :aria-label="`Take away ${address.email}`"
            @click="dropAddress(index)"
          >
            take away
          </button>
        </div>
        <p v-for="words in errorOf('addresses')" :key="words" class="needs" role="alert">{{ words }}</p>
        <button type="button" class="link" @click="addAddress">Add an email address</button>
        <p class="quiet mt-1">An old address still tells whose letter it was; it is not written to.</p>
      </div>
      <PhoneLines v-model="form.phones" :errors="errorOf('phones')" />
      <OwnFields :fields="fields" :values="form" :error-of="errorOf" />
      <section class="wide" aria-label="Opt-outs">
        <h3>Opt-outs</h3>
        <p v-for="each in optOuts" :key="`${each.email} ${each.topicId}`">
          {{ each.email }}: no mailings about {{ each.topic ?? 'anything' }}
          <span class="quiet">since {{ day(each.at) }}, {{ each.how }}</span>
          <button
            type="button"
            class="link"
            @click="Object.assign(again, { email: each.email, topicId: each.topicId, how: '' })"
          >
            wants them again
          </button>
        </p>
        <div v-if="again.email" class="optout">
          <v-text-field
            v-model="again.how"
            class="proof"
            :label="`What proves that ${again.email} wants them again`"
            placeholder="their message of 3 May"
          />
          <v-btn :disabled="!again.how.trim()" @click="sayAgain">Note it</v-btn>
          <v-btn @click="again.email = ''">Not so</v-btn>
        </div>
        <div v-if="optingOut" class="optout">
          <v-select v-model="out.email" :items="addressItems" label="Address" />
          <v-select v-model="out.topicId" :items="topicItems" label="Opts out of" />
          <v-text-field v-model="out.how" label="How we know" placeholder="by telephone" />
          <v-btn @click="say(out.email, out.topicId, true, out.how)">Note it</v-btn>
        </div>
        <button v-else-if="addressItems.length" type="button" class="link" @click="beginOptOut">
          {{ optOuts.length ? 'note another' : 'None. Note one' }}
        </button>
      </section>
      <RecordFoot
        v-if="typeof shown === 'number'"
        :id="shown"
        :record="record"
        :labels="labels"
        subject="person"
        @close="open = false"
        @changed="read(shown)"
      />
    </form>
  </AskDialog>
</template>

<style scoped>
.names {
  display: grid;
  grid-template-columns: 90px 1fr 1fr;
  gap: 12px;
}
.address {
  display: grid;
  grid-template-columns: 1.6fr 1fr auto auto;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
.optout {
  display: grid;
  grid-template-columns: 1.3fr 1fr 1fr auto;
  gap: 10px;
  align-items: center;
}
</style>
