<script setup lang="ts">
import { computed } from 'vue';
import Trouble from '../parts/Trouble.vue';
import { many } from '../words.ts';
import { useMailingDraft } from './mailingDraft.ts';
import PlanCalendar from './PlanCalendar.vue';
import PlanMeaning from './PlanMeaning.vue';
import { usePlan } from './plan.ts';
import TimingForm from './TimingForm.vue';

/** When the mailing goes, laid out on the calendar before it is released. */
const editing = useMailingDraft();
const { plan, problem, load, errorOf } = usePlan(
  () => editing.mailing?.id ?? 0,
  () => editing.draft?.timing ?? null,
);
const heading = computed(() => {
  if (!plan.value) return 'Laying it out …';
  const { total, batches, dayCount } = plan.value;
  if (!total) return 'Nobody would receive this yet';
  const parts = editing.draft?.timing.batch ? ` in ${many(batches, 'batch', 'batches')}` : '';
  return `${many(total, 'message')}${parts} ${dayCount > 1 ? `over ${many(dayCount, 'day')}` : 'on one day'}`;
});
</script>

<template>
  <div v-if="editing.draft" class="timing">
    <section class="when" aria-labelledby="when">
      <h2 id="when">When it goes</h2>
      <TimingForm v-model="editing.draft.timing" :office="plan?.office ?? null" :error-of="errorOf" />
    </section>
    <section class="sheet laid" aria-labelledby="laid">
      <div class="line">
        <h2 id="laid">{{ heading }}</h2>
        <span class="quiet">Shaded: hours in which messages may leave</span>
      </div>
      <Trouble :words="problem" :retry="load" class="my-2" />
      <PlanCalendar v-if="plan?.total" :plan="plan" :timing="editing.draft.timing" class="mt-3" />
      <p v-else-if="plan" class="quiet mt-3">Choose recipients in step 1; then each day stands here.</p>
      <div v-if="plan?.total" class="means">
        <h2>What that means</h2>
        <PlanMeaning :plan="plan" />
      </div>
    </section>
  </div>
</template>

<style scoped>
.timing {
  display: grid;
  grid-template-columns: 400px minmax(0, 1fr);
  gap: 18px;
}
.when {
  overflow: auto;
  min-height: 0;
  padding-right: 6px;
}
.laid {
  padding: 14px 16px;
  overflow: auto;
}
.means {
  margin-top: 18px;
  padding-top: 12px;
  border-top: 3px double var(--strong);
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
}
@media (max-width: 1000px) {
  .timing {
    grid-template-columns: 320px minmax(0, 1fr);
  }
}
</style>
