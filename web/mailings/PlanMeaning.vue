<script setup lang="ts">
import { computed } from 'vue';
import { dayWords } from '../../core/office/day.ts';
import type { TimingPlan } from '../../contract/index.ts';
import { list, many, useTimes } from '../words.ts';

/** What a timing comes to: when the last message leaves, the busiest hour, the answers to expect. */
const props = defineProps<{ plan: TimingPlan }>();
const { full, clock } = useTimes();
const holidays = computed(() =>
  props.plan.holidays.length
    ? list(props.plan.holidays.map(({ day, name }) => (name ? `${name}, ${dayWords(day)}` : dayWords(day))))
    : 'none fall in these dates',
);
</script>

<template>
  <dl>
    <div>
      <dt>Last message leaves</dt>
      <dd>{{ plan.last ? full(plan.last) : 'nothing to send' }}</dd>
    </div>
    <div v-if="plan.busiest">
      <dt>Most in any one hour</dt>
      <dd class="figures">
        {{ plan.busiest.count.toLocaleString('en-GB')
        }}<template v-if="plan.allowedAnHour">
          of the {{ plan.allowedAnHour.toLocaleString('en-GB') }} allowed</template
        >, from {{ clock(plan.busiest.at) }}
      </dd>
    </div>
    <div>
      <dt>Answers to expect on the busiest day</dt>
      <dd class="figures">
        {{ plan.past.mailings ? `about ${plan.answersOnBusiestDay}` : 'not known yet' }}
      </dd>
    </div>
    <div>
      <dt>Holidays</dt>
      <dd>{{ holidays }}</dd>
    </div>
  </dl>
  <p class="quiet mt-2">
    <template v-if="plan.past.mailings"
      >Answers are reckoned from your last {{ many(plan.past.mailings, 'mailing') }}:
      {{ Math.round(plan.past.answersIn100) }} in 100 answered{{
        plan.past.answersIn100 ? `, ${Math.round(plan.past.withinDayIn100)} in 100 of them within a day` : ''
      }}.</template
    ><template v-else>With your first mailing sent, the answers to expect are reckoned from it.</template>
  </p>
  <p v-for="words in plan.remarks" :key="words" class="mt-2"><b class="waits">Look</b> {{ words }}</p>
</template>

<style scoped>
dl {
  margin: 4px 0;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  padding: 5px 0;
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
.waits {
  color: var(--ochre);
}
</style>
