<script setup lang="ts">
import { computed, ref } from 'vue';
import { Today, type TaskRow } from '../../contract/index.ts';
import MailingProgress from '../mailings/MailingProgress.vue';
import MessageDialog from '../message/MessageDialog.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import TaskDialog from '../tasks/TaskDialog.vue';
import TaskList from '../tasks/TaskList.vue';
import { useTasks } from '../tasks/task.ts';
import ForYou from '../timeline/ForYou.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { list, many, useTimes } from '../words.ts';
import MailByDay from './MailByDay.vue';
import StillToDo from './StillToDo.vue';

const session = useSession();
const { today: dayWords, hour, since, clock, brief } = useTimes();
const {
  data: today,
  problem,
  load,
} = useLoad(Today, () => '/today', {
  concerns: {
    ...{ mail: true, sorting: true, mailings: true, mailboxes: true },
    ...{ tasks: true, orders: true, drafts: true, reckoning: true, texts: true, collection: true },
  },
  moment: 2000,
});
const opened = ref<number | null>(null);
const edited = ref<TaskRow | null>(null);
const { settle, takeBack, last, failed } = useTasks(load);

const greeting = computed(
  () =>
    `Good ${hour() < 12 ? 'morning' : hour() < 18 ? 'afternoon' : 'evening'}, ${session.session?.staff.name.split(' ')[0] ?? ''}`,
);
/** What colleagues have prepared, for those who let it go. */
const toRelease = computed(() =>
  session.may('release mailings')
    ? (today.value?.mailings ?? []).filter(({ state }) => state === 'ready')
    : [],
);
const needs = computed(() => {
  const now = today.value;
  if (!now) return [];
  const failing = now.failing.length;
  return [
    {
      count: now.unsorted.count,
      words: now.unsorted.count === 1 ? 'message without a file' : 'messages without a file',
      more: now.unsorted.oldest ? `oldest ${since(now.unsorted.oldest)}` : 'everything has its file',
      act: 'Sort them',
      to: '/sorting',
      needs: true,
    },
    {
      count: now.owing.we,
      words: now.owing.we === 1 ? 'answer we owe' : 'answers we owe',
      more: now.owing.oldest[0]
        ? `longest to ${now.owing.oldest[0].correspondent}, ${since(now.owing.oldest[0].since)}; ${many(now.owing.they, 'answer')} owed to us`
        : `${many(now.owing.they, 'answer')} owed to us`,
      act: 'Answer',
      to: '/mail?view=owed',
      needs: false,
    },
    {
      count: toRelease.value.length,
      words: `${toRelease.value.length === 1 ? 'mailing' : 'mailings'} handed over to be released`,
      more: list(toRelease.value.map(({ name, owner }) => `“${name}” by ${owner}`)),
      act: 'Look',
      to: toRelease.value[0] ? `/mailings/${toRelease.value[0].id}` : '/mailings',
      needs: true,
      hide: !toRelease.value.length,
    },
    {
      count: now.texts,
      words: `${now.texts === 1 ? 'text message wants' : 'text messages want'} something of you`,
      more: 'an answer, a client, or to be sent',
      act: 'Look',
      to: '/texts',
      needs: false,
      hide: !now.texts,
    },
    {
      count: now.collection.uploads + now.collection.lines,
      words: 'from clients’ pages',
      more: list([
        ...(now.collection.uploads ? [`${many(now.collection.uploads, 'document')} to look at`] : []),
        ...(now.collection.lines ? [`${many(now.collection.lines, 'line')} to answer`] : []),
      ]),
      act: 'Look',
      to: now.collection.uploads ? '/pages' : '/pages?show=lines',
      needs: false,
      hide: !now.collection.uploads && !now.collection.lines,
    },
    {
      count: now.prepared,
      words: `${now.prepared === 1 ? 'message' : 'messages'} prepared by standing orders`,
      more: 'for you to read and release',
      act: 'Release',
      to: '/orders?show=prepared',
      needs: false,
      hide: !now.prepared,
    },
    {
      count: now.heldOrders,
      words: 'more than standing orders do on a day',
      more: 'they ask before they go on',
      act: 'Look',
      to: '/orders',
      needs: true,
      hide: !now.heldOrders,
    },
    {
      count: now.uncertain,
      words: `${now.uncertain === 1 ? 'message' : 'messages'} that may or may not have been sent`,
      more: 'look before it is sent again',
      act: 'Settle',
      to: '/mailings',
      needs: true,
      hide: !now.uncertain,
    },
    {
      count: now.held,
      words: `${now.held === 1 ? 'address' : 'addresses'} reported dead in a rush`,
      more: 'look before they are switched off',
      act: 'Look',
      to: '/returned',
      needs: true,
      hide: !now.held,
    },
    {
      count: now.unreadable,
      words: `${now.unreadable === 1 ? 'message' : 'messages'} that could not be read`,
      more: 'kept as they came, for somebody to look at',
      act: 'Look',
      to: '/sorting',
      needs: true,
      hide: !now.unreadable,
    },
    {
      count: now.returned.count,
      words: `returned ${now.returned.count === 1 ? 'message' : 'messages'}`,
      more: now.returned.words,
      act: 'See why',
      to: '/returned',
      needs: false,
    },
    {
      count: failing,
      words: `${failing === 1 ? 'mailbox' : 'mailboxes'} in trouble`,
      more: failing
        ? list(
            now.failing.map(
              (box) =>
                `${box.owner}: ${box.problem ?? ''} ${box.failingSince ? since(box.failingSince) : ''}`,
            ),
          )
        : mailboxWords.value,
      act: failing ? 'See' : 'Look',
      to: '/mailboxes',
      needs: failing > 0,
    },
  ].filter((row) => !row.hide);
});
/** What the reckoning says of yesterday. */
const accounted = computed(() => {
  const now = today.value?.yesterday;
  if (now?.state !== 'done') return '';
  return now.open
    ? `Of yesterday ${many(now.open, 'difference')} ${now.open === 1 ? 'is' : 'are'} still to be seen to.`
    : 'Everything of yesterday is accounted for.';
});
const mailboxWords = computed(() => {
  const boxes = today.value?.mailboxes ?? [];
  const filling = boxes.filter((box) => box.state === 'filling');
  if (filling.length) {
    const taken = boxes.reduce((sum, box) => sum + (box.taken ?? 0), 0);
    const all = boxes.reduce((sum, box) => sum + (box.onServer ?? 0), 0);
    return `taking mail in: ${taken.toLocaleString('en-GB')} of ${all.toLocaleString('en-GB')}`;
  }
  return `${many(boxes.filter((box) => box.state === 'in step').length, 'mailbox', 'mailboxes')} in step`;
});
</script>

<template>
  <div class="screen">
    <h1>{{ greeting }}</h1>
    <p class="quiet">
      {{ dayWords() }}.
      <template v-if="today"
        >{{ many(today.today.messages, 'message') }} so far today, {{ today.today.filedAlone }} of them filed
        without you.</template
      >
    </p>
    <p v-if="accounted" class="accounted">
      <router-link to="/reckoning" :class="{ needs: today?.yesterday?.open }">{{ accounted }}</router-link>
    </p>
    <StillToDo v-if="session.may('run the office')" />
    <Trouble :words="problem" :retry="load" class="mt-4" />
    <div v-if="today" class="columns">
      <section aria-labelledby="needs">
        <h2 id="needs">Needs you</h2>
        <ul class="needs-list">
          <li v-for="row in needs" :key="row.to + row.words">
            <span class="big figures" :class="{ needs: row.needs && row.count }">{{
              row.count.toLocaleString('en-GB')
            }}</span>
            <span
              ><strong>{{ row.words }}</strong
              ><br /><span class="quiet">{{ row.more }}</span></span
            >
            <router-link :to="row.to">{{ row.act }}</router-link>
          </li>
        </ul>
        <h2 class="mt-6">Lately received</h2>
        <div class="sheet latest">
          <p v-if="!today.latest.length" class="quiet pa-3">
            No client mail yet. It appears here as the mailboxes are taken in.
          </p>
          <button
            v-for="row in today.latest"
            :key="row.id"
            type="button"
            class="plain late"
            @click="opened = row.id"
          >
            <span class="quiet figures">{{
              brief(row.at) === clock(row.at) ? clock(row.at) : brief(row.at)
            }}</span>
            <span class="late-words">{{ row.words }}</span>
            <FileTab
              :state="row.number ? (row.state === 'logged' ? 'logged' : 'suggested') : 'none'"
              :label="row.number ?? undefined"
            />
          </button>
        </div>
      </section>
      <section aria-labelledby="out">
        <section v-if="today.tasks.due || last" class="to-do" aria-labelledby="to-do">
          <header>
            <h2 id="to-do">To do</h2>
            <router-link to="/tasks" class="quiet">all of your tasks</router-link>
          </header>
          <Trouble :words="failed" />
          <TaskList
            :tasks="today.tasks.first"
            place
            @done="(task) => settle(task, true)"
            @open="edited = $event"
          />
          <p v-if="today.tasks.due > today.tasks.first.length" class="quiet">
            and {{ today.tasks.due - today.tasks.first.length }} more that are due
          </p>
          <p v-if="last" class="quiet" role="status">
            {{ last.words }} <button type="button" class="link" @click="takeBack">take it back</button>
          </p>
        </section>
        <ForYou />
        <h2 id="out">On its way out</h2>
        <div class="sheet pa-3 way-out">
          <p v-if="!today.mailings.length" class="quiet">
            No mailing is written or going. <router-link to="/mailings">Begin one</router-link>
          </p>
          <MailingProgress v-for="mailing in today.mailings" :key="mailing.id" :mailing="mailing" />
        </div>
        <h2 class="mt-5">Mail by day</h2>
        <MailByDay :days="today.days" />
      </section>
    </div>
    <MessageDialog v-model="opened" @changed="load" />
    <TaskDialog v-if="edited" :task="edited" @close="edited = null" @kept="((edited = null), load())" />
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 28px;
  margin-top: 18px;
}
h2 {
  margin-bottom: 8px;
}
.accounted {
  margin: 2px 0 0;
}
.to-do {
  margin-bottom: 22px;
}
.to-do header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.needs-list {
  list-style: none;
  padding: 0;
  margin: 0;
  border-top: 1px solid var(--strong);
}
.needs-list li {
  display: grid;
  grid-template-columns: 52px 1fr auto;
  gap: 14px;
  align-items: center;
  padding: 8px 4px;
  border-bottom: 1px solid var(--hairline);
}
.big {
  font: 600 24px/1 var(--serif);
  text-align: right;
  color: var(--spruce);
}
.big.needs {
  color: var(--brick);
}
.way-out > * + * {
  margin-top: 12px;
}
.late {
  display: grid;
  grid-template-columns: 46px minmax(0, 1fr) auto;
  gap: 10px;
  width: 100%;
  padding: 7px 12px;
  align-items: end;
  border-bottom: 1px solid var(--hairline);
}
.late:last-child {
  border-bottom: 0;
}
.late:hover {
  background: var(--page);
}
.late-words {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
