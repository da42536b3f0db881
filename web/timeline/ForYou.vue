<script setup lang="ts">
import { ref } from 'vue';
import { DuePage, type TimelineEntry } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';
import { company, KIND_WORDS } from './words.ts';

/** What of the timeline wants whoever is signed in: called by a colleague, reminded, passed, coming. */
const FEW = 4;
const MORE = 50;
const { full } = useTimes();
const limit = ref(FEW);
const {
  data: page,
  problem,
  load,
} = useLoad(DuePage, () => ({ path: '/timeline/due', query: { limit: limit.value } }), {
  concerns: { timeline: true },
});
const trouble = ref('');
async function seen(id: number) {
  try {
    await act('POST', `/timeline/${id}/seen`);
    trouble.value = '';
    await load();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
type Why = DuePage['rows'][number]['why'];
function why(reason: Why, entry: TimelineEntry): string {
  const when = full(entry.at);
  if (reason === 'told') return `${entry.by} calls you`;
  if (reason === 'reminder') return 'You asked to be reminded';
  const what = [KIND_WORDS[entry.kind], company(entry)].filter(Boolean).join(' ');
  return reason === 'passed' ? `${what}, ${when}: how did it go?` : `${what}, ${when}`;
}
const place = ({ id, file }: TimelineEntry) => ({
  path: `/clients/${file.clientId}`,
  query: { file: file.id, entry: id },
});
</script>

<template>
  <section v-if="page?.total || problem" class="for-you" aria-labelledby="for-you">
    <header>
      <h2 id="for-you">For you</h2>
      <a href="/api/timeline/calendar" download class="quiet">What is planned, for a calendar (.ics)</a>
    </header>
    <Trouble :words="problem || trouble" :retry="load" />
    <ul v-if="page">
      <li v-for="{ why: reason, entry } in page.rows" :key="entry.id">
        <span :class="{ needs: reason === 'told', ochre: reason === 'passed' || reason === 'reminder' }">{{
          why(reason, entry)
        }}</span>
        <router-link :to="place(entry)" class="words">{{ entry.words }}</router-link>
        <span class="quiet clip">{{ entry.file.clientName }}, {{ entry.file.number }}</span>
        <button
          v-if="reason === 'told' || reason === 'reminder'"
          type="button"
          class="link"
          @click="seen(entry.id)"
        >
          seen to
        </button>
      </li>
    </ul>
    <button
      v-if="page && page.total > page.rows.length && limit === FEW"
      type="button"
      class="link"
      @click="limit = MORE"
    >
      {{ page.total - page.rows.length }} more
    </button>
  </section>
</template>

<style scoped>
.for-you {
  margin-bottom: 22px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  margin-bottom: 8px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--strong);
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  padding: 7px 4px;
  border-bottom: 1px solid var(--hairline);
  font-size: 13px;
}
li .link {
  min-height: 24px;
}
li > :first-child,
.words {
  grid-column: 1 / -1;
}
.words {
  font-size: 14px;
  font-weight: 700;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.clip {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.ochre {
  color: var(--ochre);
}
</style>
