<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { DoubleView, Made, MergeUndone, type MergeDraft } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';

/** Two records side by side: which is kept, and of each field whose stands. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const may = computed(() => session.may('merge records'));
const {
  data: pair,
  problem,
  load,
} = useLoad(DoubleView, () => ({
  path: '/doubles/view',
  query: { subject: String(route.params.subject), a: Number(route.params.a), b: Number(route.params.b) },
}));
type Side = 'a' | 'b';
const kept = ref<Side>('a');
const other = computed<Side>(() => (kept.value === 'a' ? 'b' : 'a'));
/** Whose field stands, where somebody said so; else what usually does. */
const chosen = reactive<Record<string, Side | 'both'>>({});
watch(pair, () => {
  for (const name of Object.keys(chosen)) delete chosen[name];
});
type Field = DoubleView['fields'][number];
const isSame = (field: Field) => field.a === field.b;
const fields = computed(() => pair.value?.fields.filter(({ a, b }) => a || b) ?? []);
const differing = computed(() => fields.value.filter((field) => !isSame(field)));
const alike = computed(() => fields.value.filter(isSame));
/** What is known stands rather than nothing; else the kept one's. */
function usual({ a, b, list }: Field): Side | 'both' {
  if (list) return 'both';
  const own = { a, b };
  return own[kept.value] ? kept.value : other.value;
}
const stands = (field: Field) => chosen[field.name] ?? usual(field);
const saidOf = (field: Field): MergeDraft['whose'][string] => {
  const side = stands(field);
  return side === 'both' ? 'both' : side === kept.value ? 'kept' : 'dropped';
};
const trouble = ref('');
const busy = ref(false);
const merged = ref<number | null>(null);
async function attempt(work: () => Promise<void>) {
  busy.value = true;
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const merge = () =>
  attempt(async () => {
    const now = pair.value;
    if (!now) return;
    const draft: MergeDraft = {
      subject: now.subject,
      keptId: now[kept.value].id,
      droppedId: now[other.value].id,
      whose: Object.fromEntries(differing.value.map((field) => [field.name, saidOf(field)])),
      stamp: now.stamp,
    };
    merged.value = (await send('POST', Made, '/merges', draft)).id;
  });
const part = () =>
  attempt(async () => {
    await send('POST', MergeUndone, `/merges/${merged.value}/undo`, {});
    merged.value = null;
    await load();
  });
const back = () => router.push({ path: '/mending', query: { list: String(route.params.subject) } });
const SIDES = ['a', 'b'] as const;
</script>

<template>
  <div class="screen">
    <header class="head">
      <div>
        <p class="quiet"><button type="button" class="link" @click="back">Mending</button></p>
        <h1>Two or one?</h1>
      </div>
    </header>
    <Trouble :words="problem || trouble" :retry="load" />
    <div v-if="merged !== null && pair" class="sheet merged" role="status">
      <p>
        <strong>{{ pair[other].name }}</strong> is part of <strong>{{ pair[kept].name }}</strong> now, with
        all that hung on it.
      </p>
      <p>
        <button type="button" class="link" @click="part">Part them again</button>
        <button type="button" class="link" @click="back">To the list</button>
      </p>
    </div>
    <form v-else-if="pair" @submit.prevent="merge">
      <table class="sheet pair">
        <thead>
          <tr>
            <th scope="col"><span class="visually-hidden">Field</span></th>
            <th v-for="side in SIDES" :key="side" scope="col" :class="{ kept: side === kept }">
              <label>
                <input v-model="kept" type="radio" name="kept" :value="side" :disabled="!may" />
                {{ pair[side].name }}
              </label>
              <span class="quiet">{{ pair[side].more }}</span>
              <span class="quiet">{{ pair.hanging[side] }}</span>
              <span class="quiet state">{{ side === kept ? 'is kept' : 'becomes part of it' }}</span>
            </th>
            <th scope="col" class="both">Both</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="field in differing" :key="field.name">
            <th scope="row">{{ field.label }}</th>
            <td v-for="side in SIDES" :key="side" :class="{ stands: [side, 'both'].includes(stands(field)) }">
              <label>
                <input
                  type="radio"
                  :name="field.name"
                  :checked="stands(field) === side"
                  :disabled="!may"
                  :aria-label="`${field.label} of ${pair[side].name}`"
                  @change="chosen[field.name] = side"
                />
                {{ field[side] || 'nothing' }}
              </label>
            </td>
            <td class="both" :class="{ stands: stands(field) === 'both' }">
              <input
                v-if="field.list"
                type="radio"
                :name="field.name"
                :checked="stands(field) === 'both'"
                :disabled="!may"
                :aria-label="`${field.label} of both`"
                @change="chosen[field.name] = 'both'"
              />
            </td>
          </tr>
          <tr v-for="field in alike" :key="field.name" class="alike">
            <th scope="row">{{ field.label }}</th>
            <td colspan="3">{{ field.a }} <span class="quiet">in both</span></td>
          </tr>
        </tbody>
      </table>
      <div class="answers">
        <span class="quiet"
          >Files, mail, fee notes and the timeline of both are kept. It can be taken back.</span
        >
        <v-btn @click="back">Not now</v-btn>
        <v-btn v-if="may" type="submit" color="primary" variant="flat" :loading="busy"
          >Make one of them</v-btn
        >
      </div>
    </form>
  </div>
</template>

<style scoped>
.pair {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
  margin-top: 14px;
}
.pair th,
.pair td {
  text-align: left;
  vertical-align: top;
  padding: 6px 12px;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
  font-weight: 400;
}
.pair thead th {
  border-bottom: 1px solid var(--strong);
}
.pair thead th > * {
  display: block;
}
.pair thead label {
  font: 600 17px/1.3 var(--serif);
}
.pair th:first-child {
  width: 150px;
  color: var(--ink-soft);
}
.pair input {
  accent-color: var(--spruce);
}
.pair .both {
  width: 64px;
  text-align: center;
}
.kept {
  border-top: 3px double var(--spruce);
}
.state {
  font-style: normal;
}
.kept .state {
  color: var(--spruce);
  font-weight: 700;
}
.stands {
  background: var(--spruce-pale);
}
td:not(.stands) label {
  color: var(--ink-soft);
}
.alike td,
.alike th {
  color: var(--ink-soft);
}
.answers {
  align-items: center;
  margin-top: 14px;
}
.answers .quiet {
  margin-right: auto;
}
.merged {
  padding: 14px 18px;
  margin-top: 14px;
  border-left: 4px double var(--spruce);
}
.merged .link {
  margin-right: 16px;
}
</style>
