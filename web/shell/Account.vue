<script setup lang="ts">
import { reactive, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import { PasswordChange } from '../../contract/index.ts';
import { ApiProblem, act, wordsOf } from '../api.ts';
import { useSession } from '../session.ts';

/** One's own password, and the places where one is signed in. */
const open = defineModel<boolean>({ required: true });
const session = useSession();
const router = useRouter();
const form = reactive({ current: '', next: '' });
const problem = ref('');
const field = ref('');
const said = ref('');
watch(open, () => {
  Object.assign(form, { current: '', next: '' });
  problem.value = field.value = said.value = '';
});
async function change() {
  const parsed = PasswordChange.safeParse(form);
  if (!parsed.success) {
    const [issue] = parsed.error.issues;
    field.value = String(issue?.path[0] ?? '');
    problem.value = issue?.message ?? '';
    return;
  }
  try {
    await act('PUT', '/session/password', parsed.data);
    Object.assign(form, { current: '', next: '' });
    problem.value = field.value = '';
    said.value = 'Your password is changed. Wherever else you were signed in, you are not any more.';
  } catch (error) {
    field.value = error instanceof ApiProblem ? (error.field ?? '') : '';
    problem.value = wordsOf(error);
  }
}
async function everywhere() {
  try {
    await act('DELETE', '/session/everywhere');
    session.session = null;
    await router.push('/sign-in');
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const errorOf = (name: string) => (field.value === name ? [problem.value] : []);
</script>

<template>
  <v-dialog v-model="open" max-width="440" aria-label="Your account">
    <v-card class="pa-4">
      <h2 class="mb-1">{{ session.session?.staff.name }}</h2>
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
        <p v-if="problem && !field" class="needs mt-2" role="alert">{{ problem }}</p>
        <p class="quiet mt-2" role="status">{{ said }}</p>
        <div class="answers">
          <v-btn @click="open = false">Close</v-btn>
          <v-btn type="submit" color="primary" variant="flat">Change it</v-btn>
        </div>
      </form>
      <hr class="my-4" />
      <p class="mb-2">
        If you left a desk or a telephone signed in, end it from here. You sign in again afterwards.
      </p>
      <v-btn @click="everywhere">Sign out everywhere</v-btn>
    </v-card>
  </v-dialog>
</template>

<style scoped>
hr {
  border: 0;
  border-top: 1px solid var(--hairline);
}
</style>
