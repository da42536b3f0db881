<script setup lang="ts">
import { computed, ref } from 'vue';
import { MailingView, Schedule, type ScheduleLine } from '../../contract/index.ts';
import { act, get, wordsOf } from '../api.ts';
import TimingDialog from '../mailings/TimingDialog.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** All that will leave, from all mailings, day by day; changed here. */
const session = useSession();
const { clock, dayHeading } = useTimes();
const {
  data: schedule,
  problem,
  load,
} = useLoad(Schedule, () => '/schedule', { concerns: { mailings: true, drafts: true } });
const mayChange = computed(() => session.may('release mailings'));
const days = computed(() => {
  const byDay = new Map<string, ScheduleLine[]>();
  for (const line of schedule.value?.lines ?? []) byDay.set(line.day, [...(byDay.get(line.day) ?? []), line]);
  return [...byDay].map(([day, lines]) => ({
    day,
    lines,
    count: lines.reduce((sum, { count }) => sum + count, 0),
  }));
});
const chosen = ref<MailingView | null>(null);
const open = ref(false);
async function attempt(work: () => Promise<unknown>) {
  try {
    await work();
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const change = (id: number) =>
  attempt(async () => {
    chosen.value = await get(MailingView, `/mailings/${id}`);
    open.value = true;
  });
const steer = (id: number, to: 'paused' | 'going') =>
  attempt(() => act('POST', `/mailings/${id}/steer`, { to }));
const when = (line: ScheduleLine) =>
  clock(line.first) === clock(line.last) ? clock(line.first) : `${clock(line.first)} to ${clock(line.last)}`;
</script>

<template>
  <div class="screen">
    <header class="head">
      <h1>Dispatch</h1>
      <p v-if="schedule" class="quiet" role="status">
        {{ schedule.total ? `${many(schedule.total, 'message')} still to leave` : 'Nothing waits to leave'
        }}<template v-if="schedule.going">, {{ schedule.going }} on their way now</template
        ><template v-if="schedule.uncertain">
          · <b class="needs">{{ schedule.uncertain }} uncertain</b></template
        >.
      </p>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-3" />
    <section v-for="each in days" :key="each.day" class="sheet day" :aria-label="dayHeading(each.day)">
      <h2>
        {{ dayHeading(each.day) }}<span class="quiet figures">{{ many(each.count, 'message') }}</span>
      </h2>
      <table class="ledger-table">
        <thead class="hidden">
          <tr>
            <th>When</th>
            <th>What</th>
            <th>How many</th>
            <th>Changes</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in each.lines" :key="`${line.mailingId} ${line.first}`">
            <td class="when figures">{{ line.state === 'paused' ? 'paused' : when(line) }}</td>
            <td class="what">
              <router-link v-if="line.mailingId" :to="`/mailings/${line.mailingId}`" class="name">{{
                line.name
              }}</router-link>
              <router-link v-else to="/writing" class="name">{{ line.name }}</router-link>
            </td>
            <td class="figures count">{{ line.count.toLocaleString('en-GB') }}</td>
            <td class="acts">
              <template v-if="line.mailingId && mayChange">
                <button type="button" class="link" @click="change(line.mailingId)">timing</button>
                <span aria-hidden="true"> · </span>
                <button
                  v-if="line.state === 'going'"
                  type="button"
                  class="link"
                  @click="steer(line.mailingId, 'paused')"
                >
                  pause
                </button>
                <button v-else type="button" class="link" @click="steer(line.mailingId, 'going')">
                  go on
                </button>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
    <p v-if="schedule && !schedule.lines.length" class="quiet">
      When a mailing is released or a letter is kept for later, each day on which something leaves stands
      here.
      <router-link to="/mailings">To the mailings</router-link>
    </p>
    <TimingDialog
      v-if="chosen"
      v-model="open"
      :mailing-id="chosen.id"
      :timing="chosen.draft.timing"
      @changed="load"
    />
  </div>
</template>

<style scoped>
.head {
  margin-bottom: 14px;
}
.day {
  max-width: 900px;
  margin-bottom: 14px;
  padding: 10px 16px 4px;
}
.day h2 {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  font-size: 16px;
}
.day h2 .quiet {
  font: 14px var(--sans);
}
.hidden {
  position: absolute;
  clip-path: inset(50%);
}
.when {
  width: 130px;
}
.what {
  overflow-wrap: anywhere;
}
.count {
  width: 80px;
  text-align: right;
}
.acts {
  width: 150px;
  text-align: right;
}
.name {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
</style>
