<script setup lang="ts">
import { reactive } from 'vue';
import { useRouter } from 'vue-router';
import { SetUp } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import ZoneField from '../office/ZoneField.vue';
import { useSession } from '../session.ts';
import { useForm } from '../ui/form.ts';
import Door from './Door.vue';

/** The first person makes the firm, and their own account as its office manager. */
const session = useSession();
const router = useRouter();
const form = reactive({
  code: '',
  firm: '',
  zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
  name: '',
  email: '',
  password: '',
});
const { errorOf, problem, busy, submit } = useForm(SetUp, Object.keys(form));
const begin = () =>
  submit({ ...form }, async (wanted) => {
    await session.setUp(wanted);
    await router.push('/settings/firm');
  });
</script>

<template>
  <Door
    heading="A new office"
    words="Nobody works here yet. Whoever started Patient Clerk finds a code in the terminal; it is needed this once."
  >
    <form class="fields" @submit.prevent="begin">
      <v-text-field
        v-model="form.code"
        v-first
        label="Code from the terminal"
        placeholder="XXXX-XXXX-XXXX"
        autocomplete="off"
        :error-messages="errorOf('code')"
      />
      <v-text-field
        v-model="form.firm"
        label="Name of the firm"
        autocomplete="organization"
        :error-messages="errorOf('firm')"
      />
      <ZoneField v-model="form.zone" label="Time zone" :error-messages="errorOf('zone')" />
      <v-text-field
        v-model="form.name"
        label="Your name"
        autocomplete="name"
        :error-messages="errorOf('name')"
      />
      <v-text-field
        v-model="form.email"
        label="Your email address"
        type="email"
        autocomplete="username"
        :error-messages="errorOf('email')"
      />
      <v-text-field
        v-model="form.password"
        label="A password, ten letters or more"
        type="password"
        autocomplete="new-password"
        :error-messages="errorOf('password')"
      />
      <Trouble :words="problem" />
      <v-btn type="submit" color="primary" variant="flat" block :loading="busy">Begin</v-btn>
    </form>
  </Door>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 12px;
}
</style>
