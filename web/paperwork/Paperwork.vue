<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import { Made, PacksPage, RunsPage, type PaperKind } from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, useTimes } from '../words.ts';
import { KINDS, standing } from './words.ts';

/** Letters, fee notes and statements: what is at hand, what has gone, and what goes by post. */
const LIMIT = 30;
const router = useRouter();
const session = useSession();
const { brief, day } = useTimes();
const may = computed(() => session.may('prepare paperwork'));
const offset = ref(0);
const { data, problem, load } = useLoad(
  RunsPage,
  () => ({ path: '/paperwork', query: { offset: offset.value, limit: LIMIT } }),
  { concerns: { paperwork: true } },
);
const packOffset = ref(0);
const PACKS = 10;
const {
  data: packs,
  problem: packProblem,
  load: loadPacks,
} = useLoad(
  PacksPage,
  () => ({ path: '/paperwork/packs', query: { offset: packOffset.value, limit: PACKS } }),
  {
    concerns: { paperwork: true },
  },
);
const COLUMNS = [
  { words: 'Run' },
  { words: 'What', width: 100 },
  { words: 'Dated', right: true, width: 96 },
  { words: 'How it stands' },
  { words: 'Begun by', width: 130 },
  { words: '', width: 116 },
];
const PACK_COLUMNS = [
  { words: 'Pack' },
  { words: 'Made', right: true, width: 96 },
  { words: 'By', width: 130 },
  { words: 'Pieces', right: true, width: 80 },
  { words: 'How it stands' },
];
const STATES = { waiting: 'is being put together', made: '', failed: 'could not be put together' };

async function begin(kind: Exclude<PaperKind, 'reminder'>) {
  try {
    const { id } = await send('POST', Made, '/paperwork', { kind });
    await router.push(`/paperwork/${id}`);
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const asking = ref(false);
const duplex = ref(true);
const busy = ref(false);
const failed = ref('');
async function pack() {
  busy.value = true;
  try {
    const { id } = await send('POST', Made, '/paperwork/packs', { duplex: duplex.value });
    asking.value = false;
    await router.push(`/paperwork/packs/${id}`);
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const going = ref<{ id: number; name: string } | null>(null);
const dropping = computed({
  get: () => going.value !== null,
  set: (open) => {
    if (!open) going.value = null;
  },
});
async function drop() {
  try {
    await act('DELETE', `/paperwork/${going.value?.id}`);
    going.value = null;
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
    going.value = null;
  }
}
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <h1>Paperwork</h1>
        <p class="quiet">Made, read, released; emailed or posted.</p>
      </div>
      <span v-if="may" class="acts">
        <v-btn @click="router.push('/paperwork/templates')">Templates…</v-btn>
        <v-btn @click="router.push('/paperwork/reminders')">Reminders…</v-btn>
        <v-btn @click="begin('fee note')">Fee notes</v-btn>
        <v-btn @click="begin('statement')">Statements</v-btn>
        <v-btn color="primary" variant="flat" @click="begin('letter')">Letters</v-btn>
      </span>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="runs"
    >
      <template #row="{ row }">
        <td>
          <router-link :to="`/paperwork/${row.id}`">{{ row.name }}</router-link>
        </td>
        <td>{{ KINDS[row.kind].many }}</td>
        <td class="right figures">{{ day(`${row.day}T12:00:00Z`) }}</td>
        <td>{{ row.state === 'draft' ? 'being written' : standing(row.counts) }}</td>
        <td>{{ row.owner }}</td>
        <td class="right">
          <button
            v-if="may && !row.counts.released"
            type="button"
            class="link"
            :aria-label="`Throw ${row.name} away`"
            @click="going = row"
          >
            throw away
          </button>
        </td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">
          Nothing has been made yet. Begin with letters to some of your clients, or with a statement for all
          who have something open.
        </p>
      </template>
    </PagedTable>
    <section class="post" aria-label="The post">
      <header class="head">
        <h2>The post</h2>
        <span v-if="packs?.waiting">
          <strong>{{ many(packs.waiting, 'piece') }}</strong> to be printed
          <v-btn v-if="may" class="ml-3" size="small" @click="asking = true">Make a print pack…</v-btn>
        </span>
        <span v-else class="quiet">Nothing waits to be printed.</span>
      </header>
      <Trouble :words="packProblem" :retry="loadPacks" class="mb-2" />
      <PagedTable
        v-if="packs?.total"
        v-model:offset="packOffset"
        :columns="PACK_COLUMNS"
        :rows="packs.rows"
        :row-key="(row) => row.id"
        :total="packs.total"
        :limit="PACKS"
        what="print packs"
      >
        <template #row="{ row }">
          <td>
            <router-link :to="`/paperwork/packs/${row.id}`">Print pack {{ row.id }}</router-link>
          </td>
          <td class="right figures">{{ brief(row.madeAt) }}</td>
          <td>{{ row.by }}</td>
          <td class="right figures">{{ row.pieces }}</td>
          <td>
            {{
              STATES[row.state] ||
              (row.posted === row.pieces ? 'all posted' : `${row.posted} of ${row.pieces} posted`)
            }}
          </td>
        </template>
      </PagedTable>
    </section>
    <AskDialog v-model="asking" label="Make a print pack" :max-width="480">
      <p>
        All {{ many(packs?.waiting ?? 0, 'piece') }} that wait become one PDF in envelope order, with a list
        on top.
      </p>
      <v-checkbox v-model="duplex" label="it is printed on both sides: each begins on a sheet of its own" />
      <p v-if="failed" class="needs" role="alert">{{ failed }}</p>
      <template #answers>
        <v-btn @click="asking = false">Not now</v-btn>
        <v-btn color="primary" variant="flat" :loading="busy" @click="pack">Make it</v-btn>
      </template>
    </AskDialog>
    <AskDialog v-model="dropping" label="Throw it away" :max-width="440">
      <p>“{{ going?.name }}” and its pieces go. None of them was released.</p>
      <template #answers>
        <v-btn @click="going = null">Keep it</v-btn>
        <v-btn color="error" variant="flat" @click="drop">Throw it away</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 8px 16px;
  margin-bottom: 14px;
}
.acts {
  display: flex;
  gap: 8px;
}
.post {
  margin-top: 30px;
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
