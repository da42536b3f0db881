<script setup lang="ts">
import { computed, ref } from 'vue';
import VChart from 'vue-echarts';
import { z } from 'zod';
import { FilingScore, Rule } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import { bars } from '../parts/bars.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { COLOURS } from '../theme.ts';
import { many, useTimes } from '../words.ts';
import NobodysKinds from './NobodysKinds.vue';
import RuleDialog from './RuleDialog.vue';
import SaidAndRight from './SaidAndRight.vue';
import WeekSample from './WeekSample.vue';
import AskDialog from '../ui/AskDialog.vue';

/** How well filing does, and the office's own rules. */
const session = useSession();
const { brief, dayName } = useTimes();
const {
  data: score,
  problem,
  load: loadScore,
} = useLoad(FilingScore, () => '/filing/score', { concerns: { sorting: true }, moment: 2000 });
const {
  data: rules,
  problem: rulesProblem,
  load: loadRules,
} = useLoad(z.array(Rule), () => '/filing/rules', { concerns: { filing: true } });
const load = () => Promise.all([loadScore(), loadRules()]);
const ruling = ref(false);
const dropping = ref<Rule | null>(null);
const mayRule = computed(() => session.may('make rules'));

async function drop() {
  const rule = dropping.value;
  dropping.value = null;
  if (!rule) return;
  try {
    await act('DELETE', `/filing/rules/${rule.id}`);
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}

/** What evidence is called here; the same kinds that filing notes. */
const REASONS: Record<string, string> = {
  conversation: 'the conversation',
  returned: 'what a report or automatic answer was about',
  number: 'a file number',
  person: 'a known correspondent',
  'learned-address': 'an address learned from you',
  domain: 'a client’s own domain',
  name: 'a known name at a new address',
  mention: 'a client named in the words',
  'only-file': 'the only open file',
  general: 'nothing more particular',
  subject: 'subject and correspondent',
  title: 'words of the file’s title',
  words: 'words used on the file',
  habit: 'the last mail with them',
  named: 'a correspondent named on the file',
  automatic: 'sent by a machine',
  internal: 'between ourselves',
  list: 'sent to a list',
  nobody: 'nobody known, as before',
  unconnected: 'nothing connects it with a client',
  correspondent: 'a correspondent who is no client',
  rule: 'your own rule',
  mailing: 'a mailing’s release',
};
const share = (part: number, all: number) => (all ? `${((100 * part) / all).toFixed(1)} %` : 'none');
const totals = computed(() =>
  (score.value?.weeks ?? []).reduce(
    (sum, week) => ({
      alone: sum.alone + week.alone,
      all: sum.all + week.alone + week.byHand + week.waiting,
      corrected: sum.corrected + week.corrected,
    }),
    { alone: 0, all: 0, corrected: 0 },
  ),
);
const option = computed(() => {
  const weeks = score.value?.weeks ?? [];
  const bar = (name: string, color: string, of: (week: FilingScore['weeks'][number]) => number) => ({
    name,
    type: 'bar',
    stack: 'all',
    data: weeks.map(of),
    itemStyle: { color },
    barWidth: 22,
  });
  return bars(
    weeks.map((week) => dayName(week.week)),
    [
      bar('settled alone', COLOURS.spruce, (week) => week.alone - week.corrected),
      bar('corrected afterwards', COLOURS.brick, (week) => week.corrected),
      bar('sorted by hand', COLOURS.indigo, (week) => week.byHand),
      bar('waiting', COLOURS.straw, (week) => week.waiting),
    ],
  );
});
</script>

<template>
  <div class="screen">
    <h1>Filing</h1>
    <p class="quiet">
      <template v-if="score"
        >In twelve weeks {{ share(totals.alone, totals.all) }} of the mail was settled without anybody, and
        {{ share(totals.corrected, totals.alone) }} of that was corrected afterwards. It has learned from
        {{ many(score.lessons, 'decision') }} of yours, and, worth three quarters of one, from
        {{ many(score.evident, 'message') }} that {{ score.evident === 1 ? 'is' : 'are' }} certain by
        {{ score.evident === 1 ? 'itself' : 'themselves' }}.
        <router-link to="/sorting/over">Look them over</router-link></template
      >
    </p>
    <Trouble :words="problem || rulesProblem" :retry="load" class="my-2" />
    <div v-if="score" class="both">
      <section aria-labelledby="by-week">
        <h2 id="by-week">By week</h2>
        <div class="sheet chart">
          <VChart
            :option="option"
            autoresize
            class="canvas"
            role="img"
            :aria-label="`Mail settled alone, by hand and waiting in the last twelve weeks: ${share(totals.alone, totals.all)} alone`"
          />
          <p class="quiet legend">
            <span><i class="spruce" /> settled alone</span
            ><span><i class="brick" /> corrected afterwards</span
            ><span><i class="indigo" /> sorted by hand</span><span><i class="straw" /> waiting</span>
          </p>
        </div>
        <SaidAndRight :calibration="score.calibration" class="mt-4" />
        <h2 class="mt-4">By mailbox</h2>
        <table class="ledger-table sheet">
          <thead>
            <tr>
              <th>Mailbox</th>
              <th class="right">Settled alone</th>
              <th class="right">By hand</th>
              <th class="right">Corrected</th>
              <th class="right">Share alone</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="box in score.mailboxes" :key="box.owner">
              <td>{{ box.owner }}</td>
              <td class="right figures">{{ box.alone.toLocaleString('en-GB') }}</td>
              <td class="right figures">{{ box.byHand.toLocaleString('en-GB') }}</td>
              <td class="right figures">{{ box.corrected.toLocaleString('en-GB') }}</td>
              <td class="right figures">{{ share(box.alone, box.alone + box.byHand) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section aria-labelledby="rules">
        <div class="with-act">
          <h2 id="rules">The office’s rules</h2>
          <v-btn v-if="mayRule" @click="ruling = true">Make a rule…</v-btn>
        </div>
        <ul class="sheet rules">
          <li v-for="rule in rules" :key="rule.id">
            <span
              >{{ rule.words }}<br /><span class="quiet"
                >{{ rule.file ? `${rule.file.title}, ${rule.file.clientName}. ` : '' }}Made by
                {{ rule.madeBy }}, {{ brief(rule.madeAt) }}</span
              ></span
            >
            <v-btn v-if="mayRule" size="small" @click="dropping = rule">Drop</v-btn>
          </li>
          <li v-if="rules && !rules.length" class="quiet">
            None yet. Make one here, or from a message in Sorting with “Always so”.
          </li>
        </ul>
        <WeekSample />
        <NobodysKinds :kinds="score.unconnected" :may-change="mayRule" class="mt-4" @changed="load" />
        <h2 class="mt-4">What decided, and what failed most</h2>
        <table class="ledger-table sheet">
          <thead>
            <tr>
              <th>Weightiest evidence</th>
              <th class="right">Settled</th>
              <th class="right">Corrected</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="each in score.reasons" :key="each.reason">
              <td>{{ REASONS[each.reason] ?? each.reason }}</td>
              <td class="right figures">{{ each.alone.toLocaleString('en-GB') }}</td>
              <td class="right figures" :class="{ needs: each.corrected }">
                {{ each.corrected.toLocaleString('en-GB') }}
              </td>
            </tr>
            <tr v-if="!score.reasons.length">
              <td colspan="3" class="quiet">Nothing was settled alone yet.</td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>
    <RuleDialog v-model="ruling" @kept="load" />
    <AskDialog :model-value="dropping !== null" label="Drop the rule" @update:model-value="dropping = null">
      <template #heading>Drop this rule?</template>
      <p>{{ dropping?.words }}. What it has filed stays where it is.</p>

      <template #answers>
        <v-btn @click="dropping = null">Keep it</v-btn>
        <v-btn color="primary" variant="flat" @click="drop">Drop it</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 24px;
  margin-top: 14px;
}
h2 {
  margin-bottom: 8px;
}
.chart {
  padding: 8px 12px;
}
.canvas {
  height: 230px;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
}
.legend i {
  display: inline-block;
  width: 11px;
  height: 11px;
  margin-right: 4px;
}
.spruce {
  background: var(--spruce);
}
.brick {
  background: var(--brick);
}
.indigo {
  background: var(--indigo);
}
.straw {
  background: #e3d2a8;
}
.with-act {
  display: flex;
  justify-content: space-between;
  align-items: start;
}
.rules {
  list-style: none;
  padding: 0;
  margin: 0;
}
.rules li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 8px 12px;
  border-bottom: 1px solid var(--hairline);
}
@media (max-width: 1000px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
