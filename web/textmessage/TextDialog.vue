<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { Made, TextDesk, TextDraft } from '../../contract/index.ts';
import { textLength } from '../../core/textmessage/gsm.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { list, many, useTimes } from '../words.ts';

/** A text message to a client: to which number, how long it is and what it costs, told as one types. */
const props = defineProps<{
  clientId: number;
  fileId: number | null;
  /** To one of its people, or to one number. */
  to?: { personId?: number | null; number?: string };
}>();
const emit = defineEmits<{ close: []; sent: [] }>();
const session = useSession();
const { date } = useTimes();
const open = computed({ get: () => true, set: () => emit('close') });
const { data: desk, problem } = useLoad(TextDesk, () => `/clients/${props.clientId}/texts`);
const number = ref('');
const personId = ref<number | null>(props.to?.personId ?? null);
const file = ref<number | null>(props.fileId);
const text = ref('');
const agreed = ref('');
watch(desk, (now) => {
  if (!now || number.value) return;
  const first =
    now.numbers.find((each) => each.number === props.to?.number) ??
    now.numbers.find((each) => personId.value === null || each.personId === personId.value);
  number.value = props.to?.number ?? first?.number ?? '';
  if (first) personId.value = first.personId;
});
/** The number as it is known, if it is. */
const known = computed(() => desk.value?.numbers.find((each) => each.number === number.value) ?? null);
const numbers = computed(() => [...new Set((desk.value?.numbers ?? []).map((each) => each.number))]);
const whose = (each: string) =>
  list((desk.value?.numbers ?? []).filter((one) => one.number === each).map((one) => one.whose));
watch(known, (now) => {
  if (now) personId.value = now.personId;
});
const length = computed(() => textLength(text.value));
const money = (amount: number) => `${desk.value?.currency ?? ''} ${amount.toFixed(2)}`.trim();
const counted = computed(() => {
  const { units, parts, left, coding } = length.value;
  if (!units) return '160 letters fit into one part.';
  const cost = desk.value?.price === null || !desk.value ? '' : `, ${money(parts * desk.value.price)}`;
  return `${many(parts, 'part')}${cost}; ${many(left, coding === 'gsm' ? 'letter' : 'sign')} more fit in.`;
});
const dear = computed(() => {
  const { dear: letters, twice, coding } = length.value;
  if (letters.length)
    return `${list(letters.slice(0, 5).map((letter) => `“${letter}”`))} ${letters.length === 1 ? 'makes' : 'make'} it dear: with ${letters.length === 1 ? 'it' : 'them'} only 70 signs fit into one part.`;
  return coding === 'gsm' && twice.length
    ? `${list(twice.map((letter) => `“${letter}”`))} ${twice.length === 1 ? 'counts' : 'count'} twice.`
    : '';
});
const spent = computed(() => {
  const now = desk.value;
  if (!now || now.price === null) return '';
  const limit = now.monthlyLimit === null ? '' : ` of ${money(now.monthlyLimit)}`;
  return `${money(now.spent)}${limit} spent this month. It comes from “${now.sender}”.`;
});
const form = useForm(TextDraft, ['number', 'text', 'agreed', 'personId', 'fileId']);
async function go() {
  const draft = {
    ...{ clientId: props.clientId, fileId: file.value, personId: personId.value },
    ...{ number: number.value ?? '', text: text.value, agreed: agreed.value },
  };
  if (await form.submit(draft, async () => void (await send('POST', Made, '/texts', draft)))) emit('sent');
}
</script>

<template>
  <AskDialog v-model="open" label="A text message" :max-width="560" persistent>
    <Trouble :words="problem || form.problem.value" class="mb-2" />
    <p v-if="desk && desk.price === null" class="needs">
      No gateway for text messages is set.
      <router-link v-if="session.may('run the office')" to="/settings/texts">Set it</router-link
      ><template v-else>An office manager does so in Settings.</template>
    </p>
    <form v-else class="form-grid" @submit.prevent="go" @keydown.ctrl.enter="go">
      <v-combobox
        v-model="number"
        :items="numbers"
        label="To which number"
        :hint="number ? whose(number) || 'a new number: it joins the records' : ''"
        persistent-hint
        :error-messages="form.errorOf('number')"
      />
      <v-select
        v-model="personId"
        :items="[
          { value: null, title: 'the client' },
          ...(desk?.people ?? []).map(({ id, name }) => ({ value: id, title: name })),
        ]"
        label="Whose it is"
        :disabled="known !== null"
        :error-messages="form.errorOf('personId')"
      />
      <v-select
        v-model="file"
        :items="[
          { value: null, title: 'General correspondence' },
          ...(desk?.files ?? [])
            .filter(({ general }) => !general)
            .map(({ id, number: no, title }) => ({ value: id, title: `${no} ${title}` })),
        ]"
        label="On which file"
        class="wide"
        :error-messages="form.errorOf('fileId')"
      />
      <v-textarea
        v-model="text"
        v-first
        label="The message"
        rows="3"
        auto-grow
        class="wide"
        :error-messages="form.errorOf('text')"
      />
      <p class="wide quiet counted" role="status">
        {{ counted }} <span v-if="dear" class="ochre">{{ dear }}</span>
      </p>
      <p v-if="known?.stopped" class="wide needs">
        They want no text messages: {{ known.stopped.how }} on {{ date(known.stopped.at) }}.
      </p>
      <p v-else-if="known?.agreed" class="wide quiet">
        Agreed on {{ date(known.agreed.at) }}: {{ known.agreed.how }}.
      </p>
      <v-text-field
        v-else-if="number"
        v-model="agreed"
        label="How they agreed to text messages"
        placeholder="said so on the telephone"
        class="wide mt-2"
        :error-messages="form.errorOf('agreed')"
      />
      <p class="wide quiet">{{ spent }}</p>
    </form>
    <template #answers>
      <v-btn @click="emit('close')">Not now</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :loading="form.busy.value"
        :disabled="!desk || desk.price === null || (known?.stopped !== null && known?.stopped !== undefined)"
        @click="go"
        >Send</v-btn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.counted {
  margin: -4px 0 0;
  min-height: 20px;
}
.ochre {
  color: var(--ochre);
}
p {
  margin: 0;
}
</style>
