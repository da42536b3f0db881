<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue';
import {
  AutoFiledKind,
  AutoFiledPage,
  AutoFiledRow,
  SortDone,
  type FileRef,
  type Sort,
} from '../../contract/index.ts';
import { useRoute } from 'vue-router';
import { z } from 'zod';
import { get, send } from '../api.ts';
import { useKeys } from '../ui/keys.ts';
import { useLive } from '../ui/live.ts';
import MessageDialog from '../message/MessageDialog.vue';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import KeyCap from '../parts/KeyCap.vue';
import { useRequestQueue } from '../parts/requestQueue.ts';
import Pager from '../parts/Pager.vue';
import Reasons from '../parts/Reasons.vue';
import Trouble from '../parts/Trouble.vue';
import { useLatest } from '../ui/latest.ts';
import { many, useTimes } from '../words.ts';

/** What was settled without a person, day by day: quick to scan, and to correct. */
const LIMIT = 100;
const { clock, dayName } = useTimes();
const KINDS: Record<AutoFiledKind, string> = { logged: 'filed', aside: 'set aside', unconnected: 'nobody’s' };
const { query } = useRoute();
const state = ref<AutoFiledKind>(AutoFiledKind.catch('logged').parse(query.kind));
const day = ref<string | null>(typeof query.day === 'string' ? query.day : null);
const daysWithAny = computed(() => (page.value?.days ?? []).filter((each) => each[state.value] > 0));
const offset = ref(0);
const page = ref<AutoFiledPage | null>(null);
const at = ref(0);
const { ask, problem } = useLatest();
const said = ref('');
const undoId = ref<number | null>(null);
const opened = ref<number | null>(null);
const finding = ref(false);
/** Others settled for the same reason as the one just corrected, and where that one went. */
const alike = ref<{ rows: AutoFiledRow[]; to: Sort['to'] } | null>(null);
const listElement = ref<HTMLElement | null>(null);

const rows = computed(() => page.value?.rows ?? []);
const row = computed(() => rows.value[at.value]);

async function load() {
  const query = { day: day.value, state: state.value, offset: offset.value, limit: LIMIT };
  const found = await ask(() => get(AutoFiledPage, '/filing/alone', query));
  if (!found) return;
  page.value = found;
  day.value = found.day;
  at.value = Math.min(at.value, Math.max(0, rows.value.length - 1));
}
void load();
useLive({ sorting: true }, () => void (busy.value || load()));
// Another kind begins at the latest day that has any of it.
watch(state, () => (day.value = null));
watch([day, state], ([now, kind], [before, kindBefore]) => {
  // The day that loading itself chose is loaded already.
  if (kind === kindBefore && (now === null || before === null)) return;
  offset.value = 0;
  at.value = 0;
  void load();
});
watch(at, async () => {
  await nextTick();
  listElement.value?.querySelector('[aria-current="true"]')?.scrollIntoView({ block: 'nearest' });
});

/** What is settled leaves the list at once; the requests follow in order. */
const { busy, follow } = useRequestQueue(async (words) => {
  await load();
  problem.value = words;
});

function settle(ids: number[], to: Sort['to']) {
  const [messageId, ...alsoIds] = ids;
  if (!messageId) return;
  const gone = new Set(ids);
  if (page.value) {
    const left = rows.value.filter((each) => !gone.has(each.id));
    page.value = { ...page.value, rows: left };
    at.value = Math.min(at.value, Math.max(0, left.length - 1));
  }
  alike.value = null;
  void follow(async (last) => {
    const done = await send('POST', SortDone, '/sorting', { messageId, alsoIds, to });
    said.value = done.words;
    undoId.value = done.stepId;
    if (to.kind !== 'right' && ids.length === 1) {
      const others = await get(z.array(AutoFiledRow), `/messages/${messageId}/alike`);
      if (others.length) alike.value = { rows: others, to };
    }
    if (!last()) return;
    await load();
    goOn();
  });
}

/** A day that is done gives way to the one before it. */
function goOn() {
  if (rows.value.length || !page.value) return;
  const before = page.value.days.find((each) => each.day < (day.value ?? '') && each[state.value] > 0);
  if (before) day.value = before.day;
}
function undo() {
  void follow(async () => {
    if (undoId.value === null) return;
    said.value = (await send('POST', SortDone, `/sorting/steps/${undoId.value}/undo`, {})).words;
    undoId.value = null;
    alike.value = null;
    await load();
  });
}
const choose = (file: FileRef) =>
  row.value && void settle([row.value.id], { kind: 'files', fileIds: [file.id] });
const allRight = () =>
  void settle(
    rows.value.map((each) => each.id),
    { kind: 'right' },
  );

useKeys(
  {
    ArrowDown: () => (at.value = Math.min(at.value + 1, rows.value.length - 1)),
    ArrowUp: () => (at.value = Math.max(at.value - 1, 0)),
    Enter: () => (opened.value = row.value?.id ?? null),
    f: () => (finding.value = true),
    x: () => row.value && void settle([row.value.id], { kind: 'aside' }),
    b: () => row.value && void settle([row.value.id], { kind: 'sorting' }),
    y: () => row.value && void settle([row.value.id], { kind: 'right' }),
    u: undo,
  },
  { unless: () => finding.value || opened.value !== null },
);
</script>

<template>
  <div class="screen screen-fixed">
    <header class="head">
      <div>
        <p class="quiet"><router-link to="/sorting">Sorting</router-link></p>
        <h1>Look them over</h1>
        <p class="quiet">Settled without you. A correction teaches at once; “right” teaches too.</p>
      </div>
      <p class="keys quiet" aria-label="Keys">
        <span><KeyCap letter="↓" /><KeyCap letter="↑" /> move</span><span><KeyCap letter="↵" /> open</span
        ><span><KeyCap letter="Y" /> right</span><span><KeyCap letter="F" /> another file</span
        ><span><KeyCap letter="B" /> back into Sorting</span><span><KeyCap letter="X" /> not client mail</span
        ><span><KeyCap letter="U" /> undo</span>
      </p>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <p class="said" role="status">
      <template v-if="said">{{ said }}. </template>
      <button v-if="undoId !== null" type="button" class="link" @click="undo">Undo</button>
    </p>
    <div v-if="alike" class="sheet alike" role="alertdialog" aria-label="Filed for the same reason">
      <p>
        <strong>{{ many(alike.rows.length, 'other message') }}</strong> with the same correspondent
        {{ alike.rows.length === 1 ? 'was' : 'were' }} settled for the same reason: “{{
          alike.rows[0]?.subject
        }}”<template v-if="alike.rows.length > 1"> and more</template>.
      </p>
      <v-btn
        size="small"
        @click="
          settle(
            alike.rows.map((each) => each.id),
            alike.to,
          )
        "
        >Move {{ alike.rows.length === 1 ? 'it' : 'them' }} too</v-btn
      >
      <v-btn size="small" @click="alike = null">Leave them</v-btn>
    </div>
    <div class="over">
      <nav class="sheet days" aria-label="Days">
        <div class="kinds" role="group" aria-label="What was done">
          <button
            v-for="(name, kind) in KINDS"
            :key="kind"
            type="button"
            class="plain"
            :aria-pressed="state === kind"
            @click="state = kind"
          >
            {{ name }}
          </button>
        </div>
        <button
          v-for="each in daysWithAny"
          :key="each.day"
          type="button"
          class="plain day"
          :aria-current="each.day === day"
          @click="day = each.day"
        >
          <span>{{ dayName(each.day) }}</span><span class="figures">{{
            each[state].toLocaleString('en-GB')
          }}</span>
        </button>
        <p v-if="page && !daysWithAny.length" class="quiet pa-3">
          {{
            state === 'unconnected'
              ? 'Nothing was set aside as nobody’s.'
              : 'Nothing in the last thirty days.'
          }}
        </p>
      </nav>
      <section class="sheet rows" aria-label="Settled without you">
        <div ref="listElement" class="scroll" tabindex="0" role="region" aria-label="Messages">
          <button
            v-for="(each, index) in rows"
            :key="each.id"
            type="button"
            class="plain line"
            :class="each.direction === 'received' ? 'edge-received' : 'edge-sent'"
            :aria-current="index === at"
            @click="at = index"
            @dblclick="opened = each.id"
          >
            <span class="figures quiet">{{ clock(each.at) }}</span>
            <span class="what"
              ><strong>{{ each.subject || '(no subject)' }}</strong
              ><span class="quiet clip">{{ each.from }} to {{ each.to }} · {{ each.snippet }}</span></span
            >
            <span class="where"
              ><FileTab
                v-for="file in each.files"
                :key="file.id"
                state="logged"
                :label="file.number"
                :title="file.title"
              /><FileTab v-if="!each.files.length" :state="each.state" /><span class="quiet clip">{{
                each.files[0]?.clientName ?? each.evidence[0]?.words
              }}</span></span
            >
          </button>
          <p v-if="page && !rows.length" class="quiet pa-6">
            Nothing is left to look over on this day: all of it was looked over, moved, or none came.
          </p>
        </div>
        <footer class="foot">
          <Pager
            :offset="offset"
            :limit="LIMIT"
            :total="page?.total ?? 0"
            what="messages"
            @move="
              (to) => {
                offset = to;
                at = 0;
                load();
              }
            "
          />
          <v-btn v-if="rows.length" size="small" :loading="busy" @click="allRight">{{
            rows.length === 1 ? 'This one is right' : `These ${rows.length} are right`
          }}</v-btn>
        </footer>
      </section>
      <aside v-if="row" class="why" aria-labelledby="why">
        <h2 id="why">Why it is there</h2>
        <p v-for="file in row.files" :key="file.id" class="mt-2">
          <FileTab state="logged" :label="file.number" /><br /><strong>{{ file.title }}</strong
          ><br /><router-link :to="`/clients/${file.clientId}`" class="quiet">{{
            file.clientName
          }}</router-link>
        </p>
        <p v-if="!row.files.length" class="mt-2"><FileTab :state="row.state" /></p>
        <Reasons :evidence="row.evidence" />
        <div class="acts">
          <v-btn color="primary" variant="flat" @click="settle([row.id], { kind: 'right' })"
            >Right&nbsp;<KeyCap letter="Y"
          /></v-btn>
          <v-btn @click="finding = true">Another file…&nbsp;<KeyCap letter="F" /></v-btn>
          <v-btn @click="opened = row.id">Open it&nbsp;<KeyCap letter="↵" /></v-btn>
          <v-btn @click="settle([row.id], { kind: 'sorting' })"
            >Back into Sorting&nbsp;<KeyCap letter="B"
          /></v-btn>
          <v-btn v-if="row.state === 'logged'" @click="settle([row.id], { kind: 'aside' })"
            >Not client mail&nbsp;<KeyCap letter="X"
          /></v-btn>
        </div>
      </aside>
    </div>
    <FileFinder v-model="finding" @choose="choose" />
    <MessageDialog v-model="opened" @changed="load" />
  </div>
</template>

<style scoped>
.alike {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 8px 12px;
  margin-bottom: 8px;
  border-color: var(--ochre);
}
.alike p {
  flex: 1;
}
.over {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 170px minmax(0, 1fr) 260px;
  gap: 16px;
}
.days,
.why {
  overflow: auto;
}
.kinds {
  display: grid;
  grid-template-columns: auto auto auto;
  border-bottom: 1px solid var(--strong);
}
@media (max-width: 1000px) {
  .kinds {
    grid-template-columns: 1fr;
  }
}
.kinds button {
  text-align: center;
  font-size: 13px;
  padding: 7px 0;
}
.kinds [aria-pressed='true'] {
  font-weight: 700;
  box-shadow: inset 0 -3px var(--spruce);
}
.day {
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 7px 12px;
  border-bottom: 1px solid var(--hairline);
  border-left: 4px solid transparent;
}
.day[aria-current='true'] {
  border-left-color: var(--spruce);
  background: var(--spruce-pale);
  font-weight: 700;
}
.rows {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.scroll {
  flex: 1;
  overflow: auto;
  min-height: 0;
}
.line {
  display: grid;
  grid-template-columns: 48px minmax(0, 1fr) minmax(110px, 190px);
  gap: 10px;
  width: 100%;
  align-items: center;
  padding: 6px 10px;
  border-bottom: 1px solid var(--hairline);
}
.line.edge-sent {
  padding-left: 14px;
}
.line.edge-received {
  padding-right: 14px;
}
.line[aria-current='true'] {
  background: var(--spruce-pale);
}
.what,
.where {
  display: block;
  min-width: 0;
}
.what strong,
.clip {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.foot {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 0 12px 8px;
  border-top: 1px solid var(--hairline);
}
.foot > :first-child {
  flex: 1;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 12px;
}
@media (max-width: 1100px) {
  .over {
    grid-template-columns: 120px minmax(0, 1fr) 200px;
    gap: 10px;
  }
  .line {
    grid-template-columns: 42px minmax(0, 1.5fr) minmax(90px, 1fr);
    gap: 6px;
  }
}
</style>
