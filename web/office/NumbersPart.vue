<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { NumbersLearned } from '../../contract/index.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useLatest } from '../ui/latest.ts';
import { many } from '../words.ts';
import { asLines, FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

/** How file numbers look, learned from examples and tried at once on more. */
const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['numberExamples', 'numbersAnew']);
const { form, errorOf } = record;
const { problem, load } = firm;
const examples = computed({
  get: () => asLines.read(form.numberExamples),
  set: (text: string) => {
    form.numberExamples = asLines.write(text);
  },
});
const tries = ref('');
const learned = ref<NumbersLearned | null>(null);
const { ask, problem: notTried } = useLatest();
watch(
  [examples, tries],
  async () => {
    if (!form.numberExamples.some(Boolean)) return void (learned.value = null);
    const answer = await ask(() =>
      send('POST', NumbersLearned, '/office/numbers/try', {
        examples: form.numberExamples,
        tries: asLines.write(tries.value),
      }),
    );
    if (answer) learned.value = answer;
  },
  { immediate: true },
);
</script>

<template>
  <Trouble :words="problem || notTried" :retry="load" class="mb-3" />
  <div class="two">
    <v-textarea
      v-model="examples"
      label="Some of your file numbers, one a line"
      placeholder="QL-24052"
      rows="6"
      :error-messages="learned?.problem ? [learned.problem] : errorOf('numberExamples')"
    />
    <div>
      <v-textarea v-model="tries" label="Try others: numbers, and what is none" rows="6" />
      <ul v-if="learned?.tries.length" class="tries">
        <li v-for="each in learned.tries" :key="each.typed">
          <span class="figures">{{ each.typed }}</span>
          <span :class="each.fits ? 'yes' : 'no'">{{ each.fits ? 'is a file number' : 'is none' }}</span>
        </li>
      </ul>
    </div>
  </div>
  <p v-if="learned && !learned.problem" class="mt-3">
    Learned: <strong>{{ learned.words }}</strong>.
    <template v-if="learned.next">The next file would be {{ learned.next }}, if none is higher.</template>
    <span v-if="learned.unfitting" class="needs">
      {{ many(learned.unfitting, 'file') }} of the register
      {{ learned.unfitting === 1 ? 'has a number' : 'have numbers' }} that do not look so: in messages these
      would not be recognised. Add one of them to the examples.</span
    >
  </p>
  <p v-else-if="firm.data.value && !form.numberExamples.some(Boolean)" class="quiet mt-3">
    Until you say, new files are numbered {{ firm.data.value.numbersWords }}.
  </p>
  <v-checkbox v-model="form.numbersAnew" class="mt-2" label="The count begins anew each year" />
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
}
.tries {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
.tries li {
  display: flex;
  justify-content: space-between;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.yes {
  color: var(--spruce);
  font-weight: 600;
}
.no {
  color: var(--ink-soft);
}
</style>
