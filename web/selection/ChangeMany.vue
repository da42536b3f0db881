<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { computed, reactive, ref, watch } from 'vue';
import {
  ClientStatus,
  Made,
  ManyChange,
  ManyPreview,
  type DeliveryKind,
  type DeliveryWay,
  type FieldInput,
} from '../../contract/index.ts';
import type { Selection } from '../../core/selection/tree.ts';
import { send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import OwnFields from '../register/OwnFields.vue';
import { DELIVERY_KINDS, DELIVERY_WAYS, useChoices } from '../register/register.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useLatest } from '../ui/latest.ts';
import { many } from '../words.ts';

/** One change to all of a selection: shown before it is made, and taken back as one. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ selection: Selection }>();
const emit = defineEmits<{ done: [id: number, words: string] }>();
const SHOWN = 30;
const { choices, fieldsOf } = useChoices();

const WHAT: Record<Selection['subject'], { value: string; title: string }[]> = {
  client: [
    { value: 'add tag', title: 'Give them a tag' },
    { value: 'drop tag', title: 'Take a tag from them' },
    { value: 'add interest', title: 'Note an interest' },
    { value: 'drop interest', title: 'Strike an interest' },
    { value: 'adviser', title: 'Another adviser' },
    { value: 'service', title: 'Another service' },
    { value: 'status', title: 'Another status' },
    { value: 'delivery', title: 'How something goes to them' },
  ],
  person: [],
  file: [
    { value: 'stage', title: 'Another stage' },
    { value: 'adviser', title: 'Another adviser' },
  ],
};
const fields = computed(() => fieldsOf(props.selection.subject));
const kinds = computed(() => [
  ...WHAT[props.selection.subject],
  ...fields.value.map(({ id, label }) => ({ value: `field:${id}`, title: label })),
]);
const field = computed(() => fields.value.filter(({ id }) => `field:${id}` === draft.what));

const draft = reactive({
  what: '',
  text: null as string | null,
  adviser: null as number | null,
  kind: 'mailings' as DeliveryKind,
  way: 'email' as DeliveryWay,
  status: 'active' as 'active' | 'past' | 'prospect',
});
const values = reactive<Record<string, FieldInput>>({});
watch(
  () => draft.what,
  (what) => {
    draft.text = null;
    for (const key of Object.keys(values)) delete values[key];
    if (what.startsWith('field:')) values[what] = null;
  },
);
const wanted = computed(() => {
  const { what } = draft;
  if (what.startsWith('field:')) return { what: 'field', key: what, value: values[what] ?? null };
  if (what === 'adviser') return { what, value: draft.adviser };
  if (what === 'delivery') return { what, kind: draft.kind, value: draft.way };
  if (what === 'status') return { what, value: draft.status };
  return { what, value: draft.text };
});
/** Nothing is asked of the server while something has still to be said. */
const change = computed(() => {
  const parsed = ManyChange.safeParse(wanted.value);
  return parsed.success ? parsed.data : null;
});

const preview = ref<ManyPreview | null>(null);
const { ask, asking, problem } = useLatest();
const look = useDebounceFn(async () => {
  preview.value = null;
  if (!open.value || !change.value) return;
  const body = { selection: props.selection, change: change.value, offset: 0, limit: SHOWN };
  preview.value = (await ask(() => send('POST', ManyPreview, '/many/preview', body))) ?? null;
}, 250);
watch([change, open], () => void look());
watch(open, (now) => {
  if (now) draft.what = '';
});
const refused = ref('');
const busy = ref(false);
async function go() {
  if (!change.value || !preview.value) return;
  busy.value = true;
  refused.value = '';
  try {
    const { changed } = preview.value;
    const { id } = await send('POST', Made, '/many', {
      selection: props.selection,
      change: change.value,
      changed,
    });
    emit('done', id, `${many(changed, 'record')} changed.`);
    open.value = false;
  } catch (error) {
    refused.value = wordsOf(error);
    void look();
  } finally {
    busy.value = false;
  }
}
const listOf = computed(() => {
  if (draft.what.endsWith('tag')) return choices.value?.tags ?? [];
  if (draft.what.endsWith('interest')) return choices.value?.interests ?? [];
  return draft.what === 'service' ? (choices.value?.services ?? []) : (choices.value?.stages ?? []);
});
const deliveryKinds = Object.entries(DELIVERY_KINDS).map(([value, title]) => ({ value, title }));
const ways = Object.entries(DELIVERY_WAYS).map(([value, title]) => ({ value, title }));
</script>

<template>
  <AskDialog v-model="open" :persistent="draft.what !== ''" :max-width="620" label="Change them all">
    <div class="form-grid">
      <v-select
        v-model="draft.what"
        :items="kinds"
        label="What"
        class="wide"
        no-data-text="There is nothing to change of these yet"
      />
      <template v-if="draft.what === 'delivery'">
        <v-select v-model="draft.kind" :items="deliveryKinds" label="What goes" />
        <v-select v-model="draft.way" :items="ways" label="How" />
      </template>
      <v-select
        v-else-if="draft.what === 'status'"
        v-model="draft.status"
        :items="ClientStatus.options"
        label="Status"
        class="wide"
      />
      <v-autocomplete
        v-else-if="draft.what === 'adviser'"
        v-model="draft.adviser"
        :items="choices?.advisers ?? []"
        item-title="name"
        item-value="id"
        label="Adviser; empty for none"
        clearable
        class="wide"
      />
      <OwnFields v-else-if="field.length" :fields="field" :values="values" :error-of="() => []" />
      <v-combobox
        v-else-if="draft.what === 'add tag'"
        v-model="draft.text"
        :items="listOf"
        label="Tag: choose, or type a new one"
        class="wide"
      />
      <v-autocomplete
        v-else-if="draft.what"
        v-model="draft.text"
        :items="listOf"
        :label="draft.what === 'service' || draft.what === 'stage' ? 'Which; empty for none' : 'Which'"
        :clearable="draft.what === 'service' || draft.what === 'stage'"
        class="wide"
      />
    </div>
    <Trouble :words="refused || problem" class="mt-2" />
    <p v-if="asking" class="quiet mt-3" role="status">Looking what would change …</p>
    <template v-else-if="preview">
      <p class="mt-3" role="status">
        <strong>{{ preview.changed.toLocaleString('en-GB') }}</strong> would change,
        {{ preview.same.toLocaleString('en-GB') }} {{ preview.same === 1 ? 'is' : 'are' }} so already.
      </p>
      <div v-if="preview.rows.length" class="shown" tabindex="0" role="region" aria-label="What would change">
        <table class="ledger-table">
          <thead>
            <tr>
              <th scope="col">Whose</th>
              <th scope="col">Stands there</th>
              <th scope="col">Will stand there</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in preview.rows" :key="row.id">
              <td>{{ row.name }}</td>
              <td class="quiet">{{ row.before || 'nothing' }}</td>
              <td>{{ row.after || 'nothing' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="preview.changed > preview.rows.length" class="quiet pa-2">
          and {{ (preview.changed - preview.rows.length).toLocaleString('en-GB') }} more
        </p>
      </div>
    </template>
    <template #answers>
      <v-btn @click="open = false">Not now</v-btn>
      <v-btn
        color="primary"
        variant="flat"
        :disabled="!preview?.changed || asking"
        :loading="busy"
        @click="go"
      >
        {{ preview?.changed ? `Change ${many(preview.changed, 'record')}` : 'Change them' }}
      </v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.shown {
  max-height: 240px;
  overflow: auto;
  border: 1px solid var(--hairline);
}
</style>
