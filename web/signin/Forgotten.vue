<script setup lang="ts">
import { ref, watch } from 'vue';
import { Forgotten } from '../../contract/index.ts';
import { act } from '../api.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';

/** Asks for a link for a new password, by mail. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ address: string }>();
const email = ref('');
const asked = ref(false);
const { errorOf, problem, busy, submit, clear } = useForm(Forgotten, ['email']);
watch(open, (now) => {
  if (!now) return;
  clear();
  email.value = props.address;
  asked.value = false;
});
const ask = () =>
  submit({ email: email.value }, async (given) => {
    await act('POST', '/session/forgotten', given);
    asked.value = true;
  });
</script>

<template>
  <AskDialog v-model="open" :max-width="440" label="A new password">
    <template v-if="asked">
      <p role="status">
        If somebody of the office has that address, a link is on its way there. It serves once, within the
        hour.
      </p>
      <p class="mt-2">Should none come, ask your office manager, who can make one for you.</p>
      <div class="answers"><v-btn color="primary" variant="flat" @click="open = false">Close</v-btn></div>
    </template>
    <form v-else @submit.prevent="ask">
      <p class="mb-3">A link to choose a new one is sent to your email address.</p>
      <v-text-field
        v-model="email"
        label="Your email address"
        type="email"
        :error-messages="errorOf('email')"
      />
      <p v-if="problem" class="needs mt-2" role="alert">{{ problem }}</p>
      <div class="answers">
        <v-btn @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">Send the link</v-btn>
      </div>
    </form>
  </AskDialog>
</template>
