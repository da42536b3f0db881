<script setup lang="ts">
import { ref, watch } from 'vue';
import type { Timing } from '../../contract/index.ts';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import PlanCalendar from './PlanCalendar.vue';
import PlanMeaning from './PlanMeaning.vue';
import { usePlan } from './plan.ts';
import TimingForm from './TimingForm.vue';

/** Changes how a mailing goes while it goes; what still waits is laid out anew. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{
  mailingId: number;
  timing: Timing;
  /** Messages that follow it are under way. */
  goesOn?: boolean;
}>();
const emit = defineEmits<{ changed: [] }>();
const draft = ref<Timing>(props.timing);
const busy = ref(false);
const failed = ref('');
watch(open, (now) => {
  if (now) draft.value = { ...props.timing };
  failed.value = '';
});
const { plan, problem, load, errorOf, errors } = usePlan(
  () => props.mailingId,
  () => (open.value ? draft.value : null),
);
async function keep() {
  busy.value = true;
  try {
    await act('PUT', `/mailings/${props.mailingId}/timing`, draft.value);
    open.value = false;
    emit('changed');
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <AskDialog v-model="open" :max-width="1040" label="Timing">
    <template #heading>When the rest goes</template>
    <Trouble :words="failed || problem" :retry="failed ? undefined : load" class="mb-2" />
    <div class="two">
      <div>
        <TimingForm v-model="draft" :office="plan?.office ?? null" :error-of="errorOf" />
        <PlanMeaning v-if="plan" :plan="plan" class="mt-3" />
      </div>
      <PlanCalendar v-if="plan?.total" :plan="plan" :timing="draft" />
      <p v-else class="quiet">
        {{
          goesOn
            ? 'None of this message waits. The messages that follow it go so, to each who comes to them.'
            : 'Nothing waits any more.'
        }}
      </p>
    </div>
    <template #answers>
      <v-btn @click="open = false">As it was</v-btn>
      <v-btn color="primary" variant="flat" :loading="busy" :disabled="errors.length > 0" @click="keep"
        >Lay the rest out so</v-btn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 390px minmax(0, 1fr);
  gap: 20px;
}
</style>
