<script setup lang="ts">
import { computed } from 'vue';
import { WordingsPage } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import { useLoad } from '../ui/load.ts';

/** The kept enclosures that go with a template wherever it is put in. */
const ids = defineModel<number[]>({ required: true });
defineProps<{ errors: string[] }>();
/** So many are offered. */
const MOST = 200;
const { data, problem, load } = useLoad(WordingsPage, () => ({
  path: '/wordings/kept',
  query: { kind: 'enclosure', limit: MOST },
}));
const items = computed(() =>
  (data.value?.rows ?? []).map(({ id: value, name: title, enclosed }) => ({
    value,
    title,
    props: { subtitle: enclosed?.filename ?? '' },
  })),
);
</script>

<template>
  <div>
    <v-autocomplete
      v-model="ids"
      :items="items"
      label="Enclosures that go with it"
      placeholder="none"
      persistent-placeholder
      multiple
      chips
      closable-chips
      :error-messages="errors"
      no-data-text="No file is kept yet."
    />
    <Trouble :words="problem" :retry="load" class="mt-1" />
  </div>
</template>
