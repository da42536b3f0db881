<script setup lang="ts">
import { useEventListener, useIntervalFn } from '@vueuse/core';
import { computed, onBeforeUnmount, ref } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { act, wordsOf } from '../api.ts';
import { useSession } from '../session.ts';
import { about, useLive } from '../ui/live.ts';
import Trouble from '../parts/Trouble.vue';
import { many, useTimes } from '../words.ts';
import Checks from './Checks.vue';
import MailingDispatch from './MailingDispatch.vue';
import Message from './Message.vue';
import Recipients from './Recipients.vue';
import Release from './Release.vue';
import Timing from './Timing.vue';
import { timingWords } from './timingWords.ts';
import Contested from './Contested.vue';
import { useMailingDraft } from './mailingDraft.ts';
import { usePresence } from './presence.ts';
import AskDialog from '../ui/AskDialog.vue';

const STEPS = [
  { key: 'recipients', words: 'Recipients' },
  { key: 'message', words: 'Message' },
  { key: 'checks', words: 'Checks' },
  { key: 'timing', words: 'Timing' },
  { key: 'release', words: 'Release' },
] as const;
type StepKey = (typeof STEPS)[number]['key'];

const route = useRoute();
const router = useRouter();
const editing = useMailingDraft();
const session = useSession();
const { ago } = useTimes();
const ticked = ref<number | null>(null);
const asking = ref(false);
const now = ref(0);
useIntervalFn(() => now.value++, 20_000);

const id = Number(route.params.id);
/** The first of the series, when this is one that follows it: whom it goes to and when is settled there. */
const head = computed(() =>
  editing.mailing && editing.mailing.draft.waitDays !== null ? editing.mailing.series[0] : undefined,
);
const steps = computed(() =>
  head.value ? STEPS.filter(({ key }) => key === 'message' || key === 'checks') : STEPS,
);
const step = computed<StepKey>(
  () => (route.params.step as StepKey) || (head.value ? 'message' : 'recipients'),
);
const at = computed(() => steps.value.findIndex((each) => each.key === step.value));
/** Others at the same draft, and where. */
const others = usePresence(id, () =>
  editing.isDraft && editing.mailing?.id === id && session.may('prepare mailings') ? step.value : null,
);
const here = computed(() =>
  others.value.length
    ? `${others.value
        .map(({ name, step: theirs }) => {
          const at = STEPS.find(({ key }) => key === theirs);
          return at ? `${name} is at ${at.words}` : name;
        })
        .join(', ')} now`
    : '',
);
const comparing = ref(false);
const next = computed(() => steps.value[at.value + 1]);
const saved = computed(() => {
  void now.value;
  if (editing.dirty) return 'not saved yet';
  return editing.savedAt ? `saved ${ago(editing.savedAt)}` : '';
});

void editing.open(id);
useLive(
  { mailings: about('mailing', () => [id]), mail: () => !editing.isDraft },
  () => void editing.refresh(),
);
// What could not be kept, or waits for a word between two, is not left behind without asking.
onBeforeRouteLeave(
  async () =>
    !editing.isDraft ||
    (await editing.save()) ||
    window.confirm('What you changed last could not be kept. Leave this page all the same, and lose it?'),
);
onBeforeUnmount(() => void editing.save());
useEventListener(window, 'beforeunload', (event) => {
  if (editing.dirty) event.preventDefault();
});

async function go(key: StepKey) {
  await editing.save();
  await router.push(`/mailings/${id}/${key}`);
}
async function throwAway() {
  try {
    await act('DELETE', `/mailings/${id}`);
    const to = head.value ? `/mailings/${head.value.id}/message` : '/mailings';
    editing.forget();
    await router.push(to);
  } catch (error) {
    editing.tell(wordsOf(error));
    asking.value = false;
  }
}
function caption(key: StepKey): string {
  if (key === 'recipients')
    return ticked.value === null
      ? ''
      : many(ticked.value, editing.draft?.colleagues ? 'colleague' : 'client');
  if (key === 'message') return 'words and fields';
  if (key === 'timing') return timingWords(editing.draft?.timing ?? null, true);
  if (key === 'checks') return editing.mailing?.testedAt ? 'test copy sent' : 'as each will read it';
  return 'let it go';
}
</script>

<template>
  <div class="screen screen-fixed">
    <Trouble
      v-if="!editing.contested"
      :words="editing.problem"
      class="mb-2"
      :retry="editing.stale ? () => editing.open(id) : undefined"
    />
    <p v-else class="contested mb-2" role="alert">
      <b class="needs">Settle</b> A colleague has changed the same while you were at it. Nothing is lost; what
      you type is kept once it is settled.
      <button type="button" class="link" @click="comparing = true">see both</button>
    </p>
    <Contested v-model="comparing" />
    <template v-if="editing.draft && editing.mailing && editing.mailing.id === id">
      <header class="head">
        <div class="name-block">
          <p class="quiet">
            <template v-if="head"
              >Message {{ editing.mailing.series.find((each) => each.id === id)?.step }} of
              <router-link :to="`/mailings/${head.id}${editing.isDraft ? '/message' : ''}`">{{
                head.name
              }}</router-link></template
            ><template v-else>Mailing</template>{{ editing.isDraft ? `, ${saved}` : '' }}
          </p>
          <input
            v-if="editing.isDraft"
            v-model="editing.draft.name"
            class="name"
            aria-label="Name of the mailing"
            maxlength="200"
          />
          <h1 v-else>{{ editing.mailing.name }}</h1>
          <p v-if="here" class="here" role="status">{{ here }}</p>
        </div>
        <template v-if="editing.isDraft">
          <v-btn @click="asking = true">Throw away</v-btn>
          <v-btn v-if="next" color="primary" variant="flat" @click="go(next.key)"
            >Next: {{ next.words }}</v-btn
          >
        </template>
      </header>
      <template v-if="editing.isDraft">
        <nav class="steps sheet" aria-label="Steps">
          <button
            v-for="(each, index) in steps"
            :key="each.key"
            type="button"
            class="plain step"
            :class="{ on: each.key === step }"
            :aria-current="each.key === step ? 'step' : undefined"
            @click="go(each.key)"
          >
            <span class="number figures">{{ index + 1 }}</span>
            <span
              ><strong>{{ each.words }}</strong
              ><br /><span class="quiet">{{ caption(each.key) }}</span></span
            >
          </button>
        </nav>
        <Recipients v-if="!head" v-show="step === 'recipients'" class="part" @ticked="ticked = $event" />
        <Message v-if="step === 'message'" class="part" />
        <Checks v-if="step === 'checks'" class="part" />
        <Timing v-if="step === 'timing'" class="part" />
        <Release v-if="step === 'release'" class="part" @back="go('checks')" />
      </template>
      <Release v-else-if="editing.mailing.state === 'ready'" class="part" />
      <MailingDispatch v-else class="part" :mailing="editing.mailing" />
      <AskDialog v-model="asking" :max-width="420" label="Throw away">
        <template #heading>Throw this mailing away?</template>
        <p>
          “{{ editing.draft.name }}” has not been sent to anyone. Its words{{
            !head && editing.mailing.series.length ? ', and those of all messages that follow it,' : ''
          }}
          cannot be brought back.
        </p>

        <template #answers>
          <v-btn @click="asking = false">Keep it</v-btn>
          <v-btn color="error" variant="flat" @click="throwAway">Throw it away</v-btn>
        </template>
      </AskDialog>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 10px;
}
.name-block {
  flex: 1;
  min-width: 0;
}
.name {
  width: 100%;
  font: 600 26px/1.25 var(--serif);
  border: 0;
  border-bottom: 1px solid transparent;
  background: none;
  color: var(--ink);
  text-overflow: ellipsis;
}
.name:hover,
.name:focus {
  border-bottom-color: var(--strong);
}
.here {
  color: var(--ochre);
  font-weight: 600;
}
.steps {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: minmax(0, 1fr);
  margin-bottom: 14px;
}
.step {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 7px 14px;
  border-right: 1px solid var(--hairline);
  border-bottom: 3px solid transparent;
}
.step:last-child {
  border-right: 0;
}
.step.on {
  border-bottom-color: var(--spruce);
}
.number {
  display: grid;
  place-items: center;
  flex: none;
  width: 26px;
  height: 26px;
  border: 1px solid var(--strong);
  border-radius: 50%;
  font: 600 14px/1 var(--serif);
}
.on .number {
  background: var(--spruce);
  border-color: var(--spruce);
  color: #fff;
}
.part {
  flex: 1;
  min-height: 0;
}
</style>
