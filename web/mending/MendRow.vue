<script setup lang="ts">
import { computed, onMounted, ref } from 'vue';
import {
  ClientRecord,
  FileRecord,
  PersonRecord,
  type GapRow,
  type RegisterChoices,
} from '../../contract/index.ts';
import { act, get, send, wordsOf } from '../api.ts';
import CountryField from '../parts/CountryField.vue';
import { labelsWith } from '../register/recordDialog.ts';
import LinkField from '../register/LinkField.vue';
import { useRecord } from '../ui/record.ts';
import Theirs from '../ui/Theirs.vue';
import type { GapInfo } from './mending.ts';

/** What is wrong with one record, mended where it stands. */
const props = defineProps<{ row: GapRow; info: GapInfo; choices: RegisterChoices | null }>();
const emit = defineEmits<{ mended: []; close: [] }>();
interface Mended {
  firstName: string;
  lastName: string;
  greeting: string | null;
  postal: string[];
  country: string;
  adviserId: number | null;
  addresses: { email: string; current: boolean; purpose: string }[];
}
const KINDS = {
  client: { path: 'clients', schema: ClientRecord },
  person: { path: 'people', schema: PersonRecord },
  file: { path: 'files', schema: FileRecord },
};
const kind = KINDS[props.row.subject];
const known = ref<Partial<Mended> | null>(null);
const record = useRecord<Partial<Mended>>(
  () => known.value,
  {},
  async (change) => {
    known.value = only(await send('PUT', kind.schema, `/${kind.path}/${props.row.id}`, change));
    return known.value;
  },
);
const { form } = record;
const trouble = ref('');
const only = (all: object): Partial<Mended> =>
  Object.fromEntries(Object.entries(all).filter(([name]) => (props.info.fields as string[]).includes(name)));
onMounted(async () => {
  if (!props.info.fields.length) return;
  try {
    known.value = only(await get(kind.schema, `/${kind.path}/${props.row.id}/record`));
  } catch (error) {
    trouble.value = wordsOf(error);
  }
});
const has = (field: keyof Mended) => known.value !== null && props.info.fields.includes(field);
const advisers = computed(
  () => props.choices?.advisers.map(({ id, name }) => ({ value: id, title: name })) ?? [],
);
const postal = computed({
  get: () => form.postal?.join('\n') ?? '',
  set: (text: string) => (form.postal = text.split('\n')),
});
const greeting = computed({
  get: () => form.greeting ?? '',
  set: (words: string | null) => (form.greeting = words?.trim() ? words : null),
});
const country = computed({
  get: () => form.country ?? '',
  set: (code: string) => (form.country = code),
});
const clientId = ref<number | null>(null);
/** Escape loses nothing that was typed. */
function leave() {
  if (!record.changed.value.length && clientId.value === null) emit('close');
}
async function keep() {
  trouble.value = '';
  if (props.info.gap === 'of no client') {
    try {
      await act('POST', `/clients/${clientId.value}/people`, { personId: props.row.id });
      emit('mended');
    } catch (error) {
      trouble.value = wordsOf(error);
    }
    return;
  }
  if (await record.keep()) emit('mended');
}
</script>

<template>
  <form class="mend" @submit.prevent="keep" @keydown.escape.stop="leave">
    <p v-if="trouble || record.problem.value" class="needs wide" role="alert">
      {{ trouble || record.problem.value }}
    </p>
    <template v-if="has('firstName')">
      <v-text-field
        v-model="form.firstName"
        v-first
        label="First name"
        :error-messages="record.errorOf('firstName')"
      />
      <v-text-field v-model="form.lastName" label="Last name" :error-messages="record.errorOf('lastName')" />
    </template>
    <v-text-field
      v-if="has('greeting')"
      v-model="greeting"
      v-first
      label="Greeting; empty: made of the names"
      class="wide"
      :error-messages="record.errorOf('greeting')"
    />
    <template v-if="has('addresses')">
      <div v-for="(address, at) in form.addresses" :key="at" class="wide address">
        <v-text-field
          v-model="address.email"
          label="Email address"
          :error-messages="record.errorOf('addresses')"
        />
        <v-checkbox v-model="address.current" label="in use" />
      </div>
    </template>
    <template v-if="has('postal')">
      <v-textarea
        v-model="postal"
        v-first
        label="Postal address"
        rows="3"
        :error-messages="record.errorOf('postal')"
      />
      <CountryField
        v-model="country"
        label="Country, if another than ours"
        clearable
        :error-messages="record.errorOf('country')"
      />
    </template>
    <v-autocomplete
      v-if="has('adviserId')"
      v-model="form.adviserId"
      v-first
      :items="advisers"
      label="Adviser"
      clearable
      :error-messages="record.errorOf('adviserId')"
    />
    <LinkField
      v-if="info.gap === 'of no client'"
      v-model="clientId"
      to="client"
      label="Belongs to the client"
    />
    <div class="wide"><Theirs :record="record" :labels="labelsWith([])" /></div>
    <div class="answers wide">
      <v-btn @click="emit('close')">Not now</v-btn>
      <v-btn
        type="submit"
        color="primary"
        variant="flat"
        :disabled="!record.changed.value.length && clientId === null"
        :loading="record.busy.value"
        >Keep</v-btn
      >
    </div>
  </form>
</template>

<style scoped>
.mend {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 10px 12px;
  padding: 10px 0 6px;
  max-width: 640px;
}
.wide {
  grid-column: 1 / -1;
}
.address {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
}
</style>
