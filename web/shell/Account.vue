<script setup lang="ts">
import { reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { PasswordChange } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import { useForm } from '../ui/form.ts';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import SecondStep from './SecondStep.vue';
import Signature from './Signature.vue';

/** One's own account: password, signature, second step, and the places where one is signed in. */
const open = defineModel<boolean>({ required: true });
const session = useSession();
const router = useRouter();
const form = reactive({ current: '', next: '' });
const { errorOf, problem, submit, clear } = useForm(PasswordChange, ['current', 'next']);
const trouble = ref('');
const said = ref('');
watch(open, () => {
  Object.assign(form, { current: '', next: '' });
  clear();
  said.value = trouble.value = '';
});
const change = () =>
  submit(form, async (passwords) => {
    await act('PUT', '/session/password', passwords);
    Object.assign(form, { current: '', next: '' });
    said.value = 'Your password is changed. Wherever else you were signed in, you are not any more.';
  });
async function everywhere() {
  try {
    await act('DELETE', '/session/everywhere');
    session.session = null;
    await router.push('/sign-in');
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
</script>

<template>
  <AskDialog v-model="open" :max-width="440" label="Your account">
    <template #heading>{{ session.session?.staff.name }}</template>
    <p class="quiet mb-3">{{ session.session?.staff.email }}</p>
    <form @submit.prevent="change">
      <v-text-field
        v-model="form.current"
        label="Your present password"
        type="password"
        autocomplete="current-password"
        :error-messages="errorOf('current')"
      />
      <v-text-field
        v-model="form.next"
        class="mt-4"
        label="A new one, ten letters or more"
        type="password"
        autocomplete="new-password"
        :error-messages="errorOf('next')"
      />
      <p v-if="problem || trouble" class="needs mt-2" role="alert">{{ problem || trouble }}</p>
      <p class="quiet mt-2" role="status">{{ said }}</p>
      <div class="answers">
        <v-btn @click="open = false">Close</v-btn>
        <v-btn type="submit" color="primary" variant="flat">Change it</v-btn>
      </div>
    </form>
    <hr class="my-4" />
    <Signature @leave="open = false" />
    <hr class="my-4" />
    <h3 class="mb-1">Second step at sign-in</h3>
    <SecondStep />
    <hr class="my-4" />
    <p class="mb-2">
      If you left a desk or a telephone signed in, end it from here. You sign in again afterwards.
    </p>
    <v-btn @click="everywhere">Sign out everywhere</v-btn>
  </AskDialog>
</template>

<style scoped>
hr {
  border: 0;
  border-top: 1px solid var(--hairline);
}
</style>
