<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { z } from 'zod';
import { ClientView, Owing, TasksPage, type TaskRow } from '../../contract/index.ts';
import { useLetter } from '../paperwork/letter.ts';
import { useSession } from '../session.ts';
import MessageDialog from '../message/MessageDialog.vue';
import KeyCap from '../parts/KeyCap.vue';
import Trouble from '../parts/Trouble.vue';
import { useKeys } from '../ui/keys.ts';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import TextDialog from '../textmessage/TextDialog.vue';
import TaskDialog from '../tasks/TaskDialog.vue';
import TaskList from '../tasks/TaskList.vue';
import { useTasks } from '../tasks/task.ts';
import Pages from '../collection/Pages.vue';
import DocumentList from '../documents/DocumentList.vue';
import Ledger from './Ledger.vue';

const route = useRoute();
const router = useRouter();
const { date, since } = useTimes();
const id = Number(route.params.id);
const fileId = ref<number | null>(route.query.file ? Number(route.query.file) : null);
const entryId = route.query.entry ? Number(route.query.entry) : null;
const showClosed = ref(false);
/** What stands in the middle. */
type View = 'correspondence' | 'documents' | 'page';
const VIEWS: readonly View[] = ['correspondence', 'documents', 'page'];
const view = ref<View>(VIEWS.find((each) => each === route.query.show) ?? 'correspondence');
watch(
  () => route.query.show,
  (show) => (view.value = VIEWS.find((each) => each === show) ?? view.value),
);
const turn = (to: View) => (view.value = view.value === to ? 'correspondence' : to);

const {
  data: client,
  problem,
  load,
} = useLoad(ClientView, () => `/clients/${id}`, { concerns: { records: about('client', () => [id]) } });
watch(client, (now) => {
  if (now?.files.some((file) => file.id === fileId.value && file.closed)) showClosed.value = true;
});
/** Whether a change is about one of the client's files. */
const onFiles = about('file', () => client.value?.files.map((file) => file.id) ?? []);
const {
  data: owed,
  problem: owedProblem,
  load: readOwed,
} = useLoad(z.array(Owing), () => ({ path: '/owing', query: { clientId: id, limit: 6 } }), {
  concerns: { mail: onFiles },
});
const {
  data: tasks,
  problem: tasksProblem,
  load: readTasks,
} = useLoad(TasksPage, () => ({ path: '/tasks', query: { whose: 'all', clientId: id, limit: 20 } }), {
  concerns: { tasks: about('client', () => [id]) },
});
const { settle, takeBack, last, failed } = useTasks(readTasks);
/** To whom a text message is being written. */
const texting = ref<{ personId?: number | null; number?: string } | null>(null);
const task = ref<TaskRow | null | 'new'>(null);
function keptTask() {
  task.value = null;
  void readTasks();
}
const session = useSession();
const unbegun = ref('');
/** Begins a letter on paper to this client, about the file that is chosen; or to one of its people. */
const begin = useLetter((words) => (unbegun.value = words));
const letter = (personId?: number) =>
  begin(personId ? { personId } : fileId.value ? { fileId: fileId.value } : { clientId: id });
const opened = ref<number | null>(null);
const fileQuery = computed(() => (fileId.value ? { file: fileId.value } : { client: id }));
const writeTo = computed(() => ({ name: 'write', query: fileQuery.value }));
useKeys(
  {
    w: () => router.push(writeTo.value),
    r: () => router.push(`/clients/${id}/record`),
    d: () => turn('documents'),
    p: () => turn('page'),
    t: () => (task.value = 'new'),
    x: () => (texting.value = {}),
  },
  { unless: () => opened.value !== null || task.value !== null || texting.value !== null },
);

const closed = computed(() => client.value?.files.filter((file) => file.closed) ?? []);
const tabs = computed(() => client.value?.files.filter((file) => !file.closed || showClosed.value) ?? []);
const chosen = computed(() => client.value?.files.find((file) => file.id === fileId.value));
const facts = computed(() => {
  const now = client.value;
  if (!now) return '';
  const areas = now.fields
    .filter(({ kind, unit }) => kind === 'number' && unit)
    .map((field) => `${field.label.toLowerCase()} ${field.value}`);
  return [now.place, ...areas, now.adviser ? `adviser ${now.adviser}` : ''].filter(Boolean).join(' · ');
});
</script>

<template>
  <div class="screen screen-fixed">
    <Trouble :words="problem || owedProblem || tasksProblem || failed || unbegun" :retry="load" />
    <template v-if="client">
      <header class="head">
        <div>
          <p class="quiet">
            {{ client.since ? `Client since ${client.since}` : client.kind }} ·
            {{
              client.status === 'active' ? (client.service ?? 'no service yet').toLowerCase() : client.status
            }}
          </p>
          <h1>{{ client.name }}</h1>
          <p class="quiet">{{ facts }}</p>
        </div>
        <div class="acts">
          <v-btn :to="`/clients/${id}/mailings`">Mailings</v-btn>
          <v-btn :aria-pressed="view === 'documents'" @click="turn('documents')"
            >{{ view === 'documents' ? 'Correspondence' : 'Documents' }} <KeyCap letter="D" class="ml-2"
          /></v-btn>
          <v-btn :aria-pressed="view === 'page'" @click="turn('page')"
            >{{ view === 'page' ? 'Correspondence' : 'Their page' }} <KeyCap letter="P" class="ml-2"
          /></v-btn>
          <v-btn :to="`/clients/${id}/record`">Record <KeyCap letter="R" class="ml-2" /></v-btn>
          <v-btn v-if="session.may('prepare paperwork')" @click="letter()">Letter</v-btn>
          <v-btn color="primary" variant="flat" :to="writeTo">Write <KeyCap letter="W" class="ml-2" /></v-btn>
        </div>
      </header>
      <div class="tabs" role="group" aria-label="Files">
        <button
          type="button"
          class="plain tab all"
          :class="{ on: fileId === null }"
          :aria-pressed="fileId === null"
          @click="fileId = null"
        >
          All files
        </button>
        <button
          v-for="file in tabs"
          :key="file.id"
          type="button"
          class="plain tab"
          :class="{ on: file.id === fileId, shut: file.closed }"
          :aria-pressed="file.id === fileId"
          :title="`${file.number} ${file.title}, ${file.stage || 'open'}`"
          @click="fileId = file.id"
        >
          <span class="figures">{{ file.number }}</span> {{ file.title }}
        </button>
        <button
          v-if="closed.length && !showClosed"
          type="button"
          class="plain tab shut"
          @click="showClosed = true"
        >
          {{ closed.length }} closed
        </button>
      </div>
      <div class="body">
        <DocumentList v-if="view === 'documents'" :client-id="id" :file-id="fileId" :files="client.files" />
        <Pages v-else-if="view === 'page'" :client-id="id" :file-id="fileId" />
        <Ledger
          v-else
          :client="client"
          :file-id="fileId"
          :entry-id="entryId"
          :on-files="onFiles"
          @text="(to) => (texting = to)"
        />
        <aside class="side" tabindex="0" role="region" aria-label="About this client">
          <template v-if="chosen">
            <h2>{{ chosen.number }}</h2>
            <p class="mt-2">
              <strong>{{ chosen.title }}</strong><br /><span class="quiet"
                >{{ chosen.stage || 'Open' }}; opened {{ date(chosen.opened)
                }}{{ chosen.closedOn ? `, closed ${date(chosen.closedOn)}` : '' }}</span
              >
            </p>
          </template>
          <template v-if="owed?.length">
            <h2>Who owes an answer</h2>
            <ul class="owed">
              <li v-for="each in owed" :key="each.messageId">
                <strong class="ochre">{{ each.who === 'we' ? 'We owe' : 'They owe' }}</strong>
                <span class="quiet"> {{ since(each.since) }}</span><br /><button
                  type="button"
                  class="link"
                  @click="opened = each.messageId"
                >
                  {{ each.subject || '(no subject)' }}
                </button>
              </li>
            </ul>
          </template>
          <h2 class="todo">
            To do
            <button type="button" class="link" @click="task = 'new'">leave a task</button>
            <KeyCap letter="T" />
          </h2>
          <TaskList
            v-if="tasks?.rows.length"
            :tasks="tasks.rows"
            whose
            @done="(each) => settle(each, true)"
            @open="(each) => (task = each)"
          />
          <p v-else-if="tasks" class="quiet">Nothing is left to do.</p>
          <p v-if="last" class="quiet" role="status">
            {{ last.words }} <button type="button" class="link" @click="takeBack">take it back</button>
          </p>
          <h2 class="todo">
            People
            <button type="button" class="link" @click="texting = {}">text message</button>
            <KeyCap letter="X" />
          </h2>
          <div v-for="person in client.people" :key="person.id" class="person">
            <strong>{{ person.name || person.role }}</strong>
            <router-link
              v-if="person.addresses.some((address) => address.current)"
              class="quiet write"
              :to="{ name: 'write', query: { ...fileQuery, person: person.id } }"
              >write</router-link
            >
            <button
              v-if="session.may('prepare paperwork') && client.postal.length"
              type="button"
              class="link quiet write"
              :aria-label="`A letter to ${person.name || person.role}`"
              @click="letter(person.id)"
            >
              letter
            </button>
            <button
              type="button"
              class="link quiet write"
              :aria-label="`A text message to ${person.name || person.role}`"
              @click="texting = { personId: person.id }"
            >
              text
            </button>
            <p class="quiet">{{ person.role }}</p>
            <p v-for="phone in person.phones" :key="phone.number" class="quiet">{{ phone.number }}</p>
            <p v-for="address in person.addresses" :key="address.email" class="quiet address">
              {{ address.email }}<span v-if="!address.current"> (old)</span>
              <span v-if="address.returned" class="needs"><br />returned: {{ address.returned }}</span>
              <span v-if="address.optedOut" class="needs"><br />opted out {{ address.optedOut }}</span>
            </p>
          </div>
          <p v-if="!client.people.length" class="quiet">Nobody is named yet.</p>
          <h2>Facts</h2>
          <dl>
            <div v-for="field in client.fields" :key="field.label">
              <dt>{{ field.label }}</dt>
              <dd>{{ field.value }}</dd>
            </div>
            <div>
              <dt>Interests</dt>
              <dd>{{ client.interests.join(', ') || 'none noted' }}</dd>
            </div>
            <div v-if="client.tags.length">
              <dt>Tags</dt>
              <dd>{{ client.tags.join(', ') }}</dd>
            </div>
            <div v-if="client.phones.length">
              <dt>Telephone</dt>
              <dd>{{ client.phones.map(({ number }) => number).join(', ') }}</dd>
            </div>
            <div>
              <dt>Post</dt>
              <dd>{{ client.postal.join(', ') }}</dd>
            </div>
          </dl>
          <template v-if="client.namedBy.length">
            <h2>Named by others</h2>
            <p v-for="(each, index) in client.namedBy" :key="index" class="named">
              {{ each.person ? `${each.person}: ` : '' }}{{ each.field }} of
              <router-link :to="`/clients/${each.clientId}`">{{ each.client }}</router-link>
            </p>
          </template>
        </aside>
      </div>
      <MessageDialog v-model="opened" @changed="readOwed" />
      <TextDialog
        v-if="texting"
        :client-id="id"
        :file-id="fileId"
        :to="texting"
        @close="texting = null"
        @sent="texting = null"
      />
      <TaskDialog
        v-if="task"
        :task="task === 'new' ? null : task"
        :about="{ clientId: id, fileId }"
        @close="task = null"
        @kept="keptTask"
      />
    </template>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex: none;
  flex-wrap: wrap;
  justify-content: flex-end;
  gap: 8px;
}
.owed {
  list-style: none;
  padding: 0;
  margin: 0 0 14px;
}
.owed li {
  margin-bottom: 6px;
}
.todo .link {
  margin-left: 6px;
  font: 400 13px/1.4 var(--sans);
}
.ochre {
  color: var(--ochre);
}
.write {
  margin-left: 6px;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  margin-top: 12px;
  padding: 0 4px;
  border-bottom: 3px solid var(--spruce);
}
.tab {
  border: 1px solid var(--spruce);
  border-bottom: 0;
  border-radius: 5px 5px 0 0;
  padding: 3px 9px 2px;
  background: var(--spruce-pale);
  color: var(--spruce);
  font-weight: 700;
  font-size: 13px;
  max-width: 300px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.tab.shut {
  border-style: dotted;
  border-color: var(--strong);
  background: var(--sheet);
  color: var(--ink-soft);
}
.tab.on {
  background: var(--spruce);
  color: #fff;
}
.body {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 262px;
  gap: 20px;
  margin-top: 14px;
}
.side {
  overflow: auto;
}
.side h2 {
  border-bottom: 1px solid var(--strong);
  padding-bottom: 4px;
  margin: 14px 0 8px;
}
.side h2:first-child {
  margin-top: 0;
}
.person {
  margin-bottom: 8px;
}
.named {
  margin-bottom: 4px;
}
.address {
  overflow-wrap: anywhere;
}
dl {
  margin: 0;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 4px 0;
  border-bottom: 1px solid var(--hairline);
}
dd {
  margin: 0;
  text-align: right;
}
@media (max-width: 1000px) {
  .acts {
    flex: 0 1 auto;
  }
  .body {
    grid-template-columns: minmax(0, 1fr) 190px;
  }
}
</style>
