<script setup lang="ts">
import { ref, watch } from 'vue';
import { GatewayAnswer, GatewayDraft } from '../../contract/index.ts';
import { act, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { useTimes } from '../words.ts';

/** The gateway that text messages go through, what they cost, and how much a month may. */
const emit = defineEmits<{ kept: [] }>();
const { full } = useTimes();
const { data, problem, load } = useLoad(GatewayAnswer, () => '/office/gateway', {
  concerns: { texts: true },
});
const url = ref('');
const key = ref('');
const sender = ref('');
const limit = ref('');
const filled = ref(false);
watch(data, (now) => {
  if (!now?.gateway || filled.value) return;
  filled.value = true;
  ({ url: url.value, sender: sender.value } = now.gateway);
  limit.value = now.gateway.monthlyLimit === null ? '' : String(now.gateway.monthlyLimit);
});
const form = useForm(GatewayDraft, ['url', 'key', 'sender', 'monthlyLimit']);
const said = ref('');
async function keep() {
  said.value = '';
  const draft = {
    ...{ url: url.value, key: key.value, sender: sender.value },
    monthlyLimit: limit.value === '' ? null : Number(limit.value),
  };
  const done = await form.submit(draft, async () => {
    data.value = await send('PUT', GatewayAnswer, '/office/gateway', draft);
  });
  if (!done) return;
  said.value = 'Kept: the gateway answers.';
  key.value = '';
  emit('kept');
}
const dropping = ref(false);
async function drop() {
  dropping.value = false;
  try {
    await act('DELETE', '/office/gateway');
    filled.value = false;
    url.value = sender.value = limit.value = '';
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
const money = (amount: number) => `${data.value?.gateway?.currency ?? ''} ${amount.toFixed(2)}`;
</script>

<template>
  <Trouble :words="problem || form.problem.value" :retry="load" class="mb-3" />
  <p class="quiet mb-3">
    Text messages go through a gateway that speaks a small open interface (docs/TEXTMESSAGES.md). One word,
    STOP, ends them for a number; nobody is sent one who has not agreed.
  </p>
  <form class="form-grid" @submit.prevent="keep">
    <v-text-field
      v-model="url"
      label="Its address on the web"
      class="wide"
      :error-messages="form.errorOf('url')"
    />
    <v-text-field
      v-model="key"
      type="password"
      autocomplete="off"
      :label="data?.gateway ? 'Its key; empty: as it is' : 'The key it knows you by'"
      :error-messages="form.errorOf('key')"
    />
    <v-text-field
      v-model="sender"
      label="What telephones show as the sender"
      :error-messages="form.errorOf('sender')"
    />
    <v-text-field
      v-model="limit"
      type="number"
      min="0"
      label="At most so much a month; empty: no limit"
      :error-messages="form.errorOf('monthlyLimit')"
    />
    <div class="wide keep">
      <v-btn type="submit" color="primary" variant="flat" :loading="form.busy.value"
        >Try it, and keep it</v-btn
      >
      <v-btn v-if="data?.gateway" @click="dropping = true">Take it out…</v-btn>
      <span role="status" class="quiet">{{ said }}</span>
    </div>
  </form>
  <p v-if="data?.gateway" class="quiet mt-3">
    One part costs {{ data.gateway.currency }} {{ data.gateway.price }}. {{ money(data.gateway.spent) }} spent
    this month.
    <template v-if="data.gateway.problem"
      ><span class="needs">It could not be asked: {{ data.gateway.problem }}</span></template
    ><template v-else-if="data.gateway.readAt">Asked {{ full(data.gateway.readAt) }}.</template>
  </p>
  <AskDialog v-model="dropping" label="Take the gateway out">
    <p>No text message leaves or comes any more. What is on record stays.</p>
    <template #answers>
      <v-btn @click="dropping = false">Not now</v-btn>
      <v-btn color="primary" variant="flat" @click="drop">Take it out</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.keep {
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
