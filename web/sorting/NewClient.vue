<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, reactive, ref, watch } from 'vue';
import { ClientMade, Doubles, type FileRef, type NewClient, type Stranger } from '../../contract/index.ts';
import { ApiProblem, get, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';

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
const problem = ref('');
const field = ref<string | null>(null);
const busy = ref(false);
const joined = computed(() => doubles.value.find((each) => each.clientId === draft.clientId));

watch(open, (now) => {
  if (!now) return;
  problem.value = '';
  field.value = null;
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
    problem.value = wordsOf(error);
  }
}
watch(() => [draft.name, draft.firstName, draft.lastName, draft.email], useDebounceFn(look, 200));

async function make() {
  busy.value = true;
  try {
    const made = await send('POST', ClientMade, '/clients', draft);
    open.value = false;
    emit('made', made.generalFile);
  } catch (error) {
    problem.value = wordsOf(error);
    field.value = error instanceof ApiProblem ? error.field : null;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-dialog v-model="open" max-width="720" aria-label="New client or person">
    <v-card class="pa-5">
      <h2>New client or person</h2>
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
            label="Client"
            :error="field === 'name'"
            class="wide"
            :autofocus="!draft.name"
          />
          <v-select v-model="draft.kind" :items="KINDS" label="Kind" />
          <v-select v-model="draft.status" :items="['prospect', 'active']" label="Status" />
          <v-text-field v-model="draft.place" label="Place" class="wide" />
        </template>
        <v-text-field v-model="draft.firstName" label="First name" :autofocus="draft.name !== ''" />
        <v-text-field v-model="draft.lastName" label="Last name" :error="field === 'lastName'" />
        <v-text-field v-model="draft.email" label="Email address" :error="field === 'email'" />
        <v-text-field v-model="draft.role" label="Role" placeholder="such as trustee" />
        <Trouble :words="problem" class="wide" />
        <div class="answers wide">
          <v-btn @click="open = false">Leave it</v-btn>
          <v-btn type="submit" color="primary" variant="flat" :loading="busy">{{
            joined ? `Add to ${joined.clientName}` : 'Make the client and file this to General'
          }}</v-btn>
        </div>
      </form>
    </v-card>
  </v-dialog>
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
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
.wide {
  grid-column: 1 / -1;
}
</style>
