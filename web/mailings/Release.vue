<script setup lang="ts">
import { computed, ref } from 'vue';
import { Checks, Recipients, type FileChoice } from '../../contract/index.ts';
import { act, get, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { many, useTimes } from '../words.ts';
import { timingWords } from './timingWords.ts';
import { useMailingDraft } from './mailingDraft.ts';
import AskDialog from '../ui/AskDialog.vue';

/** The last look: who gets it, from whom, on which file; then the confirmation. */
defineEmits<{ back: [] }>();
const SHOWN = 200;
const LOGGED: Record<FileChoice, string> = {
  general: 'General file',
  latest: 'newest open file, else General',
  private: 'no file: private to whoever it comes from and releases it',
  nowhere: 'no file',
};
const editing = useMailingDraft();
const session = useSession();
const { ago } = useTimes();
const list = ref<Recipients | null>(null);
const checks = ref<Checks | null>(null);
const asking = ref(false);
const busy = ref(false);
const problem = ref('');
const why = ref('');
const toColleagues = computed(() => Boolean(editing.draft?.colleagues));
const isText = computed(() => editing.draft?.channel === 'text' && !toColleagues.value);
const ready = computed(() => editing.mailing?.state === 'ready');
const series = computed(() => editing.mailing?.series ?? []);
const untested = computed(
  () => !editing.mailing?.testedAt || series.value.some(({ testedAt }) => testedAt === null),
);
const mayUntested = computed(() => session.may('release untested'));
const mayRelease = computed(() => session.may('release mailings'));
const stops = computed(() => [
  ...(checks.value?.problems ?? []),
  ...(checks.value?.missing.length
    ? [
        `Something is missing in ${many(new Set(checks.value.missing.map((row) => row.key)).size, 'message')}.`,
      ]
    : []),
]);
const going = computed(() => list.value?.rows.filter((row) => row.ticked) ?? []);
const bySender = computed(() => {
  const counts = new Map<string, number>();
  for (const row of going.value) counts.set(row.from, (counts.get(row.from) ?? 0) + 1);
  return [...counts].map(([name, count]) => `${count} from ${name}`).join(', ');
});

async function load() {
  if (!editing.draft || !editing.mailing) return;
  try {
    await editing.save();
    const { channel, selection, topicId, senderId, eachOf, roles, colleagues, fileChoice } = editing.draft;
    const mailingId = editing.mailing.id;
    [list.value, checks.value] = await Promise.all([
      send('POST', Recipients, '/mailings/recipients', {
        ...{ mailingId, channel, selection, topicId, senderId, eachOf, roles, colleagues, fileChoice },
        limit: SHOWN,
      }),
      get(Checks, `/mailings/${mailingId}/checks`),
    ]);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
async function release() {
  if (!list.value || !editing.mailing) return;
  busy.value = true;
  try {
    if (!(await editing.save())) {
      problem.value = editing.problem || 'The mailing could not be saved, so it has not been released.';
      return;
    }
    await act('POST', `/mailings/${editing.mailing.id}/release`, {
      version: editing.version,
      recipients: list.value.ticked,
      untestedWhy: why.value,
    });
    await editing.open(editing.mailing.id);
  } catch (error) {
    problem.value = wordsOf(error);
    await load();
    problem.value ||= wordsOf(error);
  } finally {
    busy.value = false;
    asking.value = false;
  }
}
async function change(path: string, body: unknown) {
  if (!editing.mailing) return;
  busy.value = true;
  try {
    if (!(await editing.save())) {
      problem.value = editing.problem || 'The mailing could not be saved.';
      return;
    }
    await act('POST', `/mailings/${editing.mailing.id}/${path}`, body);
    await editing.open(editing.mailing.id);
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const handOver = () => change('hand-over', { version: editing.version });
const takeBack = () => change('take-back', {});
void load();
</script>

<template>
  <div class="release">
    <Trouble :words="problem" class="mb-3" />
    <template v-if="list && checks">
      <section class="facts">
        <h2>Before it goes</h2>
        <dl>
          <div>
            <dt>Recipients</dt>
            <dd class="figures">{{ list.ticked.toLocaleString('en-GB') }}</dd>
          </div>
          <div v-if="isText">
            <dt>Goes as</dt>
            <dd>text message</dd>
          </div>
          <div v-else>
            <dt>Sent by</dt>
            <dd>{{ list.total <= SHOWN ? bySender : 'each client’s own adviser' }}</dd>
          </div>
          <div>
            <dt>Logged on</dt>
            <dd>
              {{ toColleagues ? LOGGED.nowhere : LOGGED[editing.draft?.fileChoice ?? 'general'] }}
            </dd>
          </div>
          <div>
            <dt>Left out</dt>
            <dd class="figures">
              {{ list.leftOut.reduce((sum, group) => sum + group.clients.length, 0).toLocaleString('en-GB') }}
            </dd>
          </div>
          <div>
            <dt>When it goes</dt>
            <dd>{{ timingWords(editing.draft?.timing ?? null) }}</dd>
          </div>
          <div v-if="series.length">
            <dt>Followed by</dt>
            <dd>
              <template v-for="each in series.slice(1)" :key="each.id"
                >{{ each.name }}, {{ many(each.waitDays ?? 0, 'day') }} later<br
              /></template>
            </dd>
          </div>
          <div v-if="!toColleagues && !isText">
            <dt>Says how to opt out</dt>
            <dd>{{ editing.draft?.optOut ? 'yes' : 'no' }}</dd>
          </div>
          <div>
            <dt>{{ series.length ? 'Test copies of all of it' : 'Test copy of it as it is' }}</dt>
            <dd>{{ untested ? 'not sent' : 'sent' }}</dd>
          </div>
        </dl>
        <ul class="stops">
          <li v-for="words in stops" :key="words">
            <b class="needs">Settle</b> {{ words }}
            <button type="button" class="link" @click="$emit('back')">See the checks</button>
          </li>
        </ul>
        <ul v-if="checks.remarks.length || checks.own.length" class="stops">
          <li v-if="checks.own.length">
            <b class="look">Look</b> {{ many(checks.own.length, 'copy', 'copies') }} changed by hand, for
            {{
              checks.own
                .slice(0, 5)
                .map(({ client }) => client)
                .join(', ')
            }}{{ checks.own.length > 5 ? ' and others' : '' }}.
          </li>
          <li v-for="words in checks.remarks" :key="words"><b class="look">Look</b> {{ words }}</li>
        </ul>
        <p v-if="ready" class="mt-3">
          <b class="good">Handed over</b> by {{ editing.mailing?.handed?.by }},
          {{ editing.mailing?.handed ? ago(editing.mailing.handed.at) : '' }}.
          <button type="button" class="link" @click="takeBack">Make it a draft again</button>
        </p>
        <template v-if="mayRelease && untested && !stops.length">
          <v-text-field
            v-if="mayUntested"
            v-model="why"
            class="mt-4"
            label="Why it goes without a test copy"
            maxlength="300"
            hint="Or send yourself one in step 3."
            persistent-hint
          />
          <p v-else class="mt-3">
            <b class="needs">Settle</b> Nobody has had a test copy of it as it is now.
            <button v-if="!ready" type="button" class="link" @click="$emit('back')">Send one</button>
          </p>
        </template>
        <p v-if="!mayRelease && !ready" class="quiet">
          An office manager or adviser releases mailings. Handed over, it stands on their first screen.
        </p>
        <v-btn
          v-if="!mayRelease && !ready"
          class="mt-4"
          color="primary"
          variant="flat"
          size="large"
          :loading="busy"
          :disabled="stops.length > 0"
          @click="handOver"
          >Hand it over to be released</v-btn
        >
        <v-btn
          v-if="mayRelease"
          class="mt-4"
          color="primary"
          variant="flat"
          size="large"
          :disabled="stops.length > 0 || (untested && !why.trim())"
          @click="asking = true"
          >Release {{ many(list.ticked, 'message') }}…</v-btn
        >
      </section>
    </template>
    <AskDialog v-model="asking" :max-width="620" label="Release">
      <template #heading>Let {{ many(list?.ticked ?? 0, 'message') }} go?</template>
      <p>
        Each goes to that {{ toColleagues ? 'colleague' : 'client' }} alone,
        {{ timingWords(editing.draft?.timing ?? null) }}. What has gone cannot be called back; until the first
        has gone all of it can be taken back, and what still waits can be paused.
      </p>
      <div class="scroll sheet mt-3" tabindex="0" role="region" aria-label="Who gets it">
        <table class="ledger-table">
          <tbody>
            <tr v-for="row in going" :key="row.key">
              <td>
                <strong>{{ row.client }}</strong>
              </td>
              <td class="quiet">{{ row.address }}</td>
              <td>{{ row.from }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="list && list.total > SHOWN" class="quiet pa-3">
          and {{ (list.ticked - going.length).toLocaleString('en-GB') }} more, as listed in step 1
        </p>
      </div>

      <template #answers>
        <v-btn @click="asking = false">Not yet</v-btn>
        <v-btn color="primary" variant="flat" :loading="busy" @click="release">Let them go</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.release {
  overflow: auto;
}
.facts {
  max-width: 560px;
}
dl {
  margin: 10px 0;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
  font-weight: 600;
  text-align: right;
}
.stops {
  list-style: none;
  padding: 0;
}
.look {
  color: var(--ochre);
}
.good {
  color: var(--spruce);
}
.scroll {
  overflow: auto;
  min-height: 80px;
}
</style>
