<script setup lang="ts">
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { SignIn } from '../../contract/index.ts';
import { useForm } from '../ui/form.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';

const session = useSession();
const router = useRouter();
const route = useRoute();
const email = ref('');
const password = ref('');
const { errorOf, problem, busy, submit } = useForm(SignIn, ['email', 'password']);

const signIn = () =>
  submit({ email: email.value, password: password.value }, async (given) => {
    await session.signIn(given.email, given.password);
    const to = String(route.query.to ?? '/');
    await router.push(to.startsWith('/') && !to.startsWith('//') ? to : '/');
  });
</script>

<template>
  <main class="door">
    <form class="sheet card" @submit.prevent="signIn">
      <h1>Patient Clerk</h1>
      <p class="quiet mb-4">Sign in with your own account.</p>
      <v-text-field
        v-model="email"
        label="Email address"
        type="email"
        autocomplete="username"
        autofocus
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
      <Trouble :words="problem" class="mb-3" />
      <v-btn type="submit" color="primary" variant="flat" block :loading="busy">Sign in</v-btn>
    </form>
  </main>
</template>

<style scoped>
.door {
  min-height: 100vh;
  display: grid;
  place-items: center;
}
.card {
  width: 380px;
  padding: 28px 28px 24px;
  border-left: 4px double var(--spruce);
}
</style>
