<script setup lang="ts">
import { computed, ref } from 'vue';
import { Guess, GuessAsk, Made, MailboxConnect, type MailboxAccess } from '../../contract/index.ts';
import { send } from '../api.ts';
import { useForm } from '../ui/form.ts';
import Trouble from '../parts/Trouble.vue';
import DateField from '../ui/DateField.vue';
import { useSession } from '../session.ts';
import AccessForm from './AccessForm.vue';
import Steps from './Steps.vue';
import { ACCESS_FIELDS, useTrial } from './trial.ts';

/** Connecting a mailbox: its address, the ways in, what to take, and a message to itself. */
const session = useSession();
const trial = useTrial();
const { steps, busy, folders } = trial;
const address = ref(session.session?.staff.email ?? '');
const name = ref(session.session?.staff.name ?? '');
const access = ref<MailboxAccess | null>(null);
const words = ref('');
const password = ref('');
const all = ref(true);
const takeFrom = ref('');
const skipped = ref<string[]>([]);
const shared = ref(false);
const guessing = useForm(GuessAsk, ['address']);
const connecting = useForm(MailboxConnect, ['address', 'name', 'password', 'takeFrom', ...ACCESS_FIELDS]);
const problem = computed(() => guessing.problem.value || connecting.problem.value);
const errorOf = (name: string) => [
  ...guessing.errorOf(name),
  ...connecting.errorOf(name),
  ...trial.errorOf(name),
];
const letIn = ref(false);
const made = ref<number | null>(null);
const verified = ref(false);
const mayAny = computed(() => session.may('connect any mailbox'));

const guess = () =>
  guessing.submit({ address: address.value }, async (asked) => {
    const found = await send('POST', Guess, '/mailboxes/guess', asked);
    access.value = found.access;
    words.value = found.words;
  });
async function tryIt() {
  if (!access.value) return;
  letIn.value = await trial.tryAccess(access.value, { password: password.value });
}
async function connect() {
  if (made.value === null && !(await make())) return;
  if (made.value !== null) verified.value = await trial.verify(made.value);
}
const make = () =>
  connecting.submit(
    {
      address: address.value,
      name: name.value,
      access: access.value,
      password: password.value,
      shared: shared.value,
      takeFrom: all.value ? null : takeFrom.value || null,
      skipped: skipped.value,
    },
    async (mailbox) => {
      made.value = (await send('POST', Made, '/mailboxes', mailbox)).id;
    },
  );
</script>

<template>
  <div class="screen">
    <h1>Connect a mailbox</h1>
    <p class="quiet mb-4">
      Everything in it is read in both directions, and client mail is logged by itself. The password is kept
      sealed.
    </p>
    <Trouble :words="problem" class="mb-3" />
    <div class="sheet pa-5 desk">
      <template v-if="made === null">
        <form class="first" @submit.prevent="guess">
          <v-text-field
            v-model="address"
            label="Email address"
            type="email"
            autocomplete="off"
            :error-messages="errorOf('address')"
          />
          <v-text-field
            v-model="name"
            label="What it is called in lists"
            maxlength="120"
            :error-messages="errorOf('name')"
          />
          <v-btn type="submit">{{ access ? 'Look again' : 'Go on' }}</v-btn>
        </form>
        <template v-if="access">
          <p class="quiet my-3">{{ words }}</p>
          <AccessForm v-model="access" :error-of="errorOf" />
          <form class="mt-3 secret" @submit.prevent="tryIt">
            <v-text-field
              v-model="password"
              label="Password"
              type="password"
              autocomplete="new-password"
              :error-messages="errorOf('password')"
            />
            <v-btn type="submit" :loading="busy" :disabled="!password" :color="letIn ? undefined : 'primary'"
              >Try it</v-btn
            >
          </form>
          <p class="quiet mt-2">
            Providers that ask for a second step at sign-in want an app password: one that you have them make
            on their security page for this program alone. Your own password is refused there.
          </p>
          <Steps v-if="steps.length" :steps="steps" />
        </template>
        <template v-if="letIn">
          <h2 class="mt-4 mb-2">What to take</h2>
          <v-radio-group v-model="all" hide-details>
            <v-radio :value="true" label="Everything there is" />
            <v-radio :value="false" label="Mail since a day" />
          </v-radio-group>
          <DateField v-if="!all" v-model="takeFrom" label="Mail since" class="day" />
          <h3 class="mt-4">Folders that are never read</h3>
          <p class="quiet">
            Ticked folders are never opened, nor what lies in folders called Personal or Private.
          </p>
          <div class="folders">
            <label v-for="folder in folders" :key="folder.path"
              ><input
                v-model="skipped"
                type="checkbox"
                :value="folder.path"
                :disabled="folder.path.toUpperCase() === 'INBOX'"
              />
              {{ folder.path }}
              <span class="quiet figures">{{ folder.messages.toLocaleString('en-GB') }}</span></label
            >
          </div>
          <label v-if="mayAny" class="mt-3 share"
            ><input v-model="shared" type="checkbox" /> an office address that all of the staff read and
            answer from</label
          >
          <div class="answers">
            <v-btn to="/mailboxes">Leave it</v-btn>
            <v-btn color="primary" variant="flat" :loading="busy" @click="connect">Connect and verify</v-btn>
          </div>
        </template>
      </template>
      <template v-else>
        <p>
          <strong>{{ address }}</strong> is connected and is being taken in, newest mail first.
        </p>
        <Steps :steps="steps" />
        <p v-if="!verified && !busy" class="quiet">
          Until it is verified, mail is read but nothing is sent from it.
        </p>
        <div class="answers">
          <v-btn v-if="!verified" :loading="busy" @click="connect">Try once more</v-btn>
          <v-btn :color="verified ? 'primary' : undefined" to="/mailboxes">{{
            verified ? 'Done' : 'Later'
          }}</v-btn>
        </div>
      </template>
    </div>
  </div>
</template>

<style scoped>
.desk {
  max-width: 860px;
}
.first {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 12px;
  align-items: center;
}
.secret {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 12px;
  align-items: center;
}
.folders {
  columns: 3;
  max-height: 200px;
  overflow: auto;
  border: 1px solid var(--hairline);
  padding: 8px 10px;
  margin-top: 6px;
}
.folders label {
  display: block;
}
.share {
  display: block;
}
.day {
  max-width: 220px;
}
input[type='checkbox'] {
  accent-color: var(--spruce);
}
</style>
