<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue';
import type { z } from 'zod';
import { ClientRecord, PersonRecord, type Checks } from '../../contract/index.ts';
import { get, send, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import OwnFields from '../register/OwnFields.vue';
import { useChoices } from '../register/register.ts';
import AskDialog from '../ui/AskDialog.vue';

/** What is missing in one copy, put right in the records where it stands. */
const row = defineModel<Checks['missing'][number] | null>({ required: true });
const emit = defineEmits<{ mended: [] }>();
const { fieldsOf } = useChoices();
const client = ref<z.output<typeof ClientRecord> | null>(null);
const person = ref<z.output<typeof PersonRecord> | null>(null);
const form = reactive<Record<string, unknown>>({});
const problem = ref('');
const busy = ref(false);

const greeted = computed(() => row.value?.field === 'greeting');
const own = computed(() => fieldsOf('client').filter(({ id }) => row.value?.field === `field:${id}`));
/** Fields of the client and of the person that it can be mended by; none where another place is better. */
const BUILT_IN: Record<string, { of: 'client' | 'person'; name: string; label: string }[]> = {
  greeting: [
    { of: 'person', name: 'firstName', label: 'First name' },
    { of: 'client', name: 'greeting', label: 'Or how the client is greeted, after “Dear”' },
  ],
  'client.place': [{ of: 'client', name: 'place', label: 'Place' }],
  'person.firstName': [{ of: 'person', name: 'firstName', label: 'First name' }],
  'person.lastName': [{ of: 'person', name: 'lastName', label: 'Last name' }],
  'person.title': [{ of: 'person', name: 'title', label: 'Title' }],
};
const fields = computed(() => BUILT_IN[row.value?.field ?? ''] ?? []);

watch(row, async (now) => {
  problem.value = '';
  client.value = person.value = null;
  if (!now) return;
  try {
    [client.value, person.value] = await Promise.all([
      get(ClientRecord, `/clients/${now.clientId}/record`),
      get(PersonRecord, `/people/${now.personId}/record`),
    ]);
    for (const { of, name } of fields.value)
      form[name] = (of === 'client' ? client : person).value?.[name] ?? '';
    for (const { id } of own.value) form[`field:${id}`] = client.value[`field:${id}`] ?? null;
  } catch (error) {
    problem.value = wordsOf(error);
  }
});

/** What was changed of a record, before and after. */
function changeOf(record: Record<string, unknown>, names: readonly string[]) {
  const asKept = (name: string) =>
    name === 'greeting' ? String(form[name] ?? '').trim() || null : form[name];
  const changed = names.filter((name) => (record[name] ?? '') !== (asKept(name) ?? ''));
  const pick = (from: (name: string) => unknown) =>
    Object.fromEntries(changed.map((name) => [name, from(name)]));
  return changed.length ? { before: pick((name) => record[name]), after: pick(asKept) } : null;
}
async function keep() {
  if (!row.value || !client.value || !person.value) return;
  busy.value = true;
  const named = (of: 'client' | 'person') =>
    fields.value.filter((each) => each.of === of).map(({ name }) => name);
  const ofClient = changeOf(client.value, [...named('client'), ...own.value.map(({ id }) => `field:${id}`)]);
  const ofPerson = changeOf(person.value, named('person'));
  try {
    // Should the second fail, the first is not sent once more.
    if (ofPerson) person.value = await send('PUT', PersonRecord, `/people/${row.value.personId}`, ofPerson);
    if (ofClient) client.value = await send('PUT', ClientRecord, `/clients/${row.value.clientId}`, ofClient);
    row.value = null;
    emit('mended');
  } catch (error) {
    problem.value = wordsOf(error);
  }
  busy.value = false;
}
</script>

<template>
  <AskDialog
    :model-value="row !== null"
    :max-width="520"
    label="Mend it"
    @update:model-value="(open: boolean) => open || (row = null)"
  >
    <template #heading>{{ row?.label }} of {{ row?.client }}</template>
    <Trouble :words="problem" class="mb-2" />
    <p v-if="greeted" class="quiet mb-3">
      They are greeted by their first names, unless the client has a greeting of its own.
    </p>
    <div v-if="client" class="lines">
      <v-text-field
        v-for="field in fields"
        :key="field.name"
        :model-value="String(form[field.name] ?? '')"
        :label="field.label"
        @update:model-value="form[field.name] = $event"
        @keydown.enter="keep"
      />
      <OwnFields v-if="own.length" :fields="own" :values="form" :error-of="() => []" />
      <p v-if="!fields.length && !own.length">
        It is put right <router-link :to="`/clients/${row?.clientId}/record`">on the record</router-link>, or
        give the field other words to use.
      </p>
    </div>
    <template #answers>
      <v-btn @click="row = null">Leave it</v-btn>
      <v-btn
        v-if="fields.length || own.length"
        color="primary"
        variant="flat"
        :loading="busy"
        :disabled="!client"
        @click="keep"
        >Keep</v-btn
      >
    </template>
  </AskDialog>
</template>

<style scoped>
.lines {
  display: grid;
  gap: 12px;
  padding-top: 6px;
}
</style>
