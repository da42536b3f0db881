<script setup lang="ts">
import { computed, ref } from 'vue';
import { Sample, type SampleRow } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import MessageDialog from '../message/MessageDialog.vue';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import { many, useTimes } from '../words.ts';

/** Twenty messages of last week that were filed without a person: rightly or not, and what that says of all of them. */
const session = useSession();
const { brief, date } = useTimes();
const {
  data: sample,
  problem,
  load,
} = useLoad(Sample, () => '/filing/sample', { concerns: { filing: true } });
const shown = ref(false);
const failed = ref('');
const opened = ref<number | null>(null);
const open = computed(() => sample.value?.rows.filter(({ verdict }) => verdict === null).length ?? 0);
const may = computed(() => session.may('sort mail'));
const percent = (share: number) => `${(100 * share).toFixed(1)} %`;
const estimate = computed(() => {
  const now = sample.value?.estimate;
  if (!now) return 'Nothing of a sample has been looked at yet.';
  return `Of ${many(now.looked, 'message')} looked at in twelve weeks ${now.wrong} lay wrong: ${percent(now.share)}, and between ${percent(now.from)} and ${percent(now.to)} of all, as surely as nineteen times in twenty.`;
});
async function judge(row: SampleRow, verdict: SampleRow['verdict']) {
  try {
    await act('PUT', '/filing/sample', { week: sample.value?.week, messageId: row.messageId, verdict });
    failed.value = '';
    await load();
    // What lies wrong is put right where it is opened.
    if (verdict === 'wrong') opened.value = row.messageId;
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
</script>

<template>
  <section aria-labelledby="sample">
    <h2 id="sample" class="mt-6">Looked at by lot</h2>
    <p>{{ estimate }}</p>
    <Trouble :words="problem || failed" :retry="load" />
    <p v-if="sample" class="quiet">
      <template v-if="!sample.rows.length"
        >Nothing was filed without a person in the week of {{ date(`${sample.week}T12:00:00Z`) }}.</template
      ><template v-else
        >{{ many(sample.rows.length, 'message') }} drawn from the week of
        {{ date(`${sample.week}T12:00:00Z`) }}, {{ open ? `${open} to be looked at` : 'all looked at' }}.
        <button type="button" class="link" :aria-expanded="shown" @click="shown = !shown">
          {{ shown ? 'Fold them' : 'Look at them' }}
        </button></template
      >
    </p>
    <ul v-if="shown && sample" class="sheet">
      <li v-for="row in sample.rows" :key="row.messageId">
        <button type="button" class="plain what" @click="opened = row.messageId">
          <span class="quiet figures">{{ brief(row.at) }}</span> <strong>{{ row.from }}</strong>:
          {{ row.subject || 'no subject' }}
          <span class="quiet cut">{{ row.snippet }}</span>
          <span v-if="row.file">{{ row.file.number }}, {{ row.file.title }} · {{ row.file.client }}</span>
        </button>
        <span v-if="row.verdict" class="quiet"
          ><span :class="{ needs: row.verdict === 'wrong' }">{{ row.verdict }}</span
          >, {{ row.judgedBy }}
          <button v-if="may" type="button" class="link" @click="judge(row, null)">after all</button></span
        >
        <span v-else-if="may" class="answers-row">
          <v-btn size="small" :aria-label="`Right: ${row.subject}`" @click="judge(row, 'right')">Right</v-btn>
          <v-btn size="small" :aria-label="`Wrong: ${row.subject}`" @click="judge(row, 'wrong')">Wrong</v-btn>
        </span>
      </li>
    </ul>
    <MessageDialog v-model="opened" @changed="load" />
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
}
.what {
  display: block;
  min-height: 24px;
}
.cut {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.answers-row {
  display: flex;
  gap: 6px;
}
</style>
