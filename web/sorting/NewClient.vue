<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, reactive, ref, watch } from 'vue';
import { ClientMade, Doubles, NewClient, type FileRef, type Stranger } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import { useForm } from '../ui/form.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';

/** A new client, or a new person of one that is there, from what signature and headers tell; possible doubles first. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ stranger: Stranger | null }>();
const emit = defineEmits<{ made: [file: FileRef] }>();
const KINDS = ['person', 'couple', 'company', 'trust', 'estate', 'public body'];
const blank = (): Required<NewClient> => ({
  clientId: null,
  name: '',
  kind: 'person',
  status: 'prospect',
  place: '',
  firstName: '',
  lastName: '',
  email: '',
  role: '',
});
const draft = reactive(blank());
const doubles = ref<Doubles>([]);
const form = useForm(NewClient, [
  'name',
  'kind',
  'status',
  'place',
  'firstName',
  'lastName',
  'email',
  'role',
]);
const { errorOf, busy } = form;
const lookProblem = ref('');
const joined = computed(() => doubles.value.find((each) => each.clientId === draft.clientId));

watch(open, (now) => {
  if (!now) return;
  form.clear();
  lookProblem.value = '';
  doubles.value = [];
  const read = props.stranger?.read;
  Object.assign(draft, blank(), {
    name: read?.organisation || [read?.firstName, read?.lastName].filter(Boolean).join(' '),
    kind: read?.organisation ? 'company' : 'person',
    place: read?.postal.slice(0, 2).join(', ') ?? '',
    firstName: read?.firstName ?? '',
    lastName: read?.lastName ?? '',
    email: props.stranger?.email ?? '',
    role: read?.role ?? '',
  });
  void look();
});
async function look() {
  const { name, firstName, lastName, email } = draft;
  try {
    doubles.value = await get(Doubles, '/clients/doubles', { name, firstName, lastName, email });
  } catch (error) {
    lookProblem.value = wordsOf(error);
  }
}
watch(() => [draft.name, draft.firstName, draft.lastName, draft.email], useDebounceFn(look, 200));

const make = () =>
  form.submit(draft, async (client) => {
    const made = await send('POST', ClientMade, '/clients', client);
    open.value = false;
    emit('made', made.generalFile);
  });
</script>

<template>
  <AskDialog v-model="open" :max-width="720" label="New client or person">
    <p class="quiet mb-3">What is filled in was read from the message. Nothing is kept until you say so.</p>
    <section v-if="doubles.length" class="doubles" aria-label="Possible doubles">
      <h3>Already here?</h3>
      <label v-for="each in doubles" :key="each.clientId" class="double">
        <input v-model="draft.clientId" type="radio" :value="each.clientId" />
        <span
          ><strong>{{ each.clientName }}</strong> <span class="quiet">{{ each.place }}</span><br /><span
            class="quiet"
            >{{ each.why }}</span
          ></span
        >
      </label>
      <label class="double"
        ><input v-model="draft.clientId" type="radio" :value="null" /><span>No, a new client</span></label
      >
    </section>
    <form class="fields" @submit.prevent="make">
      <template v-if="!joined">
        <v-text-field
          v-model="draft.name"
          v-first="!draft.name"
          label="Client"
          :error-messages="errorOf('name')"
          class="wide"
        />
        <v-select v-model="draft.kind" :items="KINDS" label="Kind" />
        <v-select v-model="draft.status" :items="['prospect', 'active']" label="Status" />
        <v-text-field v-model="draft.place" label="Place" :error-messages="errorOf('place')" class="wide" />
      </template>
      <v-text-field
        v-model="draft.firstName"
        v-first="draft.name !== ''"
        label="First name"
        :error-messages="errorOf('firstName')"
      />
      <v-text-field v-model="draft.lastName" label="Last name" :error-messages="errorOf('lastName')" />
      <v-text-field v-model="draft.email" label="Email address" :error-messages="errorOf('email')" />
      <v-text-field
        v-model="draft.role"
        label="Role"
        :error-messages="errorOf('role')"
        placeholder="such as trustee"
      />
      <Trouble :words="form.problem.value || lookProblem" class="wide" />
      <div class="answers wide">
        <v-btn @click="open = false">Leave it</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">{{
          joined ? `Add to ${joined.clientName}` : 'Make the client and file this to General'
        }}</v-btn>
      </div>
    </form>
  </AskDialog>
</template>

<style scoped>
.doubles {
  border: 1px solid var(--hairline);
  padding: 10px 12px;
  margin-bottom: 14px;
}
.double {
  display: flex;
  gap: 8px;
  padding: 4px 0;
  align-items: baseline;
}
.fields {
  align-items: start;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.wide {
  grid-column: 1 / -1;
}
</style>
