<script setup lang="ts">
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { SetUpState, SignIn } from '../../contract/index.ts';
import { get } from '../api.ts';
import { useForm } from '../ui/form.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import Door from './Door.vue';
import Forgotten from './Forgotten.vue';

const session = useSession();
const router = useRouter();
const route = useRoute();
const email = ref(String(route.query.as ?? ''));
const password = ref('');
const code = ref('');
/** The password is right, and a code is asked for. */
const second = ref(false);
const forgotten = ref(false);
const { errorOf, problem, busy, submit } = useForm(SignIn, ['email', 'password', 'code']);

// An office that nobody has set up yet has nobody who could sign in.
get(SetUpState, '/set-up')
  .then(({ needed }) => void (needed && router.replace('/set-up')))
  .catch(() => undefined);

const signIn = async () => {
  await submit({ email: email.value, password: password.value, code: code.value }, async (given) => {
    await session.signIn(given);
    const to = String(route.query.to ?? '/');
    await router.push(to.startsWith('/') && !to.startsWith('//') ? to : '/');
  });
  if (errorOf('code').length) second.value = true;
};
</script>

<template>
  <Door heading="Patient Clerk" words="Sign in with your own account.">
    <form @submit.prevent="signIn">
      <v-text-field
        v-model="email"
        v-first
        label="Email address"
        type="email"
        autocomplete="username"
        :error-messages="errorOf('email')"
        class="mb-3"
      />
      <v-text-field
        v-model="password"
        label="Password"
        type="password"
        autocomplete="current-password"
        :error-messages="errorOf('password')"
        class="mb-3"
      />
      <v-text-field
        v-if="second"
        v-model="code"
        v-first
        label="Six figures, or a recovery code"
        autocomplete="one-time-code"
        :error-messages="errorOf('code')"
        class="mb-3"
      />
      <Trouble :words="problem" class="mb-3" />
      <v-btn type="submit" color="primary" variant="flat" block :loading="busy">Sign in</v-btn>
      <p class="mt-4">
        <button type="button" class="link" @click="forgotten = true">I have forgotten my password</button>
      </p>
    </form>
    <Forgotten v-model="forgotten" :address="email" />
  </Door>
</template>
