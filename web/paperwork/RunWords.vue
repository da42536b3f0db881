<script setup lang="ts">
import { computed, reactive, ref, toRaw, useTemplateRef } from 'vue';
import { useEventListener } from '@vueuse/core';
import { onBeforeRouteLeave, useRouter } from 'vue-router';
import { z } from 'zod';
import {
  Count,
  FactInfo,
  MailingEnclosure,
  MailingSender,
  RunDraft,
  RunReach,
  RunSaved,
  TemplatesPage,
  Wording,
  type PaperKind,
  type RunView,
} from '../../contract/index.ts';
import { SIGNED_FACT } from '../../core/facts/catalogue.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { act, send, wordsOf } from '../api.ts';
import PutFact from '../mailings/PutFact.vue';
import PutWording from '../mailings/PutWording.vue';
import Trouble from '../parts/Trouble.vue';
import OpenKept from '../selection/OpenKept.vue';
import { useAutosave } from '../ui/autosave.ts';
import DateField from '../ui/DateField.vue';
import { useLoad } from '../ui/load.ts';
import { list, many, size } from '../words.ts';
import KeptDialog from '../writing/KeptDialog.vue';
import Tabs from '../ui/Tabs.vue';
import RunText from './RunText.vue';
import { KINDS } from './words.ts';

/** The words of a run, for whom it is and how it goes: kept as they are typed, until its pieces are made. */
const props = defineProps<{ run: RunView }>();
const emit = defineEmits<{ made: [] }>();
const router = useRouter();
const draft = reactive<RunDraft>(structuredClone(toRaw(props.run).draft));
let version = props.run.version;
const autosave = useAutosave(
  () => {
    const parsed = RunDraft.safeParse(draft);
    return parsed.success ? parsed.data : null;
  },
  async (content) => {
    const saved = await send('PUT', RunSaved, `/paperwork/${props.run.id}`, { ...content, version });
    ({ version } = saved);
    void readReach();
  },
);
const wrong = computed(() => {
  const { error } = RunDraft.safeParse(draft);
  return Object.fromEntries((error?.issues ?? []).map(({ path, message }) => [String(path[0]), message]));
});

/** Whether all that was typed is kept: what is not right as it stands cannot be. */
const keptAll = async () => !Object.keys(wrong.value).length && (await autosave.save());
onBeforeRouteLeave(
  async () =>
    (await keptAll()) ||
    window.confirm('What you changed last could not be kept. Leave this page all the same, and lose it?'),
);
useEventListener(window, 'beforeunload', (event) => {
  if (autosave.unsaved.value || Object.keys(wrong.value).length) event.preventDefault();
});

const { data: facts } = useLoad(z.array(FactInfo), () => '/paperwork/facts');
const { data: templates } = useLoad(
  TemplatesPage,
  () => ({ path: '/paperwork/templates', query: { offset: 0, limit: 200 } }),
  { concerns: { paperwork: true } },
);
const template = computed(() => templates.value?.rows.find(({ id }) => id === draft.templateId));
const chosen = computed(() => [
  { value: null, title: 'written here' },
  ...(templates.value?.rows ?? []).map(({ id, title }) => ({ value: id, title })),
]);
const CARRIES = [
  { value: 'pdf', title: 'PDF' },
  { value: 'docx', title: 'word-processor document' },
];
const { data: senders } = useLoad(z.array(MailingSender), () => '/mailings/senders', {
  concerns: { mailboxes: true },
});
const { data: wordings, load: readWordings } = useLoad(z.array(Wording), () => ({
  path: '/wordings',
  query: { for: 'mailings' },
}));
const {
  data: reach,
  problem: unreached,
  load: readReach,
} = useLoad(RunReach, () => `/paperwork/${props.run.id}/reach`, { concerns: { records: true } });
const boxes = computed(() =>
  (senders.value ?? []).map(({ id, name, address }) => ({ value: id, title: `${name}, ${address}` })),
);
const notes = computed(() => props.run.kind !== 'letter');
const offered = computed(() =>
  (facts.value ?? []).filter(
    ({ key, source }) =>
      (notes.value || source !== 'fee note') && (part.value === 'paper' || key !== SIGNED_FACT.key),
  ),
);

const part = ref<'paper' | 'mail'>('paper');
const PARTS = computed(() => [
  { value: 'paper' as const, words: `The ${what.value.one}` },
  { value: 'mail' as const, words: 'The message that carries it' },
]);
/** What stands below the words of each. */
const BELOW: Partial<Record<PaperKind, string>> = {
  statement: 'each fee note, what is open in all and how old it is',
  'fee note': 'what for, tax, what is to be paid by when',
  reminder: 'each fee note that is over its day, since when, and what they come to',
};
const paper = useTemplateRef<InstanceType<typeof RunText>>('paper');
const mail = useTemplateRef<InstanceType<typeof RunText>>('mail');
const text = computed(() => (part.value === 'paper' ? paper.value : mail.value));
const trouble = ref('');

const { data: enclosed, load: readEnclosed } = useLoad(
  z.array(MailingEnclosure),
  () => `/paperwork/${props.run.id}/enclosures`,
);
const choosing = ref(false);
async function attempt(work: () => Promise<void>) {
  try {
    await work();
    await readEnclosed();
    trouble.value = '';
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
const enclose = (id: number) => {
  choosing.value = false;
  return attempt(() => act('POST', `/paperwork/${props.run.id}/enclosures/kept`, { wordingIds: [id] }));
};
const takeOff = (id: number) => attempt(() => act('DELETE', `/paperwork/${props.run.id}/enclosures/${id}`));
const busy = ref(false);
async function make() {
  busy.value = true;
  try {
    const [first] = Object.values(wrong.value);
    trouble.value = first ?? '';
    if (!(await keptAll())) return;
    await send('POST', Count, `/paperwork/${props.run.id}/make`, { version });
    emit('made');
  } catch (error) {
    trouble.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
function pick(selection: Selection) {
  draft.selection = selection;
}
const what = computed(() => KINDS[props.run.kind]);
const about = computed(() => {
  const { pieces = 0, clients = 0, first = [] } = reach.value ?? {};
  if (!pieces)
    return props.run.kind === 'reminder'
      ? 'Nobody is due for it today.'
      : notes.value
        ? 'Nothing is open there.'
        : 'That is nobody.';
  const named = clients > first.length ? [...first.slice(0, 4), `${clients - 4} more`] : first;
  return `${many(pieces, what.value.one)}: ${list(named)}.`;
});
</script>

<template>
  <div class="run">
    <header class="head">
      <v-text-field
        v-model="draft.name"
        label="What it is called"
        class="name"
        :error-messages="wrong.name"
      />
      <span class="quiet state" role="status">{{
        autosave.problem.value ? '' : autosave.unsaved.value ? 'Keeping …' : 'Kept'
      }}</span>
      <v-btn @click="router.push('/paperwork')">To the others</v-btn>
      <v-btn color="primary" variant="flat" :disabled="!reach?.pieces" :loading="busy" @click="make"
        >Make {{ many(reach?.pieces ?? 0, what.one) }}</v-btn
      >
    </header>
    <Trouble :words="autosave.problem.value || trouble || unreached" class="mb-2" />
    <div class="two">
      <div v-if="facts" class="write">
        <Tabs v-model="part" label="What is written" :tabs="PARTS" />
        <v-select
          v-if="part === 'paper' && chosen.length > 1"
          v-model="draft.templateId"
          :items="chosen"
          label="Its words"
          class="words"
        />
        <p v-if="template && part === 'paper'" class="sheet from">
          It is made of
          <router-link :to="`/paperwork/templates/${template.id}`">{{ template.title }}</router-link>,
          {{ template.filename
          }}<span v-if="template.unmatched" class="needs"
            >: {{ many(template.unmatched, 'field') }} of it to be matched first</span
          >. {{ templates?.without }}
        </p>
        <RunText
          v-show="part === 'paper' && !template"
          ref="paper"
          v-model:subject="draft.subject"
          v-model:body="draft.body"
          about="About"
          line-label="What it is about"
          :body-label="`Words of the ${what.one}`"
          :facts="offered"
          :stock="wordings ?? []"
          @trouble="trouble = $event"
        >
          <p v-if="BELOW[run.kind]" class="figures-below quiet">
            The figures stand below these words: {{ BELOW[run.kind] }}, and how to pay.
          </p>
        </RunText>
        <RunText
          v-show="part === 'mail'"
          ref="mail"
          v-model:subject="draft.mailSubject"
          v-model:body="draft.mailBody"
          about="Subject"
          line-label="Subject of the message"
          body-label="Words of the message"
          :facts="offered"
          :stock="wordings ?? []"
          @trouble="trouble = $event"
        />
      </div>
      <aside class="side" tabindex="0" role="region" aria-label="For whom, and how it goes">
        <h2>For whom</h2>
        <p>{{ about }}</p>
        <p class="mt-1 picks">
          <OpenKept subject="client" @open="pick" />
        </p>
        <p class="quiet mt-1">
          To pick them out by anything you know of them, begin under
          <router-link to="/selections/new">Selections</router-link>.
        </p>
        <h2>Dated</h2>
        <DateField v-model="draft.day" label="Day" :error-messages="wrong.day ?? []" />
        <template v-if="notes">
          <v-checkbox v-model="draft.slip" label="a slip to be sent with what is paid" />
          <v-text-field
            v-if="run.kind === 'statement'"
            v-model.number="draft.paidMonths"
            type="number"
            min="0"
            max="60"
            label="Months of what was paid"
            :error-messages="wrong.paidMonths"
          />
        </template>
        <h2>By email</h2>
        <v-select
          v-model="draft.senderId"
          :items="[{ value: null, title: 'each client’s adviser' }, ...boxes]"
          label="From"
        />
        <v-select
          v-model="draft.answersId"
          :items="[{ value: null, title: 'whoever it comes from' }, ...boxes]"
          label="Answers go to"
          class="mt-2"
        />
        <v-select v-if="template" v-model="draft.carries" :items="CARRIES" label="Enclosed as" class="mt-2" />
        <v-text-field
          v-model="draft.hiddenCopy"
          label="A hidden copy of each to"
          class="mt-2"
          :error-messages="wrong.hiddenCopy"
        />
        <h2>With every message</h2>
        <ul class="enclosed">
          <li v-for="each in enclosed ?? []" :key="each.id">
            <span class="clip" :title="each.filename">{{ each.filename }}</span>
            <span class="quiet figures">{{ size(each.size) }}</span>
            <button
              type="button"
              class="link"
              :aria-label="`Take ${each.filename} off`"
              @click="takeOff(each.id)"
            >
              take off
            </button>
          </li>
        </ul>
        <v-btn size="small" class="mt-1" @click="choosing = true">From the cupboard…</v-btn>
        <p class="quiet mt-1">
          PDFs are printed with what is posted, too; anything else wants to be laid in by hand.
        </p>
        <KeptDialog v-model="choosing" @choose="enclose" />
        <template v-if="part === 'mail' || !template">
          <PutFact class="put" :facts="offered" :target="text?.target" :blocks="text?.blocks ?? true" />
          <PutWording
            v-model:subject="draft.subject"
            :wordings="wordings ?? []"
            :editor="text?.editor"
            :body="part === 'paper' ? draft.body : draft.mailBody"
            @changed="readWordings"
          />
        </template>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.run {
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  margin-bottom: 12px;
}
.name {
  flex: 1 1 260px;
}
.state {
  min-width: 60px;
}
.two {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 280px;
  gap: 18px;
}
.write {
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-height: 0;
  flex: 1;
}
.words {
  flex: none;
  margin-top: 8px;
  max-width: 420px;
}
.from {
  padding: 14px;
}
.figures-below {
  margin: 8px 20px 18px;
  padding-top: 8px;
  border-top: 1px dashed var(--strong);
}
.side {
  overflow: auto;
  padding: 2px 4px;
}
.side h2 {
  border-bottom: 1px solid var(--strong);
  padding-bottom: 4px;
  margin: 18px 0 10px;
}
.enclosed {
  list-style: none;
  margin: 0;
  padding: 0;
}
.enclosed li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.clip {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.put {
  margin-top: 18px;
}
.side h2:first-child {
  margin-top: 0;
}
@media (max-width: 1000px) {
  .two {
    grid-template-columns: minmax(0, 1fr) 210px;
  }
}
</style>
