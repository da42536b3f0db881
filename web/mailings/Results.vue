<script setup lang="ts">
import { computed } from 'vue';
import VChart from 'vue-echarts';
import type { Fared, MailingResults } from '../../contract/index.ts';
import { bars } from '../parts/bars.ts';
import { COLOURS } from '../theme.ts';
import { many, useTimes } from '../words.ts';
import { FARED_WORDS } from './fared.ts';

/** What became of a mailing, as an account: each figure shows its copies. */
const fared = defineModel<Fared>({ required: true });
const props = defineProps<{ results: MailingResults }>();
const { clock, day, full } = useTimes();

const GOING: readonly Fared[] = ['all', 'sent', 'waiting', 'returned', 'uncertain', 'cancelled'];
const CAME: readonly Fared[] = ['answered', 'silent', 'opened', 'unopened', 'followed', 'opted out'];
const COUNTED: readonly Fared[] = ['opened', 'unopened', 'followed'];
/** Of those that may be none only what there is. */
const RARE: readonly Fared[] = ['waiting', 'uncertain', 'cancelled'];
const shown = (list: readonly Fared[]) =>
  list.filter((each) => {
    const count = props.results.counts[each];
    if (each === fared.value) return true;
    return RARE.includes(each) || (COUNTED.includes(each) && !props.results.counted) ? count > 0 : true;
  });
const groups = computed(() => [
  { words: 'Copies', lines: shown(GOING) },
  { words: 'What came of them', lines: shown(CAME) },
]);

const points = computed(() => props.results.overTime.points);
const label = (at: string) => (props.results.overTime.unit === 'hour' ? clock(at) : day(at));
const option = computed(() => {
  const bar = (name: string, color: string, of: 'sent' | 'opened' | 'answered') => ({
    name,
    type: 'bar',
    data: points.value.map((point) => point[of]),
    itemStyle: { color },
    barMaxWidth: 14,
  });
  return bars(
    points.value.map(({ at }) => label(at)),
    [
      bar('sent', COLOURS.straw, 'sent'),
      ...(props.results.counted ? [bar('opened', COLOURS.indigo, 'opened')] : []),
      bar('answered', COLOURS.spruce, 'answered'),
    ],
  );
});
const spoken = computed(() =>
  points.value
    .filter(({ sent, opened, answered }) => sent + opened + answered > 0)
    .slice(0, 40)
    .map(
      ({ at, sent, opened, answered }) => `${full(at)}: ${sent} sent, ${opened} opened, ${answered} answered`,
    )
    .join('; '),
);
</script>

<template>
  <section class="results" aria-label="What became of it">
    <template v-for="group in groups" :key="group.words">
      <h2>{{ group.words }}</h2>
      <ul>
        <li v-for="each in group.lines" :key="each">
          <button
            type="button"
            class="plain line"
            :class="{ on: fared === each }"
            :aria-pressed="fared === each"
            @click="fared = each"
          >
            <span>{{ FARED_WORDS[each] }}</span><strong
              class="figures"
              :class="{ needs: (each === 'returned' || each === 'uncertain') && results.counts[each] > 0 }"
              >{{ results.counts[each].toLocaleString('en-GB') }}</strong
            >
          </button>
        </li>
      </ul>
    </template>
    <template v-if="results.links.length && results.counted">
      <h2>Links</h2>
      <ul>
        <li v-for="link in results.links" :key="link.href" class="link-line">
          <span class="clip" :title="link.href">{{ link.words || link.href }}</span>
          <strong class="figures" :title="many(link.times, 'time')">{{ many(link.people, 'reader') }}</strong>
        </li>
      </ul>
    </template>
    <template v-if="points.length">
      <h2>When, by the {{ results.overTime.unit }}</h2>
      <v-chart class="chart" :option="option" autoresize role="img" :aria-label="`When: ${spoken}`" />
      <p class="legend quiet">
        <span><i class="sent" /> sent</span><span v-if="results.counted"><i class="opened" /> opened</span
        ><span><i class="answered" /> answered</span>
      </p>
    </template>
    <p class="quiet mt-4">
      <template v-if="results.counted"
        >Openings are counted by a small picture: programs that hide pictures are not seen, and some that look
        at mail for their people are. That one was not seen to be opened proves nothing.</template
      ><template v-else>Openings and links are not counted for this mailing.</template>
    </p>
  </section>
</template>

<style scoped>
h2 {
  margin: 14px 0 4px;
}
h2:first-child {
  margin-top: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.line,
.link-line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  width: 100%;
  padding: 4px 8px;
  border-bottom: 1px solid var(--hairline);
}
.line {
  border-left: 3px solid transparent;
}
.line:hover {
  background: var(--sheet);
}
.line.on {
  background: var(--sheet);
  border-left-color: var(--spruce);
}
.link-line strong {
  white-space: nowrap;
}
.clip {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.chart {
  height: 140px;
}
.legend {
  display: flex;
  gap: 4px 14px;
}
.legend i {
  display: inline-block;
  width: 10px;
  height: 10px;
}
i.sent {
  background: var(--straw);
}
i.opened {
  background: var(--indigo);
}
i.answered {
  background: var(--spruce);
}
</style>
