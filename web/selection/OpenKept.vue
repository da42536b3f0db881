<script setup lang="ts">
import { computed, ref } from 'vue';
import { KeptPage, KeptSelection } from '../../contract/index.ts';
import type { Selection, Subject } from '../../core/selection/tree.ts';
import { get, wordsOf } from '../api.ts';
import { useLoad } from '../ui/load.ts';
import { READY, type Ready } from './ready.ts';

/** Begins with a selection that is kept, or one of those that are ready made. */
const props = defineProps<{ subject: Subject }>();
const emit = defineEmits<{ open: [selection: Selection] }>();
const problem = ref('');
const { data: kept } = useLoad(KeptPage, () => ({ path: '/selections', query: { limit: 200 } }), {
  concerns: { selections: true },
});
const own = computed(() => (kept.value?.rows ?? []).filter(({ subject }) => subject === props.subject));
const ready = computed(() => READY.filter(({ selection }) => selection.subject === props.subject));
const begin = ({ selection }: Ready) => emit('open', structuredClone(selection));
async function open(id: number) {
  try {
    emit('open', (await get(KeptSelection, `/selections/${id}`)).selection);
    problem.value = '';
  } catch (error) {
    problem.value = wordsOf(error);
  }
}
</script>

<template>
  <v-menu max-height="420">
    <template #activator="{ props: opener }">
      <button v-bind="opener" type="button" class="link">begin with one that is kept</button>
    </template>
    <v-list density="compact" border rounded="sm" elevation="0">
      <v-list-item
        v-for="row in own"
        :key="row.id"
        :title="row.name"
        :subtitle="row.fixed ? `list of ${row.members}` : ''"
        @click="open(row.id)"
      />
      <v-divider v-if="own.length" />
      <v-list-item v-for="each in ready" :key="each.name" :title="each.name" @click="begin(each)" />
    </v-list>
  </v-menu>
  <span v-if="problem" class="needs" role="alert">{{ problem }}</span>
</template>
