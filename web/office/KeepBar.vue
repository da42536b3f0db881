<script setup lang="ts" generic="T extends object">
import { ref, watch } from 'vue';
import { onBeforeRouteLeave } from 'vue-router';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import Theirs from '../ui/Theirs.vue';
import type { RecordForm } from '../ui/record.ts';

/** Below fields that are changed together: keep them, or forget what was typed. */
const props = defineProps<{ record: RecordForm<T>; labels: Partial<Record<keyof T & string, string>> }>();
const emit = defineEmits<{ kept: [] }>();
const said = ref('');
watch(
  () => props.record.changed.value.length,
  (count) => {
    if (count) said.value = '';
  },
);
async function keep() {
  if (!(await props.record.keep())) return;
  said.value = 'Kept.';
  emit('kept');
}
defineExpose({ keep });

/** What was typed and not kept is not lost by going elsewhere. */
const asking = ref(false);
let goOn: ((go: boolean) => void) | null = null;
onBeforeRouteLeave(() => {
  if (!props.record.changed.value.length) return true;
  asking.value = true;
  return new Promise<boolean>((resolve) => (goOn = resolve));
});
function answer(go: boolean) {
  asking.value = false;
  goOn?.(go);
  goOn = null;
}
async function keepAndGo() {
  answer(await props.record.keep());
}
</script>

<template>
  <div class="keep">
    <Trouble :words="record.problem.value" class="mb-2" />
    <Theirs :record="record" :labels="labels" />
    <div class="answers">
      <span class="quiet said-so" role="status">{{ said }}</span>
      <v-btn v-if="record.changed.value.length" @click="record.undo()">Undo what I typed</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :disabled="!record.changed.value.length"
        :loading="record.busy.value"
        @click="keep"
        >Keep</v-btn
      >
    </div>
    <AskDialog v-model="asking" label="Not kept yet" @update:model-value="(open) => open || answer(false)">
      <p>What you typed here is not kept yet.</p>
      <template #answers>
        <v-btn @click="answer(false)">Stay here</v-btn>
        <v-btn @click="answer(true)">Forget it</v-btn>
        <v-btn color="primary" variant="flat" @click="keepAndGo">Keep it and go</v-btn>
      </template>
    </AskDialog>
  </div>
</template>

<style scoped>
.keep {
  margin-top: 16px;
}
.answers {
  align-items: center;
}
.said-so {
  margin-right: auto;
}
</style>
