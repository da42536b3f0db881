<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { z } from 'zod';
import { ImportLine, ImportView, Made, type ImportState } from '../../contract/index.ts';
import { act, send, upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { many, size, useTimes } from '../words.ts';
import ImportColumns from './ImportColumns.vue';
import ImportOutcomes from './ImportOutcomes.vue';

/** Clients, their people and files brought in from a list: its columns, what it would do, done, taken back. */
const MOST_BYTES = 64 * 1024 * 1024;
const route = useRoute();
const router = useRouter();
const { day } = useTimes();
const id = computed(() => (route.params.id ? Number(route.params.id) : null));
const {
  data: run,
  problem,
  load,
} = useLoad(ImportView, () => (id.value === null ? null : `/imports/${id.value}`), {
  concerns: { imports: about('import', () => [id.value]) },
});
const { data: earlier, problem: notListed } = useLoad(z.array(ImportLine), () => '/imports', {
  concerns: { imports: true },
});
watch(id, () => {
  run.value = null;
  trouble.value = '';
});
const trouble = ref('');
const busy = ref(false);
const over = ref(false);
const STATES: Record<ImportState, string> = {
  chosen: 'columns not said yet',
  checking: 'being tried',
  checked: 'tried, not brought in',
  running: 'being brought in',
  done: 'brought in',
  undoing: 'being taken back',
  undone: 'taken back',
};

async function attempt(work: () => Promise<void>) {
  trouble.value = '';
  busy.value = true;
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const take = (file: File | null | undefined) =>
  attempt(async () => {
    if (!file) return;
    if (file.size > MOST_BYTES) {
      trouble.value = `“${file.name}” has ${size(file.size)}; a list may have 64 MB. Bring it in in parts.`;
      return;
    }
    const made = Made.parse(await upload('/imports', { filename: file.name }, file));
    await router.push(`/clients/import/${made.id}`);
  });
function dropped(event: DragEvent) {
  over.value = false;
  void take(event.dataTransfer?.files[0]);
}
function chosen(event: Event) {
  const input = event.target as HTMLInputElement;
  void take(input.files?.[0]);
  // The same file may be chosen again once it is mended.
  input.value = '';
}
const check = (columns: (string | null)[], existing: 'change' | 'leave') =>
  attempt(async () => {
    run.value = await send('PUT', ImportView, `/imports/${id.value}`, { columns, existing });
  });
const bringIn = () =>
  attempt(async () => {
    run.value = await send('POST', ImportView, `/imports/${id.value}/run`, {});
  });
const undoing = ref(false);
const undo = () =>
  attempt(async () => {
    undoing.value = false;
    run.value = await send('POST', ImportView, `/imports/${id.value}/undo`, {});
  });
const drop = () =>
  attempt(async () => {
    await act('DELETE', `/imports/${id.value}`);
    await router.push('/clients/import');
  });
/** The columns are said again. */
const again = ref(false);
const state = computed(() => run.value?.state);
watch(state, () => (again.value = false));
const atWork = computed(() => ['checking', 'running', 'undoing'].includes(state.value ?? ''));
const share = computed(() => (run.value?.of ? (100 * run.value.through) / run.value.of : 0));
const does = computed(() => (run.value?.counts.add ?? 0) + (run.value?.counts.change ?? 0));
</script>

<template>
  <div class="screen">
    <p v-if="id !== null" class="quiet">
      <router-link to="/clients/import">Bring in another list</router-link>
    </p>
    <h1>{{ run?.filename ?? 'Bring a list in' }}</h1>
    <Trouble :words="problem || notListed || trouble" :retry="load" class="my-2" />
    <template v-if="id === null">
      <p class="quiet">
        Clients with their people, files, fields and fee notes from a CSV list, as any spreadsheet saves it,
        or from business cards (vCard). You see what each row would do before anything is changed, and can
        take all of it back.
      </p>
      <label
        class="sheet drop"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="dropped"
      >
        <input
          type="file"
          class="visually-hidden"
          accept=".csv,.tsv,.txt,.vcf,text/csv,text/vcard"
          @change="chosen"
        />
        <strong>{{ busy ? 'Reading it …' : 'Choose a list' }}</strong>
        <span class="quiet">or drop it here. Whatever parts its columns, in any encoding.</span>
      </label>
      <template v-if="earlier?.length">
        <h2 class="mt-6 mb-2">Brought in before</h2>
        <table class="ledger-table sheet lists">
          <tbody>
            <tr v-for="each in earlier" :key="each.id">
              <td>
                <router-link :to="`/clients/import/${each.id}`">{{ each.filename }}</router-link>
              </td>
              <td class="quiet">{{ many(each.rows, 'row') }}</td>
              <td class="quiet">{{ day(each.madeAt) }}, {{ each.by }}</td>
              <td>{{ STATES[each.state] }}</td>
            </tr>
          </tbody>
        </table>
      </template>
    </template>
    <template v-else-if="run">
      <p class="quiet">
        {{ many(run.rows, 'row')
        }}{{ run.delimiter === 'card' ? ' from cards' : `, parted by ${run.delimiter}` }},
        {{ run.encoding.toUpperCase() }}; taken in {{ day(run.madeAt) }} by {{ run.by }};
        {{ STATES[run.state] }}.
      </p>
      <ImportColumns v-if="state === 'chosen' || again" :run="run" :busy="busy" @check="check" />
      <template v-else>
        <div v-if="atWork" class="progress" role="status">
          <v-progress-linear :model-value="share" :aria-label="STATES[run.state]" />
          <p class="quiet mt-1">
            {{ run.through.toLocaleString('en-GB') }} of {{ run.of.toLocaleString('en-GB') }}
            {{ state === 'checking' ? 'tried' : state === 'running' ? 'brought in' : 'steps taken back' }}. It
            goes on when you leave this screen.
          </p>
        </div>
        <p v-if="run.problem" class="needs my-2">
          {{ state === 'undone' ? `Some of it stays: ${run.problem}` : run.problem }}
        </p>
        <div class="acts">
          <template v-if="state === 'checked'">
            <v-btn color="primary" variant="flat" :disabled="!does" :loading="busy" @click="bringIn">
              Bring {{ many(does, 'row') }} in
            </v-btn>
            <v-btn @click="again = true">Change the columns</v-btn>
            <v-btn @click="drop">Forget this list</v-btn>
          </template>
          <v-btn v-if="state === 'done'" :disabled="busy" @click="undoing = true">Take all of it back</v-btn>
          <v-btn v-if="state === 'done' || state === 'undone'" to="/clients">To the clients</v-btn>
        </div>
        <ImportOutcomes v-if="state !== 'checking'" :run="run" />
      </template>
    </template>
    <AskDialog v-model="undoing" label="Take all of it back">
      <p>
        What this list added goes, and what it changed is as before. What somebody has worked on since, or has
        correspondence by now, stays and is told.
      </p>
      <template #answers>
        <v-btn @click="undoing = false">Not now</v-btn>
        <v-btn color="error" variant="flat" @click="undo">Take it back</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.drop {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 4px;
  padding: 40px 20px;
  margin-top: 14px;
  border: 1px dashed var(--strong);
  cursor: pointer;
}
.drop:focus-within {
  outline: 2px solid var(--indigo);
}
.drop.over {
  background: var(--spruce-pale);
}
.progress {
  max-width: 560px;
  margin: 12px 0;
}
.acts {
  display: flex;
  gap: 8px;
  margin: 12px 0;
}
.lists {
  max-width: 900px;
}
</style>
