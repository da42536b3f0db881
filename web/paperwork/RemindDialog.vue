<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import { RemindingChange, RemindingView } from '../../contract/index.ts';
import { act } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';

/** What is otherwise about the reminders of one client, or of one fee note. */
const props = defineProps<{ of: { path: string; what: string; elsewhere: string } }>();
const emit = defineEmits<{ close: []; changed: [] }>();
const path = computed(() => `${props.of.path}/reminding`);
const { data: kept, problem, load } = useLoad(RemindingView, () => path.value);
const NUMBERS = [
  { key: 'after', label: 'The first, days after it is due' },
  { key: 'every', label: 'Each further one, days later' },
  { key: 'most', label: 'How many at most' },
] as const;
const draft = reactive({ otherwise: false, off: false, after: '', every: '', most: '' });
const begun = ref('');
watch(kept, (now) => {
  if (!now || begun.value) return;
  const own = now.own;
  const words = (key: 'after' | 'every' | 'most') => String(own?.[key] ?? '');
  Object.assign(draft, { otherwise: own !== null, off: own?.off ?? false });
  for (const { key } of NUMBERS) draft[key] = words(key);
  begun.value = JSON.stringify(draft);
});
const typed = computed(() => begun.value !== '' && JSON.stringify(draft) !== begun.value);
const open = ref(true);
watch(open, (now) => {
  if (!now) emit('close');
});
const form = useForm(RemindingChange, ['own.after', 'own.every', 'own.most']);
const number = (words: string) => (String(words).trim() === '' ? null : Number(words));
const keep = () =>
  form.submit(
    {
      own: draft.otherwise
        ? { off: draft.off, after: number(draft.after), every: number(draft.every), most: number(draft.most) }
        : null,
    },
    async (change) => {
      await act('PUT', path.value, change);
      emit('changed');
      open.value = false;
    },
  );
</script>

<template>
  <AskDialog v-model="open" :persistent="typed" :max-width="480" label="Reminders">
    <template #heading>Reminders of {{ of.what }}</template>
    <Trouble :words="problem" :retry="load" />
    <form v-if="kept" @submit.prevent="keep">
      <v-radio-group v-model="draft.otherwise" aria-label="Which numbers" hide-details>
        <v-radio :value="false" :label="of.elsewhere" />
        <v-radio :value="true" label="otherwise:" />
      </v-radio-group>
      <div v-if="draft.otherwise" class="own">
        <v-checkbox v-model="draft.off" label="no reminders" />
        <template v-if="!draft.off">
          <v-text-field
            v-for="{ key, label } in NUMBERS"
            :key="key"
            v-model="draft[key]"
            type="number"
            min="1"
            :label="label"
            :placeholder="String(kept.else[key] ?? '')"
            persistent-placeholder
            :error-messages="form.errorOf(`own.${key}`)"
          />
        </template>
      </div>
      <p v-if="form.problem.value" class="needs mt-2" role="alert">{{ form.problem.value }}</p>
      <div class="answers mt-3">
        <v-btn @click="open = false">{{ typed ? 'Forget what I typed' : 'Close' }}</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :loading="form.busy.value">Keep</v-btn>
      </div>
    </form>
  </AskDialog>
</template>

<style scoped>
.own {
  display: flex;
  flex-direction: column;
  gap: 10px;
  margin: 6px 0 0 34px;
}
.answers {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
</style>
