<script setup lang="ts">
import { reactive, ref, watch } from 'vue';
import { Made, type KeptSelection } from '../../contract/index.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { ApiProblem, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';

/** Keeps a selection under a name: as it will be each day, or those it takes now. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ selection: Selection; kept: KeptSelection | null; total: number | null }>();
const emit = defineEmits<{ kept: [id: number] }>();
const form = reactive({ name: '', fixed: false, shared: true });
const problem = ref('');
const wrongName = ref('');
const busy = ref(false);
watch(open, (now) => {
  if (!now) return;
  problem.value = wrongName.value = '';
  Object.assign(form, {
    name: props.kept ? `${props.kept.name} (copy)`.slice(0, 120) : '',
    fixed: false,
    shared: true,
  });
});
async function keep() {
  busy.value = true;
  try {
    const { id } = await send('POST', Made, '/selections', { ...form, selection: props.selection });
    open.value = false;
    emit('kept', id);
  } catch (error) {
    const name = error instanceof ApiProblem && error.field === 'name';
    wrongName.value = name ? wordsOf(error) : '';
    problem.value = name ? '' : wordsOf(error);
  } finally {
    busy.value = false;
  }
}
const WAYS = [
  { value: false, title: 'Its lines: whoever fits them on the day' },
  { value: true, title: 'Those it takes now: a list that stays' },
];
</script>

<template>
  <AskDialog v-model="open" :max-width="460" label="Keep this selection">
    <form id="keep" class="keep" @submit.prevent="keep">
      <v-text-field v-model="form.name" v-first label="Name" maxlength="120" :error-messages="wrongName" />
      <v-select v-model="form.fixed" :items="WAYS" label="What is kept" />
      <v-checkbox v-model="form.shared" label="Colleagues see it too" hide-details />
      <p v-if="form.fixed" class="quiet">
        The {{ (total ?? 0).toLocaleString('en-GB') }} of today stay on the list whatever becomes of their
        records. Put others in or take some out by hand whenever you open it.
      </p>
    </form>
    <Trouble :words="problem" class="mt-2" />
    <template #answers>
      <v-btn @click="open = false">Not now</v-btn>
      <v-btn type="submit" form="keep" color="primary" variant="flat" :loading="busy">Keep it</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.keep {
  display: grid;
  gap: 10px;
  padding-top: 6px;
}
</style>
