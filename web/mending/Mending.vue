<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';
import { DoublePage, GapCounts } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { LATER } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import DoubleRows from './DoubleRows.vue';
import GapRows from './GapRows.vue';
import Merges from './Merges.vue';
import { GAP_LIST } from './mending.ts';

/** Records that want a look: what is here twice, missing or odd, each a list to work through. */
const route = useRoute();
const concerns = { records: true, doubles: true } as const;
const {
  data: counts,
  problem,
  load: readCounts,
} = useLoad(GapCounts, () => '/upkeep', {
  concerns,
  moment: LATER,
});
const doubles = (subject: string) =>
  useLoad(DoublePage, () => ({ path: '/doubles', query: { subject, limit: 1 } }), {
    concerns,
    moment: LATER,
  });
const { data: clients, load: readClients } = doubles('client');
const { data: people, load: readPeople } = doubles('person');
const load = () => Promise.all([readCounts(), readClients(), readPeople()]);

interface List {
  key: string;
  title: string;
  count: number | undefined;
}
const lists = computed((): List[] => [
  { key: 'client', title: 'Clients who may be here twice', count: clients.value?.total },
  { key: 'person', title: 'People who may be here twice', count: people.value?.total },
  ...GAP_LIST.map(({ gap, title }) => ({
    key: gap,
    title,
    count: counts.value?.find((each) => each.gap === gap)?.count,
  })),
]);
const chosen = computed(() => String(route.query.list ?? 'client'));
const info = computed(() => GAP_LIST.find(({ gap }) => gap === chosen.value));
const heading = computed(() => lists.value.find(({ key }) => key === chosen.value)?.title ?? 'Lately merged');
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <div>
        <h1>Mending</h1>
        <p class="quiet">What is here twice, missing or odd in the records.</p>
      </div>
    </header>
    <Trouble :words="problem" :retry="load" />
    <div class="columns">
      <nav aria-label="Lists to work through" class="lists">
        <router-link
          v-for="each in lists"
          :key="each.key"
          :to="{ query: { list: each.key } }"
          class="list"
          :class="{ on: each.key === chosen, done: each.count === 0 }"
          :aria-current="each.key === chosen ? 'page' : undefined"
        >
          <span>{{ each.title }}</span>
          <span class="figures">{{
            each.count === undefined ? '' : each.count.toLocaleString('en-GB')
          }}</span>
        </router-link>
        <router-link
          :to="{ query: { list: 'merged' } }"
          class="list after"
          :class="{ on: chosen === 'merged' }"
          :aria-current="chosen === 'merged' ? 'page' : undefined"
          >Lately merged</router-link
        >
      </nav>
      <section class="work" :aria-label="heading">
        <h2>{{ heading }}</h2>
        <GapRows v-if="info" :info="info" @changed="load" />
        <Merges v-else-if="chosen === 'merged'" @changed="load" />
        <DoubleRows v-else :subject="chosen === 'person' ? 'person' : 'client'" @changed="load" />
      </section>
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr);
  gap: 24px;
  flex: 1;
  min-height: 0;
  margin-top: 14px;
}
.lists,
.work {
  overflow: auto;
  min-height: 0;
}
.lists {
  border-top: 1px solid var(--strong);
}
.list {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 6px 8px;
  border-bottom: 1px solid var(--hairline);
  color: var(--ink) !important;
  text-decoration: none;
}
.list:hover {
  background: var(--rail);
}
.list.on {
  background: var(--sheet);
  font-weight: 700;
  border-left: 3px solid var(--spruce);
}
.list.done {
  color: var(--ink-soft) !important;
}
.after {
  margin-top: 14px;
  border-top: 1px solid var(--hairline);
}
h2 {
  margin-bottom: 4px;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: 190px minmax(0, 1fr);
    gap: 14px;
  }
}
</style>
