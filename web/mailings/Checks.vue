<script setup lang="ts">
import { computed, ref } from 'vue';
import { z } from 'zod';
import type { Checks } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { many, size } from '../words.ts';
import { useKeys } from '../ui/keys.ts';
import { useLoad } from '../ui/load.ts';
import { useMailingDraft } from './mailingDraft.ts';
import MendDialog from './MendDialog.vue';
import OwnCopy from './OwnCopy.vue';
import { usePreviews } from './previews.ts';
import TurnClients from './TurnClients.vue';

/** The message as each client will read it, one after another, and what is missing in any of them. */
const editing = useMailingDraft();
const session = useSession();
const { checks, preview, at, problem, load, show, next, before } = usePreviews();
const id = computed(() => editing.mailing?.id ?? 0);
/** How it is looked at. */
const SHOWN = {
  desk: 'At a desk',
  narrow: 'On a telephone',
  plain: 'As plain text',
  source: 'As it leaves',
} as const;
const shown = ref<keyof typeof SHOWN>('desk');
/** Whom the test copy goes to; null: oneself. */
const reader = ref<number | null>(null);
const colleagues = computed(() => session.session?.colleagues ?? []);
/** What the sending domains say of themselves: the DNS may keep one waiting, and nothing else waits for it. */
const { data: domain } = useLoad(z.array(z.string()), () => `/mailings/${id.value}/sending-domain`);
const mending = ref<Checks['missing'][number] | null>(null);
const mayMend = computed(() => session.may('change the records'));
const tested = ref('');
const sending = ref(false);
/** The words of the copy shown are being changed by hand. */
const changing = ref(false);
function changed(kept: boolean) {
  changing.value = false;
  if (kept) void load();
}
async function asAll() {
  try {
    await act('DELETE', `/mailings/${id.value}/copies/${preview.value?.key ?? ''}`);
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const shortWords = computed(() => {
  const short = preview.value?.short;
  if (!short) return '';
  const dear = short.dear.length
    ? `; ${short.dear.map((letter) => `“${letter}”`).join(', ')} makes it dear`
    : '';
  return `${many(short.parts, 'part')}, ${short.currency} ${short.price.toFixed(2)}${dear}`;
});
const missing = computed(() => [
  ...new Map((checks.value?.missing ?? []).map((row) => [row.key, row])).values(),
]);

const showCopy = (key: string) => void show(checks.value?.order.indexOf(key) ?? 0);
/** Documents of their own that more than a few have not: all of them are taken out at once. */
const lacking = computed(() => {
  const found = (checks.value?.missing ?? []).filter(({ field }) => field.startsWith('document:'));
  const labels = [...new Set(found.map(({ label }) => label))];
  return labels
    .map((label) => [label, found.filter((row) => row.label === label)] as const)
    .filter(([, rows]) => rows.length > 3);
});
function takeOut(rows: readonly Checks['missing'][number][]) {
  const { draft } = editing;
  for (const { clientId, picks } of rows)
    if (clientId) draft?.selection.removed.push(...picks);
    else if (draft?.colleagues)
      draft.colleagues = (
        draft.colleagues === 'all' ? colleagues.value.map((each) => each.id) : draft.colleagues
      ).filter((each) => !picks.includes(each));
  void load();
}
async function test() {
  if (!preview.value) return;
  sending.value = true;
  tested.value = '';
  try {
    await act('POST', `/mailings/${id.value}/test`, {
      key: preview.value.key,
      staffId: reader.value ?? undefined,
    });
    const colleague = colleagues.value.find((each) => each.id === reader.value);
    tested.value = `A test copy is on its way to ${colleague?.name ?? session.session?.staff.email}.`;
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    sending.value = false;
  }
}
const readers = computed(() => [
  { value: null, title: 'me' },
  ...colleagues.value
    .filter(({ id: each }) => each !== session.session?.staff.id)
    .map(({ id: value, name: title }) => ({ value, title })),
]);
void load();
useKeys({ ArrowRight: next, ArrowLeft: before }, { unless: () => changing.value });
const frame = computed(() => (preview.value ? preview.value.html : ''));
</script>

<template>
  <div class="checks">
    <section class="sheet seen edge-sent" aria-label="Preview">
      <Trouble :words="problem" :retry="load" class="ma-3" />
      <OwnCopy v-if="changing && preview" :key="preview.key" :of="preview" @done="changed" />
      <template v-else-if="preview && checks">
        <header>
          <p><span class="quiet">From</span> {{ preview.from }}</p>
          <p><span class="quiet">To</span> {{ preview.to }}</p>
          <h2 v-if="!preview.short" class="mt-1">{{ preview.subject || '(no subject)' }}</h2>
        </header>
        <pre v-if="preview.short" class="text telephone" tabindex="0">{{ preview.text }}</pre>
        <pre v-else-if="shown === 'plain' || shown === 'source'" class="text" tabindex="0">{{
          shown === 'plain' ? preview.text : preview.source
        }}</pre>
        <iframe
          v-else
          class="frame"
          :class="{ narrow: shown === 'narrow' }"
          sandbox=""
          :srcdoc="frame"
          title="The message as this client will read it"
          tabindex="0"
        />
      </template>
      <p v-else-if="checks && !checks.order.length" class="quiet pa-5">
        Nobody would receive this yet. Choose recipients in step 1.
      </p>
    </section>
    <aside class="side">
      <TurnClients
        v-if="checks && checks.order.length && !changing"
        :at="at"
        :of="checks.order.length"
        @before="before"
        @next="next"
      />
      <p v-if="preview" class="mt-2">
        <strong>{{ preview.client }}</strong><br /><span class="quiet">{{
          preview.short ? shortWords : `${size(preview.size)}, HTML and plain text`
        }}</span
        ><template v-if="preview.own"><br /><b class="look">Changed by hand</b></template>
      </p>
      <p v-if="preview && !changing" class="acts">
        <button v-if="preview.clientId" type="button" class="link" @click="changing = true">
          change this one’s words…
        </button>
        <button v-if="preview.own" type="button" class="link" @click="asAll">let it say what all say</button>
      </p>
      <ul v-if="!preview?.short" class="ways" aria-label="How it is shown">
        <li v-for="(words, way) in SHOWN" :key="way">
          <button
            type="button"
            class="link"
            :aria-pressed="shown === way"
            :class="{ on: shown === way }"
            @click="shown = way"
          >
            {{ words }}
          </button>
        </li>
      </ul>
      <h2 class="mt-5">What was found</h2>
      <ul v-if="checks" class="found">
        <li v-for="words in checks.problems" :key="words"><b class="needs">Settle</b> {{ words }}</li>
        <li v-for="[label, rows] in lacking" :key="label">
          <b class="needs">Settle</b> {{ label }} is missing for {{ many(rows.length, 'client') }}.
          <button type="button" class="link" @click="takeOut(rows)">Take all of them out</button>
        </li>
        <li v-for="row in missing" :key="row.key">
          <b class="needs">Settle</b> {{ row.label }} is missing for
          <button type="button" class="link" @click="showCopy(row.key)">{{ row.client }}</button>
          <template v-if="row.field.startsWith('document:')"
            ><span> · </span
            ><router-link :to="`/clients/${row.clientId}?show=documents`"
              >their documents</router-link
            ></template
          ><template v-else-if="mayMend && row.clientId"
            ><span> · </span
            ><button
              type="button"
              class="link"
              :aria-label="`Mend it for ${row.client}`"
              @click="mending = row"
            >
              mend it…
            </button></template
          ><span> · </span><button type="button" class="link" @click="takeOut([row])">take out</button>
        </li>
        <li v-if="checks.own.length">
          <b class="look">Look</b> Changed by hand:
          <template v-for="(row, index) in checks.own" :key="row.key"
            ><template v-if="index">, </template
            ><button type="button" class="link" @click="showCopy(row.key)">{{ row.client }}</button></template
          >.
        </li>
        <li v-for="words in [...checks.remarks, ...(preview?.short ? [] : (domain ?? []))]" :key="words">
          <b class="look">Look</b> {{ words }}
        </li>
        <li v-if="!checks.problems.length && !missing.length">
          <b class="good">Done</b> Nothing is missing in {{ many(checks.recipients, 'message') }}.
        </li>
      </ul>
      <h2 class="mt-5">Try it yourself</h2>
      <p class="quiet mb-2">The message shown here, sent to one of you instead of the client.</p>
      <v-select v-model="reader" :items="readers" label="To" class="mb-2" />
      <v-btn :disabled="!preview" :loading="sending" @click="test">Send a test copy</v-btn>
      <p v-if="tested" class="mt-2" role="status"><b class="good">Done</b> {{ tested }}</p>
    </aside>
    <MendDialog v-model="mending" @mended="load" />
  </div>
</template>

<style scoped>
.checks {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 290px;
  gap: 20px;
}
.seen {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
header {
  padding: 12px 18px;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.frame {
  flex: 1;
  border: 0;
  width: 100%;
  background: #fff;
}
.text {
  flex: 1;
  overflow: auto;
  margin: 0;
  padding: 16px 20px;
  white-space: pre-wrap;
  font: 14px/1.5 var(--sans);
}
.text.telephone {
  width: min(375px, 100%);
  margin: 0 auto;
  border: 1px solid var(--strong);
  border-width: 0 1px;
}
.frame.narrow {
  width: 375px;
  flex: 1;
  margin: 0 auto;
  border: 1px solid var(--strong);
  border-width: 0 1px;
}
.ways {
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 0;
  margin: 6px 0 0;
}
.ways .link {
  min-height: 26px;
}
.ways .on {
  color: var(--ink);
  font-weight: 700;
  text-decoration: none;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  margin: 4px 0 0;
}
.side {
  overflow: auto;
}
.found {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
.found li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}

.look {
  color: var(--ochre);
}
.good {
  color: var(--spruce);
}
@media (max-width: 1000px) {
  .checks {
    grid-template-columns: minmax(0, 1fr) 220px;
  }
}
</style>
