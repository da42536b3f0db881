<script setup lang="ts">
import { computed, ref } from 'vue';
import { TARGETS } from '../../core/import/columns.ts';
import type { ImportView } from '../../contract/index.ts';
import { useChoices } from '../register/register.ts';

/** What each column of a list holds: guessed, and changed by hand. */
const props = defineProps<{ run: ImportView; busy: boolean }>();
const emit = defineEmits<{ check: [columns: (string | null)[], existing: 'change' | 'leave'] }>();
const columns = ref<(string | null)[]>([...props.run.columns]);
const existing = ref(props.run.existing);
const { choices } = useChoices();
/** By what a cell names somebody else. */
const BY: Partial<Record<string, string>> = { person: ', by address', client: ', by name' };
const OF = { client: 'client', person: 'person', file: 'file' };
const items = computed(() => [
  { title: 'left out', value: null },
  ...Object.entries(TARGETS).map(([value, title]) => ({ value, title })),
  ...(choices.value?.fields ?? []).map(({ id, label, of, kind }) => ({
    value: `field:${id}`,
    title: `${label} (field of a ${OF[of]}${BY[kind] ?? ''})`,
  })),
]);
const samples = (column: number) =>
  props.run.sample
    .map((row) => row[column] ?? '')
    .filter(Boolean)
    .slice(0, 3);
</script>

<template>
  <p class="my-2">
    Say what each column holds. What was guessed stands there already; a list with the same headings is
    remembered.
  </p>
  <div class="sheet scroll">
    <table class="ledger-table">
      <thead>
        <tr>
          <th scope="col">Column</th>
          <th scope="col">It begins with</th>
          <th scope="col" class="holds">It holds</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(heading, column) in run.header" :key="column">
          <td>
            <strong>{{ heading || `column ${column + 1}` }}</strong>
          </td>
          <td class="quiet">
            <div class="cell">{{ samples(column).join(' · ') }}</div>
          </td>
          <td>
            <v-autocomplete
              v-model="columns[column]"
              :items="items"
              :aria-label="`${heading || `column ${column + 1}`} holds`"
              :class="{ out: columns[column] === null }"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <v-radio-group v-model="existing" hide-details class="mt-3">
    <v-radio value="change" label="What is here already is changed to what the list says" />
    <v-radio value="leave" label="What is here already is left as it is; only what is new is added" />
  </v-radio-group>
  <div class="answers">
    <v-btn color="primary" variant="flat" :loading="busy" @click="emit('check', columns, existing)"
      >See what it would do</v-btn
    >
  </div>
</template>

<style scoped>
.scroll {
  max-height: calc(100vh - 330px);
  overflow: auto;
}
.cell {
  max-width: 380px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.holds {
  width: 300px;
}
.out {
  opacity: 0.7;
}
</style>
