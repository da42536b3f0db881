<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import type { OrderTold } from '../../contract/index.ts';
import { MOST_STEPS, subjectsOf, type Step } from '../../core/orders/order.ts';
import { actInWords, waitInWords, whenInWords } from '../../core/orders/sentence.ts';
import { explain } from '../../core/selection/explain.ts';
import { useCatalogue } from '../selection/catalogue.ts';
import { newStep, useNaming } from './order.ts';
import StepPlace from './StepPlace.vue';
import WhenPlace from './WhenPlace.vue';
import WhomDialog from './WhomDialog.vue';

/** An order as a sentence whose places are filled in: each unfolds below its line, one at a time. */
const told = defineModel<OrderTold>({ required: true });
const props = defineProps<{ sends: boolean; mayChange: boolean }>();
const { choices, names } = useNaming();
const catalogue = useCatalogue();
void catalogue.read();

/** Which place is open: `when`, or the number of a step. */
const open = ref<'when' | number | null>(null);
const asking = ref(false);
const toggle = (place: 'when' | number) => (open.value = open.value === place ? null : place);
const whom = computed(() => {
  const { selection } = told.value;
  if (!selection) return 'everybody';
  const words = explain(selection, catalogue.facts).replace(/\.$/, '');
  return words.charAt(0).toLowerCase() + words.slice(1);
});
const subjects = computed(() => subjectsOf(told.value.when));
// What was asked of files cannot be asked where no file is known.
watch(subjects, (may) => {
  const { selection } = told.value;
  if (selection && !may.includes(selection.subject)) told.value = { ...told.value, selection: null };
});
function change(part: Partial<OrderTold>) {
  told.value = { ...told.value, ...part };
}
const setStep = (at: number, step: Step) =>
  change({ steps: told.value.steps.map((each, index) => (index === at ? (step as typeof each) : each)) });
function add() {
  const { steps } = told.value;
  change({ steps: [...steps, newStep('task', choices.value, !steps.length) as OrderTold['steps'][number]] });
  open.value = steps.length;
}
function remove(at: number) {
  change({ steps: told.value.steps.filter((_, index) => index !== at) });
  open.value = null;
}
function move(at: number, by: -1 | 1) {
  const steps = [...told.value.steps];
  const [step] = steps.splice(at, 1);
  if (step) steps.splice(at + by, 0, step);
  change({ steps });
  open.value = null;
}
/** Said of each step for whoever hears the screen. */
const stepWords = ({ wait, act }: Step) =>
  `${waitInWords(wait)} ${actInWords(act, props.sends, names.value)}`.trim();
</script>

<template>
  <div class="order sheet">
    <div class="line">
      <span class="lead">When</span>
      <button
        type="button"
        class="place"
        :aria-expanded="open === 'when'"
        :disabled="!mayChange"
        @click="toggle('when')"
      >
        {{ whenInWords(told.when, names) }}
      </button>
    </div>
    <div v-if="open === 'when'" class="fields">
      <WhenPlace
        :model-value="told.when"
        @update:model-value="(when) => change({ when: when as OrderTold['when'] })"
      />
    </div>
    <div class="line">
      <span class="lead">for</span>
      <button type="button" class="place" :disabled="!mayChange" @click="asking = true">{{ whom }}</button>
    </div>
    <template v-for="(step, at) in told.steps" :key="at">
      <div class="line">
        <span class="lead">{{ at ? 'then' : 'do this' }}</span>
        <button
          type="button"
          class="place"
          :aria-expanded="open === at"
          :disabled="!mayChange"
          @click="toggle(at)"
        >
          {{ stepWords(step) }}
        </button>
        <span v-if="mayChange" class="tools">
          <button
            v-if="at"
            type="button"
            class="link"
            :aria-label="`Step ${at + 1} earlier`"
            @click="move(at, -1)"
          >
            earlier
          </button>
          <button type="button" class="link" :aria-label="`Take step ${at + 1} away`" @click="remove(at)">
            take away
          </button>
        </span>
      </div>
      <div v-if="open === at" class="fields">
        <StepPlace
          :model-value="step"
          :when="told.when"
          :first="at === 0"
          @update:model-value="(next) => setStep(at, next)"
        />
      </div>
    </template>
    <div v-if="mayChange && told.steps.length < MOST_STEPS" class="line">
      <span class="lead">{{ told.steps.length ? 'and' : 'do this' }}</span>
      <button type="button" class="link add" @click="add">
        {{ told.steps.length ? 'add a further step' : 'say what is to be done' }}
      </button>
    </div>
    <div class="line stops">
      <span class="lead">until</span>
      <span>
        <v-checkbox
          :model-value="told.stops.unfit"
          :disabled="!mayChange || !told.selection"
          label="they fit it no more"
          @update:model-value="
            (unfit: boolean | null) => change({ stops: { ...told.stops, unfit: Boolean(unfit) } })
          "
        />
        <v-checkbox
          :model-value="told.stops.answered"
          :disabled="!mayChange"
          label="they have written to us since it began"
          @update:model-value="
            (answered: boolean | null) => change({ stops: { ...told.stops, answered: Boolean(answered) } })
          "
        />
      </span>
    </div>
    <WhomDialog
      v-if="asking"
      :selection="told.selection"
      :subjects="subjects"
      @close="asking = false"
      @chosen="(selection) => ((asking = false), change({ selection }))"
    />
  </div>
</template>

<style scoped>
.order {
  padding: 6px 0;
}
.line {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: baseline;
  padding: 9px 16px;
  border-bottom: 1px solid var(--hairline);
}
.line:last-child {
  border-bottom: 0;
}
.lead {
  text-align: right;
  color: var(--ink-soft);
  font: italic 16px/1.4 var(--serif);
}
.place {
  background: none;
  border: 0;
  padding: 0;
  color: var(--ink);
  font: 17px/1.4 var(--serif);
  text-align: left;
  text-decoration: underline dotted var(--strong) 2px;
  text-underline-offset: 4px;
  overflow-wrap: anywhere;
  cursor: pointer;
}
.place:disabled {
  text-decoration: none;
  cursor: default;
}
.place[aria-expanded='true'] {
  text-decoration-color: var(--spruce);
}
.tools {
  display: flex;
  gap: 12px;
  font-size: 13px;
}
.add {
  min-height: 24px;
}
.fields {
  padding: 10px 16px 16px 104px;
  border-bottom: 1px solid var(--hairline);
  background: var(--page);
}
.stops {
  align-items: center;
}
.stops > span:last-child {
  display: flex;
  flex-wrap: wrap;
  gap: 0 20px;
}
@media (max-width: 1000px) {
  .fields {
    padding-left: 16px;
  }
}
</style>
