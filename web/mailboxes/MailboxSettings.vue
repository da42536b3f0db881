<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { MailboxChange, MailboxSettings, type MailboxAccess } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import DateField from '../ui/DateField.vue';
import { useSession } from '../session.ts';
import { many, useTimes } from '../words.ts';
import AccessForm from './AccessForm.vue';
import Steps from './Steps.vue';
import { useForm } from '../ui/form.ts';
import { ACCESS_FIELDS, useTrial } from './trial.ts';
import AskDialog from '../ui/AskDialog.vue';

/** Everything about one connected mailbox: what is taken, who may look, the ways in, and how to let it go. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const { date } = useTimes();
const trial = useTrial();
const { steps, busy } = trial;
const changing = useForm(MailboxChange, [
  'name',
  'takeFrom',
  'perMinute',
  'password',
  'believed',
  ...ACCESS_FIELDS,
]);
const errorOf = (name: string) => [...changing.errorOf(name), ...trial.errorOf(name)];
const id = Number(route.params.id);
const box = ref<MailboxSettings | null>(null);
const problem = ref('');
const said = ref('');
const name = ref('');
const shared = ref(false);
const all = ref(true);
const takeFrom = ref('');
const perMinute = ref('');
const skipped = ref<number[]>([]);
const may = ref<Record<number, '' | 'read' | 'write'>>({});
const access = ref<MailboxAccess | null>(null);
const password = ref('');
const believed = ref<string[]>([]);
const silently = ref(false);
const leaving = ref(false);
const remove = ref(false);
const mayAny = computed(() => session.may('connect any mailbox'));
const others = computed(() => (box.value?.staff ?? []).filter((each) => each.id !== box.value?.ownerId));

async function load() {
  try {
    const found = await get(MailboxSettings, `/mailboxes/${id}`);
    box.value = found;
    name.value = found.name;
    shared.value = found.shared;
    all.value = found.takeFrom === null;
    takeFrom.value = found.takeFrom ?? '';
    perMinute.value = found.perMinute === null ? '' : String(found.perMinute);
    skipped.value = found.folders.filter((folder) => folder.skipped).map((folder) => folder.id);
    may.value = Object.fromEntries(
      found.staff.map(({ id: staffId }) => [
        staffId,
        found.colleagues.find((each) => each.staffId === staffId)?.may ?? '',
      ]),
    );
    access.value = { ...found.access };
    believed.value = found.servers.filter((each) => each.believed).map((each) => each.name);
    silently.value = found.checksSilently;
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
void load();
const change = (what: MailboxChange, words: string) =>
  changing.submit(what, async (checked) => {
    await act('PUT', `/mailboxes/${id}`, checked);
    await load();
    said.value = words;
  });
const keep = () =>
  change(
    {
      name: name.value,
      ...(mayAny.value ? { shared: shared.value } : {}),
      takeFrom: all.value ? null : takeFrom.value || null,
      perMinute: perMinute.value ? Number(perMinute.value) : null,
      skippedFolders: skipped.value,
      colleagues: Object.entries(may.value).flatMap(([staffId, how]) =>
        how ? [{ staffId: Number(staffId), may: how }] : [],
      ),
    },
    'Kept.',
  );
async function keepAccess() {
  if (!access.value) return;
  const how = password.value ? { password: password.value } : { mailboxId: id };
  if (!(await trial.tryAccess(access.value, how))) return;
  const what = { access: access.value, ...(password.value ? { password: password.value } : {}) };
  if (!(await change(what, ''))) return;
  password.value = '';
  if (await trial.verify(id)) await load();
}
async function verify() {
  if (await trial.verify(id)) await load();
}
async function disconnect() {
  try {
    await act('DELETE', `/mailboxes/${id}?remove=${remove.value ? 1 : 0}`);
    await router.push('/mailboxes');
  } catch (error) {
    leaving.value = false;
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <h1>{{ box?.name ?? 'Mailbox' }}</h1>
        <p class="quiet">
          {{ box?.address
          }}<template v-if="box"
            >,
            {{
              box.verifiedAt ? `verified ${date(box.verifiedAt)}` : 'not verified: nothing is sent from it'
            }}</template
          >
        </p>
      </div>
      <div v-if="box" class="tools">
        <v-btn v-if="!box.verifiedAt" :loading="busy" color="primary" @click="verify">Verify</v-btn>
        <v-btn @click="change({ paused: !box.pausedAt }, box.pausedAt ? 'Goes on.' : 'Paused.')">{{
          box.pausedAt ? 'Go on' : 'Pause'
        }}</v-btn>
        <v-btn color="error" @click="leaving = true">Disconnect…</v-btn>
      </div>
    </header>
    <p class="said quiet" role="status">{{ said }}</p>
    <Trouble :words="problem || changing.problem.value" :retry="load" class="mb-3" />
    <div v-if="box && access" class="columns">
      <section class="sheet pa-4" aria-labelledby="taken">
        <h2 id="taken" class="mb-3">What is taken, and who may look</h2>
        <v-text-field
          v-model="name"
          label="What it is called in lists"
          maxlength="120"
          :error-messages="errorOf('name')"
        />
        <v-radio-group v-model="all" hide-details class="mt-2">
          <v-radio :value="true" label="Everything there is" />
          <v-radio :value="false" label="Mail since a day" />
        </v-radio-group>
        <DateField v-if="!all" v-model="takeFrom" label="Mail since" class="day" />
        <v-text-field
          v-model="perMinute"
          class="mt-3"
          type="number"
          min="1"
          max="600"
          label="Messages of mailings a minute at most"
          :placeholder="box.usualPerMinute ? `${box.usualPerMinute}, as usual` : 'no limit'"
          persistent-placeholder
          :error-messages="errorOf('perMinute')"
        />
        <h3 class="mt-3">Folders that are never read</h3>
        <div class="folders">
          <label v-for="folder in box.folders" :key="folder.id"
            ><input
              v-model="skipped"
              type="checkbox"
              :value="folder.id"
              :disabled="folder.path.toUpperCase() === 'INBOX'"
            />
            {{ folder.path }}</label
          >
        </div>
        <h3 class="mt-3">Colleagues</h3>
        <table class="ledger-table">
          <tbody>
            <tr v-for="each in others" :key="each.id">
              <td>{{ each.name }}</td>
              <td class="right">
                <select v-model="may[each.id]" :aria-label="`What ${each.name} may do`">
                  <option value="">{{ shared ? 'as everybody' : 'may not look' }}</option>
                  <option value="read">may read</option>
                  <option value="write">may read, move and write as it</option>
                </select>
              </td>
            </tr>
          </tbody>
        </table>
        <label v-if="mayAny" class="share"
          ><input v-model="shared" type="checkbox" /> an office address that all of the staff read and answer
          from</label
        >
        <div class="answers"><v-btn color="primary" variant="flat" @click="keep">Keep</v-btn></div>
      </section>
      <section class="sheet pa-4" aria-labelledby="ways">
        <h2 id="ways" class="mb-3">The ways in</h2>
        <AccessForm v-model="access" :error-of="errorOf" />
        <v-text-field
          v-model="password"
          class="mt-3"
          label="Password, if it or the server has changed"
          :error-messages="errorOf('password')"
          type="password"
          autocomplete="new-password"
        />
        <Steps v-if="steps.length" :steps="steps" />
        <div class="answers"><v-btn :loading="busy" @click="keepAccess">Try and keep</v-btn></div>
      </section>
      <section class="sheet pa-4 wide" aria-labelledby="vouches">
        <h2 id="vouches" class="mb-2">Who vouches for senders</h2>
        <p class="quiet mb-3">
          Anybody can write any name and address on a letter. The server that takes mail in looks into it and
          writes what it found into each message, under a name of its own. Only the names ticked here are
          believed. What nobody vouches for is put before a person, whatever it says of itself.
        </p>
        <p v-if="!box.servers.length" class="mb-2">
          No server has written anything into the mail of this mailbox yet. Verify the mailbox: the test
          message that comes back tells.
        </p>
        <label v-for="server in box.servers" :key="server.name" class="server"
          ><input v-model="believed" type="checkbox" :value="server.name" />
          <strong>{{ server.name }}</strong>
          <span class="quiet">
            stands in {{ many(server.seen, 'message')
            }}{{ server.learned ? '; learned from our own test message' : '' }}</span
          ></label
        >
        <label class="server"
          ><input v-model="silently" type="checkbox" /> This server lets in only mail it has checked, though
          it does not write so: believe all of it</label
        >
        <div class="answers">
          <v-btn @click="change({ believed, checksSilently: silently }, 'Kept: who is believed.')"
            >Keep</v-btn
          >
        </div>
      </section>
    </div>
    <AskDialog v-model="leaving" label="Disconnect">
      <template #heading>Disconnect {{ box?.address }}?</template>
      <p>It is not read any more, and nothing is sent from it. What is logged on client files stays.</p>
      <v-radio-group v-model="remove" hide-details class="mt-2">
        <v-radio :value="false" label="Keep the rest of its mail here, too" />
        <v-radio
          :value="true"
          :label="`Remove what was never logged: ${many(box?.neverLogged ?? 0, 'message')}, which cannot be undone`"
        />
      </v-radio-group>

      <template #answers>
        <v-btn @click="leaving = false">Stay connected</v-btn>
        <v-btn color="error" variant="flat" @click="disconnect">Disconnect</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 8px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 20px;
  align-items: start;
}
.columns :deep(.form) {
  grid-template-columns: 1fr;
}
.folders {
  columns: 2;
  max-height: 150px;
  overflow: auto;
  border: 1px solid var(--hairline);
  padding: 8px 10px;
}
.wide {
  grid-column: 1 / -1;
  max-width: 86ch;
}
.server {
  display: block;
  margin: 4px 0;
  overflow-wrap: anywhere;
}
.folders label,
.share {
  display: block;
}
.share {
  margin-top: 10px;
}
select,
.day {
  max-width: 220px;
}
input[type='checkbox'] {
  accent-color: var(--spruce);
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
