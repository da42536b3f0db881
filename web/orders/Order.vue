<script setup lang="ts">
import { computed, ref, toRaw, watch } from 'vue';
import { onBeforeRouteLeave, useRoute, useRouter } from 'vue-router';
import { Made, OrderFields, OrderView } from '../../contract/index.ts';
import { REACHING } from '../../core/orders/order.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import Tabs from '../ui/Tabs.vue';
import { many, useTimes } from '../words.ts';
import Courses from './Courses.vue';
import { newOrder, provideNaming, STATES } from './order.ts';
import Sentence from './Sentence.vue';
import Tried from './Tried.vue';

/** One standing order: its sentence, what it would have done, and what it does. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const { full } = useTimes();
const id = computed(() => Number(route.params.id) || null);
const naming = provideNaming();
const {
  data: view,
  problem,
  load,
} = useLoad(OrderView, () => (id.value === null ? null : `/orders/${id.value}`), {
  concerns: { orders: true },
});
const draft = ref<OrderFields>(newOrder(session.session?.staff.id ?? 0));
/** As it is kept, so that what is typed is not lost when it is read again. */
const standing = ref(JSON.stringify(draft.value));
const changed = computed(() => JSON.stringify(draft.value) !== standing.value);
/** The version that is worked on: of one that a colleague changed since, keeping says so. */
const version = ref(0);
watch(
  view,
  (now) => {
    if (!now || (changed.value && version.value)) return;
    draft.value = structuredClone({
      ...{ name: now.name, ownerId: now.ownerId, told: toRaw(now.told) },
      ...{ mostADay: now.mostADay, againAfter: now.againAfter },
    });
    version.value = now.version;
    standing.value = JSON.stringify(draft.value);
  },
  { immediate: true },
);
const may = computed(() => (view.value ? view.value.mayChange : true) && session.may('keep orders'));
const sends = computed(() => view.value?.sends ?? false);
const reaches = computed(() => draft.value.told.steps.some(({ act: each }) => REACHING.includes(each.do)));

const form = useForm(OrderFields, ['name', 'ownerId', 'mostADay', 'againAfter']);
const failed = ref('');
const keep = () =>
  form.submit(draft.value, async (fields) => {
    failed.value = '';
    if (id.value === null) {
      const made = await send('POST', Made, '/orders', fields);
      standing.value = JSON.stringify(draft.value);
      await router.replace(`/orders/${made.id}`);
      return;
    }
    const kept = await send('PUT', OrderView, `/orders/${id.value}`, { ...fields, version: version.value });
    standing.value = JSON.stringify(draft.value);
    version.value = kept.version;
    view.value = kept;
  });
async function attempt(work: () => Promise<unknown>) {
  try {
    failed.value = '';
    await work();
  } catch (error) {
    failed.value = wordsOf(error);
  }
}
const turn = (to: 'on' | 'paused' | 'ended', underWay: 'goes on' | 'stops' = 'goes on') =>
  attempt(async () => {
    view.value = await send('PUT', OrderView, `/orders/${id.value}/turn`, { to, underWay });
    ending.value = false;
  });
const letSend = (wanted: boolean) =>
  attempt(async () => {
    view.value = await send('PUT', OrderView, `/orders/${id.value}/sends`, { sends: wanted });
    letting.value = false;
  });
const held = (to: 'begin' | 'leave') =>
  attempt(async () => {
    await act('PUT', `/orders/${id.value}/held`, { to, courseIds: null });
    await load();
  });
const drop = () =>
  attempt(async () => {
    await act('DELETE', `/orders/${id.value}`);
    standing.value = JSON.stringify(draft.value);
    await router.push('/orders');
  });
const ending = ref(false);
const letting = ref(false);
const staff = computed(() => naming.choices.value?.staff ?? []);

const shown = ref<'past' | 'did'>('past');
watch(
  () => view.value?.counts.acted,
  (acted) => {
    if (acted) shown.value = 'did';
  },
  { once: true },
);
const tabs = computed(() => [
  { value: 'past' as const, words: 'Tried on the past' },
  ...(id.value === null
    ? []
    : [{ value: 'did' as const, words: 'What it did', count: view.value?.counts.acted }]),
]);

const leaving = ref<string | null>(null);
let sure = false;
onBeforeRouteLeave((to) => {
  if (sure || !changed.value || to.path === route.path) return true;
  leaving.value = to.fullPath;
  return false;
});
async function leave() {
  sure = true;
  await router.push(leaving.value ?? '/orders');
}
const state = computed(() => {
  const now = view.value;
  if (!now) return 'not kept yet';
  const since = now.onSince && now.state === 'on' ? `, since ${full(now.onSince)}` : '';
  return `${STATES[now.state]}${since}`;
});
</script>

<template>
  <div class="screen">
    <header class="head mb-3">
      <div>
        <p class="quiet">
          <router-link to="/orders">Standing orders</router-link> ·
          <span :class="{ spruce: view?.state === 'on' }">{{ state }}</span><template v-if="view">
            · kept by {{ view.owner }}</template
          >
        </p>
        <h1>{{ view?.name ?? 'A new standing order' }}</h1>
      </div>
      <div v-if="may" class="acts">
        <v-btn v-if="view && view.state !== 'ended'" @click="ending = true">{{
          view.counts.acted || view.state !== 'off' ? 'End it…' : 'Throw away…'
        }}</v-btn>
        <v-btn v-if="view?.state === 'on'" :disabled="changed" @click="turn('paused')">Pause</v-btn>
        <v-btn
          :color="changed || id === null ? 'primary' : undefined"
          :variant="changed || id === null ? 'flat' : 'outlined'"
          :disabled="!changed && id !== null"
          :loading="form.busy.value"
          @click="keep"
          >{{ id === null ? 'Keep it, switched off' : changed ? 'Keep the change' : 'Kept' }}</v-btn
        >
        <v-btn
          v-if="view && view.state !== 'on'"
          color="primary"
          variant="flat"
          :disabled="changed || view.problems.length > 0"
          @click="turn('on')"
          >{{
            view.state === 'off' ? 'Switch on' : view.state === 'paused' ? 'Go on' : 'Switch on again'
          }}</v-btn
        >
      </div>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed || form.problem.value || naming.problem.value" class="mb-2" />
    <p v-if="view?.counts.held" class="held sheet" role="status">
      <span
        ><strong>{{ many(view.counts.held, 'more') }}</strong> came on one day than its {{ view.mostADay }}.
        It has not acted for {{ view.counts.held === 1 ? 'this one' : 'these' }}.</span
      >
      <template v-if="may">
        <v-btn size="small" @click="held('leave')">Leave them</v-btn>
        <v-btn size="small" @click="held('begin')">Let it act for them</v-btn>
      </template>
    </p>
    <div class="name">
      <v-text-field
        v-model="draft.name"
        label="What it is called"
        :disabled="!may"
        :error-messages="form.errorOf('name')"
      />
      <v-autocomplete
        v-model="draft.ownerId"
        :items="staff"
        item-title="name"
        item-value="id"
        label="Kept by"
        :disabled="!may || !session.may('let orders send')"
        :error-messages="form.errorOf('ownerId')"
      />
    </div>
    <Sentence v-model="draft.told" :sends="sends" :may-change="may" />
    <ul v-if="view?.problems.length && !changed" class="problems">
      <li v-for="words in view.problems" :key="words">{{ words }}</li>
    </ul>
    <div class="guards">
      <v-text-field
        v-model.number="draft.mostADay"
        type="number"
        min="1"
        label="At most so many on one day"
        hint="For more it asks first."
        persistent-hint
        :disabled="!may"
        :error-messages="form.errorOf('mostADay')"
      />
      <v-text-field
        v-model.number="draft.againAfter"
        type="number"
        min="0"
        label="Days until the same again"
        hint="To one person, by whichever order."
        persistent-hint
        :disabled="!may"
        :error-messages="form.errorOf('againAfter')"
      />
      <div v-if="view && reaches" class="sends">
        <strong>{{ sends ? 'It sends by itself.' : 'It prepares only.' }}</strong>
        <p class="quiet">
          <template v-if="sends"
            >{{ view.sendsBy }} allowed that. What has gaps or gives pause waits for somebody.</template
          ><template v-else>What it writes lies ready for somebody to read and release.</template>
          <template v-if="session.may('let orders send')">
            <button v-if="sends" type="button" class="link" @click="letSend(false)">
              Let it prepare only</button
            ><button v-else type="button" class="link" :disabled="changed" @click="letting = true">
              Let it send by itself…
            </button></template
          >
        </p>
      </div>
    </div>
    <Tabs v-model="shown" label="What is shown" :tabs="tabs" class="mt-6 mb-3" />
    <Tried v-if="shown === 'past'" :told="draft.told" :most-a-day="draft.mostADay" />
    <Courses v-else-if="id !== null" :order-id="id" />

    <AskDialog
      v-if="view"
      v-model="ending"
      :label="view.state === 'off' && !view.counts.acted ? 'Throw it away' : 'End it'"
    >
      <p v-if="view.counts.going">
        For {{ many(view.counts.going, 'client') }} further steps are to come. They can go on to their end by
        the words they began with, or stop here.
      </p>
      <p v-else-if="view.state === 'off' && !view.counts.acted">
        It has never acted. It is gone then for good.
      </p>
      <p v-else>It takes nothing up any more. What it did stays, and it can be switched on again.</p>
      <template #answers>
        <v-btn @click="ending = false">Not now</v-btn>
        <v-btn v-if="view.counts.going" @click="turn('ended', 'stops')">End it, and stop these</v-btn>
        <v-btn v-if="view.state === 'off' && !view.counts.acted" color="error" variant="flat" @click="drop"
          >Throw it away</v-btn
        >
        <v-btn v-else color="primary" variant="flat" @click="turn('ended')">{{
          view.counts.going ? 'End it, let these go on' : 'End it'
        }}</v-btn>
      </template>
    </AskDialog>
    <AskDialog v-model="letting" label="Let it send by itself">
      <p>
        From now on what it writes leaves without anybody having read it, in the name of whoever is named in
        it. What has gaps, or would go to the wrong people, still waits for a person.
      </p>
      <template #answers>
        <v-btn @click="letting = false">Not now</v-btn>
        <v-btn color="primary" variant="flat" @click="letSend(true)">Let it send</v-btn>
      </template>
    </AskDialog>
    <AskDialog :model-value="leaving !== null" label="Not kept yet" @update:model-value="leaving = null">
      <p>What you changed of this order is not kept.</p>
      <template #answers>
        <v-btn @click="leave">Leave without keeping</v-btn>
        <v-btn color="primary" variant="flat" @click="leaving = null">Stay</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  justify-content: end;
  gap: 8px;
}
.spruce {
  color: var(--spruce);
  font-weight: 700;
}
.name {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 1fr);
  gap: 12px;
  margin: 6px 0 12px;
}
.guards {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1.4fr);
  gap: 8px 16px;
  align-items: start;
  margin-top: 14px;
}
.problems {
  margin: 8px 0 0;
  padding-left: 20px;
  color: var(--brick);
}
.held {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  padding: 8px 14px;
  margin-bottom: 10px;
  border-left: 3px solid var(--ochre);
}
.held span {
  flex: 1;
}
.sends p {
  margin: 0;
}
@media (max-width: 1000px) {
  .guards {
    grid-template-columns: 1fr 1fr;
  }
  .sends {
    grid-column: 1 / -1;
  }
}
</style>
