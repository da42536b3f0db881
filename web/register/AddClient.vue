<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { ClientKind, ClientMade, Doubles, NewClient } from '../../contract/index.ts';
import { get, send } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLatest } from '../ui/latest.ts';

/** A client who is new in the register, with a first person; whoever may be the same is shown meanwhile. */
const open = defineModel<boolean>({ required: true });
const router = useRouter();
const EMPTY = {
  clientId: null,
  name: '',
  kind: 'person' as ClientKind,
  status: 'active' as const,
  place: '',
  firstName: '',
  lastName: '',
  email: '',
  role: '',
};
const draft = reactive({ ...EMPTY });
const doubles = ref<Doubles>([]);
const { errorOf, problem, busy, submit, clear } = useForm(NewClient, Object.keys(EMPTY));
const { ask, problem: notLooked } = useLatest();
watch(open, (now) => {
  if (!now) return;
  clear();
  doubles.value = [];
  Object.assign(draft, EMPTY);
});
const look = useDebounceFn(async () => {
  const { name, firstName, lastName, email } = draft;
  if (!name && !lastName && !email) return void (doubles.value = []);
  doubles.value =
    (await ask(() => get(Doubles, '/clients/doubles', { name, firstName, lastName, email }))) ?? [];
}, 200);
watch(() => [draft.name, draft.firstName, draft.lastName, draft.email], look);
const make = () =>
  submit({ ...draft }, async (client) => {
    const { clientId } = await send('POST', ClientMade, '/clients', client);
    open.value = false;
    await router.push(`/clients/${clientId}/record`);
  });
</script>

<template>
  <AskDialog
    v-model="open"
    :persistent="Boolean(draft.name || draft.lastName || draft.email)"
    :max-width="640"
    label="A new client"
  >
    <form class="form-grid" @submit.prevent="make">
      <v-text-field
        v-model="draft.name"
        v-first
        label="Client"
        class="wide"
        :error-messages="errorOf('name')"
      />
      <v-select v-model="draft.kind" :items="ClientKind.options" label="Kind" />
      <v-select v-model="draft.status" :items="['active', 'prospect']" label="Status" />
      <v-text-field v-model="draft.place" label="Place" class="wide" :error-messages="errorOf('place')" />
      <p class="quiet wide">The first of their people; others and all the rest afterwards.</p>
      <v-text-field v-model="draft.firstName" label="First name" :error-messages="errorOf('firstName')" />
      <v-text-field v-model="draft.lastName" label="Last name" :error-messages="errorOf('lastName')" />
      <v-text-field v-model="draft.email" label="Email address" :error-messages="errorOf('email')" />
      <v-text-field v-model="draft.role" label="Role, such as owner" :error-messages="errorOf('role')" />
      <section v-if="doubles.length" class="wide" aria-label="Possible doubles">
        <h3>Already here?</h3>
        <p v-for="each in doubles" :key="each.clientId">
          <router-link :to="`/clients/${each.clientId}/record`">{{ each.clientName }}</router-link>
          <span class="quiet"> {{ [each.place, each.why].filter(Boolean).join(' · ') }}</span>
        </p>
      </section>
      <p v-if="problem || notLooked" class="needs wide" role="alert">{{ problem || notLooked }}</p>
      <div class="answers wide">
        <v-btn @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">Add the client</v-btn>
      </div>
    </form>
  </AskDialog>
</template>
