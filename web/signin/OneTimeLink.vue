<script setup lang="ts">
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { LinkDone, LinkOpened, LinkUsed } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useForm } from '../ui/form.ts';
import Door from './Door.vue';

/** A password is chosen by a link that serves once. */
const route = useRoute();
const router = useRouter();
const token = String(route.params.token);
const opened = ref<LinkOpened | null>(null);
const gone = ref('');
const password = ref('');
const { errorOf, problem, busy, submit } = useForm(LinkUsed, ['password']);
send('POST', LinkOpened, '/session/link', { token })
  .then((link) => (opened.value = link))
  .catch((error: unknown) => (gone.value = wordsOf(error)));
const choose = () =>
  submit({ token, password: password.value }, async (given) => {
    const { email } = await send('PUT', LinkDone, '/session/link', given);
    await router.replace({ name: 'sign in', query: { as: email } });
  });
</script>

<template>
  <Door
    :heading="opened ? `Good day, ${opened.name.split(' ')[0]}` : 'Patient Clerk'"
    :words="
      opened
        ? opened.kind === 'invite'
          ? `You are to work with Patient Clerk at ${opened.firm}. Choose a password; you sign in with ${opened.email}.`
          : `Choose a new password for ${opened.email}. Wherever you were signed in, you are not any more.`
        : gone
    "
  >
    <form v-if="opened" @submit.prevent="choose">
      <input type="hidden" name="username" autocomplete="username" :value="opened.email" />
      <v-text-field
        v-model="password"
        v-first
        label="A password, ten letters or more"
        type="password"
        autocomplete="new-password"
        :error-messages="errorOf('password')"
      />
      <Trouble :words="problem" class="mt-2" />
      <v-btn class="mt-4" type="submit" color="primary" variant="flat" block :loading="busy">Choose it</v-btn>
    </form>
    <router-link v-else-if="gone" to="/sign-in">Go to signing in</router-link>
  </Door>
</template>
