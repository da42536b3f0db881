<script setup lang="ts">
import { computed } from 'vue';
import type { FieldInput } from '../../contract/index.ts';
import {
  occasionOf,
  type Act,
  type Doing,
  type FieldChange,
  type Step,
  type When,
} from '../../core/orders/order.ts';
import { ACT_WORDS } from '../../core/orders/sentence.ts';
import OwnFields from '../register/OwnFields.vue';
import { useChoices } from '../register/register.ts';
import { OCCASIONS } from '../wordings/occasions.ts';
import { actOf, useNaming } from './order.ts';
import WhoField from './WhoField.vue';

/** One step of an order: when it comes after the one before, and what is done. */
const step = defineModel<Step>({ required: true });
const props = defineProps<{ when: When; first: boolean }>();
const { choices } = useNaming();
const { choices: register, fieldsOf } = useChoices();
const acts = Object.entries(ACT_WORDS).map(([value, title]) => ({ value: value as Doing, title }));
const act = computed({
  get: () => step.value.act,
  set: (next: Act) => (step.value = { ...step.value, act: next }),
});
function put(change: Record<string, unknown>) {
  act.value = { ...act.value, ...change } as Act;
}
const number = (text: string) => (text.trim() === '' ? NaN : Number(text));
function wait(change: Partial<Step['wait']>) {
  step.value = { ...step.value, wait: { ...step.value.wait, ...change } };
}
const occasion = computed(() => occasionOf(props.when));
const templates = computed(() => [
  ...(occasion.value ? [{ value: null, title: `the wording that serves ${OCCASIONS[occasion.value]}` }] : []),
  ...(choices.value?.templates ?? []).map(({ id, name }) => ({ value: id, title: name })),
]);
const mailings = computed(() =>
  (choices.value?.mailings ?? []).map(({ id, name }) => ({ value: id, title: name })),
);

const CHANGES = {
  client: [
    { value: 'status', title: 'the status' },
    { value: 'adviser', title: 'the adviser' },
    { value: 'service', title: 'the service' },
    { value: 'add tag', title: 'a tag: give it' },
    { value: 'drop tag', title: 'a tag: take it away' },
    { value: 'add interest', title: 'an interest: note it' },
    { value: 'drop interest', title: 'an interest: strike it' },
  ],
  file: [
    { value: 'stage', title: 'the stage' },
    { value: 'adviser', title: 'the adviser' },
  ],
};
const changes = computed(() => {
  if (act.value.do !== 'change') return [];
  const { of } = act.value;
  return [...CHANGES[of], ...fieldsOf(of).map(({ id, label }) => ({ value: `field:${id}`, title: label }))];
});
const what = computed(() => {
  if (act.value.do !== 'change') return '';
  const { change } = act.value;
  return change.what === 'field' ? change.key : change.what;
});
function changeWhat(next: string | null) {
  if (!next) return;
  const change = next.startsWith('field:')
    ? { what: 'field', key: next, value: null }
    : {
        what: next,
        value: next === 'status' ? 'active' : next.endsWith('tag') || next.endsWith('interest') ? '' : null,
      };
  put({ change: change as FieldChange });
}
const ownField = computed(() =>
  act.value.do === 'change' ? fieldsOf(act.value.of).filter(({ id }) => `field:${id}` === what.value) : [],
);
const ownValues = computed((): Record<string, FieldInput> => {
  const key = what.value;
  const value =
    act.value.do === 'change' && act.value.change.what === 'field' ? act.value.change.value : null;
  return new Proxy({ [key]: value } as Record<string, FieldInput>, {
    set: (target, name, next: FieldInput) => {
      target[String(name)] = next;
      put({ change: { what: 'field', key, value: next } });
      return true;
    },
  });
});
const listed = computed(() => {
  if (what.value === 'status') return ['active', 'past', 'prospect'];
  if (what.value === 'service') return register.value?.services ?? [];
  if (what.value === 'stage') return register.value?.stages ?? [];
  return what.value.endsWith('interest') ? (register.value?.interests ?? []) : (register.value?.tags ?? []);
});
/** Of what is chosen from a list of names. */
const listedValue = computed(() => {
  const value = act.value.do === 'change' ? act.value.change.value : null;
  return typeof value === 'string' && value ? value : null;
});
const isNamed = computed(() => what.value.endsWith('tag') || what.value.endsWith('interest'));
function putValue(value: unknown) {
  if (act.value.do === 'change') put({ change: { ...act.value.change, value } });
}
</script>

<template>
  <div class="form-grid">
    <div class="pair">
      <v-text-field
        :model-value="step.wait.days"
        type="number"
        min="0"
        :label="first ? 'Days after it happens; 0 for at once' : 'Days after the step before; 0 for at once'"
        @update:model-value="(text: string) => wait({ days: number(text) })"
      />
      <v-checkbox
        :model-value="step.wait.working"
        label="working days"
        :disabled="!step.wait.days"
        @update:model-value="(working: boolean | null) => wait({ working: Boolean(working) })"
      />
    </div>
    <v-select
      :model-value="act.do"
      :items="acts"
      label="What is done"
      @update:model-value="(doing: Doing) => (act = actOf(doing, choices))"
    />
    <template v-if="act.do === 'message' || act.do === 'letter'">
      <v-autocomplete
        :model-value="act.wordingId"
        :items="templates"
        label="Template"
        no-data-text="The cupboard has no templates yet"
        @update:model-value="(wordingId: number | null) => put({ wordingId })"
      />
      <WhoField
        v-if="act.do === 'message'"
        :model-value="act.by"
        label="In whose name, and whom to release it"
        @update:model-value="(by) => put({ by })"
      />
    </template>
    <v-autocomplete
      v-else-if="act.do === 'mailing'"
      :model-value="act.mailingId || null"
      :items="mailings"
      label="Which, of those that were released"
      no-data-text="No mailing has been released yet"
      @update:model-value="(mailingId: number | null) => put({ mailingId: mailingId ?? 0 })"
    />
    <template v-else-if="act.do === 'change'">
      <v-select
        :model-value="act.of"
        :items="[
          { value: 'client', title: 'of the client' },
          { value: 'file', title: 'of the file' },
        ]"
        label="Whose"
        @update:model-value="
          (of: 'client' | 'file') =>
            put({
              of,
              change: of === 'file' ? { what: 'stage', value: null } : { what: 'add tag', value: '' },
            })
        "
      />
      <v-select :model-value="what" :items="changes" label="Which field" @update:model-value="changeWhat" />
      <OwnFields v-if="ownField.length" :fields="ownField" :values="ownValues" :error-of="() => []" />
      <v-autocomplete
        v-else-if="act.change.what === 'adviser'"
        :model-value="act.change.value"
        :items="choices?.staff ?? []"
        item-title="name"
        item-value="id"
        label="To; empty for none"
        clearable
        @update:model-value="putValue"
      />
      <v-autocomplete
        v-else
        :model-value="listedValue"
        :items="listed"
        :label="isNamed ? 'Which' : 'To; empty for none'"
        :clearable="!isNamed && what !== 'status'"
        @update:model-value="(value: string | null) => putValue(value ?? (isNamed ? '' : null))"
      />
    </template>
    <template v-else>
      <WhoField
        v-if="act.do === 'task'"
        :model-value="act.for"
        label="For whom"
        @update:model-value="(who) => put({ for: who })"
      />
      <WhoField
        v-if="act.do === 'tell'"
        :model-value="act.who"
        label="Whom"
        @update:model-value="(who) => put({ who })"
      />
      <v-text-field
        v-if="act.do === 'task'"
        :model-value="act.days"
        type="number"
        min="0"
        label="Due so many days after"
        @update:model-value="(text: string) => put({ days: number(text) })"
      />
      <v-textarea
        :model-value="act.words"
        :label="act.do === 'task' ? 'What is to be done' : 'The words'"
        rows="2"
        auto-grow
        counter="500"
        class="wide"
        @update:model-value="(words: string) => put({ words })"
      />
    </template>
  </div>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 12px;
}
</style>
