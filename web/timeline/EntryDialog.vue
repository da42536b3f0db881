<script setup lang="ts">
import { DateTime } from 'luxon';
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import {
  EntryDraft,
  TimelineEntry,
  Wording,
  type EntryFields,
  type FileRef,
  type TimelineKind,
} from '../../contract/index.ts';
import { paragraph, renderLetter } from '../../core/merge/letter.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, get, send, wordsOf } from '../api.ts';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import { useRecord } from '../ui/record.ts';
import Theirs from '../ui/Theirs.vue';
import TimeField from '../ui/TimeField.vue';
import { useTimes } from '../words.ts';
import CallingField from './CallingField.vue';
import { useMoment } from './moments.ts';
import { KIND_WORDS } from './words.ts';

/** A note, a call or a meeting: written down, planned, changed. */
const shown = defineModel<number | 'new' | null>({ required: true });
const props = defineProps<{
  files: readonly FileRef[];
  /** The file it is on, where none is chosen. */
  fileId: number | null;
  people: readonly { id: number; name: string; role: string }[];
}>();
const emit = defineEmits<{ changed: []; removed: [id: number] }>();
const session = useSession();
const { full } = useTimes();
const FIELDS = [
  'kind',
  'fileId',
  'at',
  'endsAt',
  'state',
  'place',
  'words',
  'outcome',
  'personIds',
  'staffIds',
  'remindAt',
] as const;
const LABELS = {
  kind: 'Kind',
  fileId: 'File',
  at: 'When',
  endsAt: 'Until',
  state: 'State',
  place: 'Where',
  words: 'What',
  outcome: 'How it went',
  personIds: 'Who took part',
  staffIds: 'Colleagues',
  remindAt: 'Reminder',
};
const nothing = (): EntryFields => ({
  kind: 'note',
  fileId: props.fileId ?? props.files.find(({ general }) => general)?.id ?? props.files[0]?.id ?? 0,
  at: new Date().toISOString(),
  endsAt: null,
  state: 'done',
  place: '',
  words: '',
  outcome: '',
  personIds: [],
  staffIds: [],
  remindAt: null,
});
const known = ref<TimelineEntry | null>(null);
const fresh = ref<EntryFields | null>(null);
const pick = (from: EntryFields) =>
  Object.fromEntries(FIELDS.map((field) => [field, from[field]])) as unknown as EntryFields;
const record = useRecord<EntryFields>(
  () => (known.value ? pick(known.value) : fresh.value),
  nothing(),
  async (change) => {
    known.value = await send('PUT', TimelineEntry, `/timeline/${shown.value}`, change);
    return pick(known.value);
  },
);
const { form } = record;
const writing = useForm(EntryDraft, FIELDS);
const errorOf = (field: (typeof FIELDS)[number]) => [...record.errorOf(field), ...writing.errorOf(field)];
const trouble = ref('');
const open = computed({
  get: () => shown.value !== null,
  set: (now) => {
    if (!now) shown.value = null;
  },
});
async function attempt(work: () => Promise<void>) {
  trouble.value = '';
  try {
    await work();
  } catch (error) {
    trouble.value = wordsOf(error);
  }
}
watch(shown, async (now) => {
  trouble.value = '';
  keeping.value = '';
  said.value = false;
  writing.clear();
  record.undo();
  known.value = null;
  fresh.value = now === 'new' ? nothing() : null;
  if (typeof now === 'number')
    await attempt(async () => {
      const found = await get(TimelineEntry, `/timeline/${now}`);
      if (shown.value === now) known.value = found;
    });
});

const zone = () => session.zone;
const now = () => DateTime.now().setZone(session.zone);
const day = (iso: string) => DateTime.fromISO(iso, { zone: session.zone });
const begins = useMoment(
  zone,
  () => form.at,
  (instant) => {
    if (instant === null) return;
    const by = Date.parse(instant) - Date.parse(form.at);
    if (form.endsAt !== null) form.endsAt = new Date(Date.parse(form.endsAt) + by).toISOString();
    form.at = instant;
    // What lies ahead is planned, until somebody says otherwise.
    if (!said.value && form.kind !== 'note')
      form.state = instant > new Date().toISOString() ? 'planned' : 'done';
  },
  () => ({ day: now().toISODate() ?? '', time: now().toFormat('HH:mm') }),
);
const ends = useMoment(
  zone,
  () => form.endsAt,
  (instant) => (form.endsAt = instant),
  () => ({ day: day(form.at).toISODate() ?? '', time: day(form.at).toFormat('HH:mm') }),
);
/** Reminded in the morning, unless a time is given. */
const MORNING = '09:00';
const reminds = useMoment(
  zone,
  () => form.remindAt,
  (instant) => (form.remindAt = instant),
  () => ({ day: now().plus({ days: 1 }).toISODate() ?? '', time: MORNING }),
);
/** Somebody said whether it took place. */
const said = ref(false);
const STATES = [
  { title: 'Planned', value: 'planned' },
  { title: 'Took place', value: 'done' },
  { title: 'Called off', value: 'off' },
];
function become(kind: TimelineKind) {
  form.kind = kind;
  if (kind === 'note') {
    form.state = 'done';
    form.endsAt = null;
    form.place = '';
  }
}
const files = computed(() =>
  props.files.map(({ id, number, title }) => ({ value: id, title: `${number} ${title}` })),
);
const people = computed(() => {
  const own = props.people.map(({ id, name, role }) => ({ value: id, title: name || role }));
  const others = (known.value?.people ?? []).filter(({ id }) => !own.some(({ value }) => value === id));
  return [...own, ...others.map(({ id, name }) => ({ value: id, title: name }))];
});
const colleagues = computed(
  () => session.session?.colleagues.map(({ id, name }) => ({ value: id, title: name })) ?? [],
);

/** Who wrote it, whom it reminds and whom it tells. */
const standing = ({ by, reminds: whom, remindAt, told }: TimelineEntry) =>
  [
    `Written by ${by}`,
    ...(whom && remindAt ? [`reminds ${whom} on ${full(remindAt)}`] : []),
    ...told.map(({ name, seen }) => `${name} ${seen ? 'has seen to it' : 'is told of it'}`),
  ].join('; ');

/** The usual ones: chosen, they are written in; what is written can be kept as another. */
const usual = ref<Wording[]>([]);
async function readUsual() {
  const query = { file: form.fileId || null, for: 'notes' };
  usual.value = await get(z.array(Wording), '/wordings', query);
}
watch(
  () => [open.value, form.fileId] as const,
  ([isOpen]) => {
    if (isOpen) void attempt(readUsual);
  },
);
const textOf = (wording: Wording) =>
  renderLetter({ body: wording.body as DocNode, signature: [], quoted: '', plain: true }).text.trim();
function put(wording: Wording) {
  form.words = form.words.trim() ? `${form.words.trimEnd()}\n${textOf(wording)}` : textOf(wording);
}
const keeping = ref('');
const keepUsual = () =>
  attempt(async () => {
    const body = { type: 'doc', content: form.words.split('\n').map(paragraph) };
    await act('POST', '/wordings', { kind: 'note', name: keeping.value, body });
    keeping.value = '';
    await readUsual();
  });
const dropUsual = (id: number) =>
  attempt(async () => {
    await act('DELETE', `/wordings/${id}`);
    await readUsual();
  });

async function keep() {
  const done =
    shown.value === 'new'
      ? await writing.submit({ ...form }, async (draft) => {
          await send('POST', TimelineEntry, '/timeline', draft);
        })
      : await record.keep();
  if (!done) return;
  emit('changed');
  open.value = false;
}
const remove = () =>
  attempt(async () => {
    const id = Number(shown.value);
    await act('DELETE', `/timeline/${id}`);
    emit('removed', id);
    open.value = false;
  });
</script>

<template>
  <AskDialog
    v-model="open"
    :persistent="record.changed.value.length > 0"
    :max-width="720"
    label="A note, call or meeting"
  >
    <template #heading>{{ shown === 'new' ? 'Write down' : KIND_WORDS[form.kind] }}</template>
    <p v-if="trouble || writing.problem.value || record.problem.value" class="needs" role="alert">
      {{ trouble || writing.problem.value || record.problem.value }}
    </p>
    <form
      v-if="shown === 'new' || known"
      class="form-grid"
      @submit.prevent="keep"
      @keydown.ctrl.enter.prevent="keep"
    >
      <div class="wide kinds" role="radiogroup" aria-label="Kind">
        <button
          v-for="(title, kind) in KIND_WORDS"
          :key="kind"
          type="button"
          role="radio"
          class="plain kind"
          :aria-checked="form.kind === kind"
          :class="{ on: form.kind === kind }"
          @click="become(kind)"
        >
          {{ title }}
        </button>
      </div>
      <CallingField
        v-model="form.words"
        class="wide"
        autofocus
        label="What, first line first; @ calls a colleague"
        :error-messages="errorOf('words')"
      />
      <div v-if="usual.length || form.words.trim()" class="wide usual">
        <span v-for="wording in usual" :key="wording.id" class="one">
          <button type="button" class="link" @click="put(wording)">{{ wording.name }}</button>
          <button
            type="button"
            class="plain quiet"
            :aria-label="`Drop the usual wording ${wording.name}`"
            @click="dropUsual(wording.id)"
          >
            ×
          </button>
        </span>
        <details v-if="form.words.trim()">
          <summary>Keep this as a usual one</summary>
          <div class="keeping">
            <v-text-field
              v-model="keeping"
              label="Its name"
              maxlength="120"
              @keydown.enter.prevent="keepUsual"
            />
            <v-btn :disabled="!keeping.trim()" @click="keepUsual">Keep</v-btn>
          </div>
        </details>
      </div>
      <v-autocomplete
        v-model="form.fileId"
        :items="files"
        label="On the file"
        class="wide"
        :error-messages="errorOf('fileId')"
      />
      <DateField v-model="begins.day.value" label="Day" :error-messages="errorOf('at')" />
      <TimeField v-model="begins.time.value" label="At" />
      <template v-if="form.kind !== 'note'">
        <TimeField v-model="ends.time.value" label="Until" :error-messages="errorOf('endsAt')" />
        <v-select
          v-model="form.state"
          :items="STATES"
          label="State"
          :error-messages="errorOf('state')"
          @update:model-value="said = true"
        />
        <v-text-field
          v-if="form.kind === 'meeting'"
          v-model="form.place"
          label="Where"
          class="wide"
          :error-messages="errorOf('place')"
        />
        <v-autocomplete
          v-model="form.personIds"
          :items="people"
          label="With"
          multiple
          :error-messages="errorOf('personIds')"
        />
        <v-autocomplete
          v-model="form.staffIds"
          :items="colleagues"
          label="Colleagues who took part"
          multiple
          :error-messages="errorOf('staffIds')"
        />
        <CallingField
          v-if="form.state !== 'planned' || form.outcome"
          v-model="form.outcome"
          class="wide"
          label="How it went"
          :rows="2"
          :error-messages="errorOf('outcome')"
        />
      </template>
      <DateField
        v-model="reminds.day.value"
        label="Remind me on"
        clearable
        :error-messages="errorOf('remindAt')"
      />
      <TimeField v-if="form.remindAt" v-model="reminds.time.value" label="At" />
      <p v-if="known" class="quiet wide">
        {{ standing(known) }}
      </p>
      <div class="wide"><Theirs :record="record" :labels="LABELS" /></div>
      <div class="answers wide">
        <button v-if="known" type="button" class="link gone" @click="remove">Take it away</button>
        <a v-if="known && form.kind !== 'note'" :href="`/api/timeline/${known.id}/calendar`" download
          >For a calendar (.ics)</a
        >
        <v-btn @click="open = false">{{ record.changed.value.length ? 'Forget it' : 'Close' }}</v-btn>
        <v-btn
          type="submit"
          color="primary"
          variant="flat"
          :disabled="known !== null && !record.changed.value.length"
          :loading="writing.busy.value || record.busy.value"
          >Keep</v-btn
        >
      </div>
    </form>
  </AskDialog>
</template>

<style scoped>
.kinds {
  display: flex;
  border-bottom: 1px solid var(--strong);
  gap: 18px;
}
.kind {
  padding: 2px 2px 4px;
  color: var(--ink-soft);
}
.kind.on {
  color: var(--spruce);
  font-weight: 700;
  box-shadow: 0 3px 0 -1px var(--spruce);
}
.usual {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  font-size: 13px;
}
.one button + button {
  min-width: 24px;
  min-height: 24px;
  text-align: center;
}
.usual summary {
  cursor: pointer;
  color: var(--spruce);
}
.keeping {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
  min-width: 320px;
}
.answers {
  align-items: baseline;
}
.gone {
  margin-right: auto;
}
</style>
