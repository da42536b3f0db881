<script setup lang="ts">
import { computed, reactive, ref } from 'vue';
import { z } from 'zod';
import { OneTimeLink, Role, StaffDraft, StaffRecord } from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { list, many, useTimes } from '../words.ts';

/** Everybody of the office: who may do what, links to join by, and leaving. */
const emit = defineEmits<{ kept: [] }>();
const session = useSession();
const { full, date } = useTimes();
const {
  data: staff,
  problem,
  load,
} = useLoad(z.array(StaffRecord), () => '/office/staff', { concerns: { records: true, mailboxes: true } });
const here = computed(() => staff.value?.filter(({ leftAt }) => !leftAt) ?? []);
const left = computed(() => staff.value?.filter(({ leftAt }) => leftAt) ?? []);
const ROLES: Record<Role, string> = {
  manager: 'Office manager: runs the office',
  adviser: 'Adviser: the whole register, acts on their own files, releases',
  assistant: 'Assistant: prepares, does not release',
};
const roleItems = Role.options.map((value) => ({ value, title: ROLES[value] }));
const ROLE_WORDS: Record<Role, string> = {
  manager: 'office manager',
  adviser: 'adviser',
  assistant: 'assistant',
};

const FIELDS = ['name', 'email', 'title', 'phone', 'role'] as const;
const EMPTY = { name: '', email: '', title: '', phone: '', role: 'adviser' as Role };
const editing = ref<'new' | StaffRecord | null>(null);
const form = reactive({ ...EMPTY });
const { errorOf, problem: refused, busy, submit, clear } = useForm(StaffDraft, FIELDS);
const dialog = computed({
  get: () => editing.value !== null,
  set: (open) => {
    if (!open) editing.value = null;
  },
});
function edit(member: 'new' | StaffRecord) {
  clear();
  const { name, email, title, phone, role } = member === 'new' ? EMPTY : member;
  Object.assign(form, { name, email, title, phone, role });
  editing.value = member;
}
const keep = () =>
  submit({ ...form }, async (draft) => {
    const member = editing.value;
    if (member === 'new') showLink(draft.name, await send('POST', OneTimeLink, '/office/staff', draft));
    else if (member) await act('PUT', `/office/staff/${member.id}`, draft);
    editing.value = null;
    await done();
  });
async function done() {
  await load();
  emit('kept');
}

const link = ref<{ name: string; address: string; until: string } | null>(null);
const linkShown = computed({
  get: () => link.value !== null,
  set: (open) => {
    if (!open) link.value = null;
  },
});
const copied = ref(false);
function showLink(name: string, made: OneTimeLink) {
  copied.value = false;
  link.value = { name, address: `${location.origin}${made.path}`, until: made.until };
}
async function copy() {
  await navigator.clipboard?.writeText(link.value?.address ?? '').catch(() => undefined);
  copied.value = true;
}

const trouble = ref('');
async function attempt(work: () => Promise<void>) {
  trouble.value = '';
  try {
    await work();
    await done();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const newLink = (member: StaffRecord, path: 'link' | 'back') =>
  attempt(async () =>
    showLink(member.name, await send('POST', OneTimeLink, `/office/staff/${member.id}/${path}`, {})),
  );
const dropStep = (member: StaffRecord) =>
  attempt(() => act('POST', `/office/staff/${member.id}/second-step/off`, {}));

const leaver = ref<StaffRecord | null>(null);
const heir = ref<number | null>(null);
const leaving = computed({
  get: () => leaver.value !== null,
  set: (open) => {
    if (!open) leaver.value = null;
  },
});
function askLeave(member: StaffRecord) {
  heir.value = null;
  leaver.value = member;
}
const leave = () =>
  attempt(async () => {
    const member = leaver.value;
    if (!member || heir.value === null) return;
    await act('POST', `/office/staff/${member.id}/leave`, { to: heir.value });
    leaver.value = null;
  });
const takesOver = (member: StaffRecord) =>
  list(
    [
      member.clients ? many(member.clients, 'client') : '',
      member.openFiles ? many(member.openFiles, 'open file') : '',
      member.mailboxes.length ? `the mailbox ${list(member.mailboxes)}` : '',
      'what was begun and not sent',
    ].filter(Boolean),
  );
</script>

<template>
  <Trouble :words="problem || trouble" :retry="load" class="mb-3" />
  <table class="ledger-table">
    <thead>
      <tr>
        <th scope="col">Name</th>
        <th scope="col">May</th>
        <th scope="col">Signs in</th>
        <th scope="col" class="right">Open files</th>
        <th scope="col"><span class="visually-hidden">What to do</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="member in here" :key="member.id">
        <td>
          <strong>{{ member.name }}</strong><br /><span class="quiet">{{
            [member.title, member.email].filter(Boolean).join(' · ')
          }}</span>
        </td>
        <td>{{ ROLE_WORDS[member.role] }}</td>
        <td class="quiet">
          <template v-if="!member.joined"
            ><span class="waits">invited</span
            >{{
              member.linkUntil ? `, link until ${full(member.linkUntil)}` : ', the link is over'
            }}</template
          >
          <template v-else
            >{{ member.secondStep ? 'with a second step' : 'by password'
            }}{{ member.linkUntil ? `; link until ${full(member.linkUntil)}` : '' }}</template
          >
        </td>
        <td class="right figures">{{ member.openFiles || '' }}</td>
        <td class="right">
          <v-menu location="bottom end">
            <template #activator="{ props: opener }">
              <button
                v-bind="opener"
                type="button"
                class="link"
                :aria-label="`What to do with ${member.name}`"
              >
                change
              </button>
            </template>
            <v-list density="compact" border rounded="sm" elevation="0">
              <v-list-item title="Name, role, telephone …" @click="edit(member)" />
              <v-list-item
                :title="member.joined ? 'A link for a new password' : 'A new invitation'"
                @click="newLink(member, 'link')"
              />
              <v-list-item
                v-if="member.secondStep"
                title="Take the second step away (telephone lost)"
                @click="dropStep(member)"
              />
              <v-list-item
                v-if="member.id !== session.session?.staff.id"
                title="Leaves the office …"
                @click="askLeave(member)"
              />
            </v-list>
          </v-menu>
        </td>
      </tr>
    </tbody>
  </table>
  <v-btn class="mt-3" color="primary" variant="flat" @click="edit('new')">Add a colleague</v-btn>
  <template v-if="left.length">
    <h3 class="mt-5 mb-1">Left</h3>
    <ul class="gone">
      <li v-for="member in left" :key="member.id">
        {{ member.name }}
        <span class="quiet">{{ member.leftAt ? date(member.leftAt) : '' }}</span>
        <button type="button" class="link" @click="newLink(member, 'back')">let them in again</button>
      </li>
    </ul>
  </template>

  <AskDialog
    v-model="dialog"
    :persistent="editing === 'new' && Boolean(form.name || form.email)"
    :max-width="520"
    label="A colleague"
  >
    <template #heading>{{ editing === 'new' ? 'Add a colleague' : form.name }}</template>
    <form class="form-grid" @submit.prevent="keep">
      <v-text-field v-model="form.name" v-first label="Name" :error-messages="errorOf('name')" />
      <v-text-field
        v-model="form.email"
        label="Email address"
        type="email"
        :error-messages="errorOf('email')"
      />
      <v-text-field
        v-model="form.title"
        label="Title, such as Land agent"
        :error-messages="errorOf('title')"
      />
      <v-text-field v-model="form.phone" label="Telephone" :error-messages="errorOf('phone')" />
      <v-select
        v-model="form.role"
        :items="roleItems"
        label="May"
        class="wide"
        :error-messages="errorOf('role')"
      />
      <p v-if="refused" class="needs wide" role="alert">{{ refused }}</p>
      <div class="answers wide">
        <v-btn @click="editing = null">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">{{
          editing === 'new' ? 'Add and make a link' : 'Keep'
        }}</v-btn>
      </div>
    </form>
  </AskDialog>

  <AskDialog v-model="linkShown" :max-width="560" label="A link for once">
    <template #heading>A link for {{ link?.name }}</template>
    <p>
      With it they choose a password. It serves once, until {{ link ? full(link.until) : '' }}, and is shown
      only now: hand it over, or send it.
    </p>
    <p class="address figures">{{ link?.address }}</p>
    <template #answers>
      <span class="quiet" role="status">{{ copied ? 'Copied.' : '' }}</span>
      <v-btn @click="copy">Copy it</v-btn>
      <v-btn color="primary" variant="flat" @click="link = null">Done</v-btn>
    </template>
  </AskDialog>

  <AskDialog v-model="leaving" :max-width="520" label="Leaves the office">
    <template #heading>{{ leaver?.name }} leaves</template>
    <p>
      The account is closed at once. A colleague takes over {{ leaver ? takesOver(leaver) : '' }}. Everything
      that is logged stays; what was private to {{ leaver?.name }} is shown to nobody.
    </p>
    <v-select
      v-model="heir"
      :items="
        here.filter((member) => member.id !== leaver?.id).map(({ id, name }) => ({ value: id, title: name }))
      "
      label="Who takes over"
      class="mt-3"
    />
    <p v-if="trouble" class="needs mt-2" role="alert">{{ trouble }}</p>
    <template #answers>
      <v-btn @click="leaver = null">Not now</v-btn>
      <v-btn color="error" variant="flat" :disabled="heir === null" @click="leave">Close the account</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.waits {
  color: var(--ochre);
  font-weight: 600;
}
.gone {
  list-style: none;
  padding: 0;
}
.gone li {
  display: flex;
  gap: 10px;
  padding: 3px 0;
}
.address {
  margin-top: 10px;
  padding: 8px 10px;
  background: var(--page);
  border: 1px solid var(--hairline);
  overflow-wrap: anywhere;
  user-select: all;
}
</style>
