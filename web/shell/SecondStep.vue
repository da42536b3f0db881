<script setup lang="ts">
import { ref } from 'vue';
import {
  PasswordAgain,
  RecoveryCodes,
  SecondStepConfirm,
  SecondStepOffer,
  SecondStepState,
} from '../../contract/index.ts';
import { act, get, send, wordsOf } from '../api.ts';
import { useForm } from '../ui/form.ts';
import { many } from '../words.ts';

/** One's own second step at sign-in: set up with the telephone, recovery codes, taken away again. */
const emit = defineEmits<{ done: [] }>();
const state = ref<SecondStepState | null>(null);
const offer = ref<SecondStepOffer | null>(null);
const codes = ref<string[]>([]);
const code = ref('');
const password = ref('');
/** What the password is asked for. */
const asking = ref<'codes' | 'off' | null>(null);
const trouble = ref('');
const confirming = useForm(SecondStepConfirm, ['code']);
const again = useForm(PasswordAgain, ['password']);

async function attempt(work: () => Promise<void>) {
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const read = () =>
  attempt(async () => void (state.value = await get(SecondStepState, '/session/second-step')));
void read();
const begin = () =>
  attempt(async () => {
    offer.value = await send('POST', SecondStepOffer, '/session/second-step/offer', {});
  });
const confirm = () =>
  confirming.submit({ sealed: offer.value?.sealed, code: code.value }, async (given) => {
    codes.value = (await send('PUT', RecoveryCodes, '/session/second-step', given)).codes;
    offer.value = null;
    code.value = '';
    await read();
  });
const withPassword = () =>
  again.submit({ password: password.value }, async (given) => {
    if (asking.value === 'codes')
      codes.value = (await send('POST', RecoveryCodes, '/session/second-step/codes', given)).codes;
    else await act('POST', '/session/second-step/off', given);
    asking.value = null;
    password.value = '';
    await read();
  });
function ask(what: 'codes' | 'off') {
  again.clear();
  password.value = '';
  asking.value = what;
}
function seen() {
  codes.value = [];
  emit('done');
}
</script>

<template>
  <div>
    <p v-if="trouble" class="needs" role="alert">{{ trouble }}</p>
    <template v-if="codes.length">
      <p>
        <strong>Keep these codes</strong> where your telephone is not. Each lets you in once without it; they
        are shown only now.
      </p>
      <ol class="codes figures">
        <li v-for="each in codes" :key="each">{{ each }}</li>
      </ol>
      <v-btn color="primary" variant="flat" @click="seen">I have them</v-btn>
    </template>
    <template v-else-if="offer">
      <p>
        Have a program for one-time codes on your telephone read this picture, or type the letters below it.
        Then give the six figures it shows.
      </p>
      <img :src="offer.picture" alt="The secret as a picture for the telephone" class="picture" />
      <p class="quiet secret figures">{{ offer.secret.replace(/.{4}(?=.)/g, '$& ') }}</p>
      <form class="mt-3" @submit.prevent="confirm">
        <v-text-field
          v-model="code"
          v-first
          label="Six figures"
          inputmode="numeric"
          autocomplete="one-time-code"
          :error-messages="confirming.errorOf('code')"
        />
        <p v-if="confirming.problem.value" class="needs mt-1" role="alert">{{ confirming.problem.value }}</p>
        <v-btn class="mt-3" type="submit" color="primary" variant="flat" :loading="confirming.busy.value"
          >Turn it on</v-btn
        >
      </form>
    </template>
    <form v-else-if="asking" @submit.prevent="withPassword">
      <v-text-field
        v-model="password"
        v-first
        label="Your password"
        type="password"
        autocomplete="current-password"
        :error-messages="again.errorOf('password')"
      />
      <p v-if="again.problem.value" class="needs mt-1" role="alert">{{ again.problem.value }}</p>
      <div class="answers">
        <v-btn @click="asking = null">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat">{{
          asking === 'codes' ? 'Make new codes' : 'Turn it off'
        }}</v-btn>
      </div>
    </form>
    <template v-else-if="state?.on">
      <p>You sign in with a second step. {{ many(state.codesLeft, 'recovery code') }} left.</p>
      <p class="mt-2 acts">
        <button type="button" class="link" @click="ask('codes')">New recovery codes</button>
        <button v-if="!state.demanded" type="button" class="link" @click="ask('off')">Turn it off</button>
      </p>
    </template>
    <template v-else-if="state">
      <p>
        Besides your password, six figures that a program on your telephone shows. A password that somebody
        else has come by is then of no use to them.
      </p>
      <v-btn class="mt-2" @click="begin">Set it up</v-btn>
    </template>
  </div>
</template>

<style scoped>
.codes {
  columns: 2;
  padding-left: 22px;
  margin: 10px 0 14px;
}
.picture {
  display: block;
  margin: 10px 0;
  width: 200px;
  height: 200px;
}
.secret {
  user-select: all;
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 16px;
}
</style>
