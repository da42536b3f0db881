<script setup lang="ts">
import { ref, watch } from 'vue';
import { readTime } from '../../core/office/day.ts';

/** A time of day, typed in any usual way; empty for none. */
const time = defineModel<string>({ required: true });
defineProps<{ label: string; errorMessages?: string | readonly string[] }>();
const typed = ref('');
const wrong = ref('');
watch(
  time,
  (now) => {
    typed.value = now;
    wrong.value = '';
  },
  { immediate: true },
);
function read() {
  const words = typed.value.trim();
  const found = words ? readTime(words) : '';
  wrong.value = found === null ? 'Give a time, such as 14:30.' : '';
  if (found === null) return;
  time.value = found;
  typed.value = found;
}
</script>

<template>
  <v-text-field
    v-model="typed"
    :label="label"
    :error-messages="wrong || errorMessages"
    autocomplete="off"
    placeholder="14:30"
    @blur="read"
    @keydown.enter="read"
  />
</template>
