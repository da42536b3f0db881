<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { z } from 'zod';
import { ClientView, PersonHit, PersonRecord, SearchHits } from '../../contract/index.ts';
import { get } from '../api.ts';
import { useLatest } from '../ui/latest.ts';

/** A person or a client of the register, found by the beginning of a name or an address. */
const id = defineModel<number | null>({ required: true });
const props = defineProps<{ to: 'person' | 'client'; label: string; errorMessages?: string[] }>();
interface Choice {
  value: number;
  title: string;
  more: string;
}
const words = ref('');
const found = ref<Choice[]>([]);
const chosen = ref<Choice | null>(null);
const { ask, problem } = useLatest();
const choices = computed(() => {
  const known = found.value.some(({ value }) => value === id.value);
  return chosen.value && !known ? [chosen.value, ...found.value] : found.value;
});

const find = async (q: string): Promise<Choice[]> =>
  props.to === 'person'
    ? (await get(z.array(PersonHit), '/people', { q })).map((hit) => ({
        value: hit.id,
        title: hit.name,
        more: [hit.email, hit.clients].filter(Boolean).join(' · '),
      }))
    : (await get(SearchHits, '/search', { q })).clients.map((hit) => ({
        value: hit.id,
        title: hit.name,
        more: hit.place,
      }));
watch(words, async (q) => {
  if (!q?.trim() || q === chosen.value?.title) return;
  found.value = (await ask(() => find(q))) ?? found.value;
});

/** Who is chosen when the field shows is read by number. */
watch(
  id,
  async (now) => {
    if (now === null) return void (chosen.value = null);
    const hit = found.value.find(({ value }) => value === now);
    if (hit) return void (chosen.value = hit);
    const title = await ask(async () => {
      if (props.to === 'client') return (await get(ClientView, `/clients/${now}`)).name;
      const { firstName, lastName } = await get(PersonRecord, `/people/${now}/record`);
      return `${firstName} ${lastName}`.trim();
    });
    if (title && id.value === now) chosen.value = { value: now, title, more: '' };
  },
  { immediate: true },
);
</script>

<template>
  <v-autocomplete
    v-model="id"
    v-model:search="words"
    :items="choices"
    :label="label"
    :item-props="({ more }: Choice) => ({ subtitle: more })"
    no-filter
    clearable
    :error-messages="[...(errorMessages ?? []), ...(problem ? [problem] : [])]"
    no-data-text="Type the beginning of a name"
  />
</template>
