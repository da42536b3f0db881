<script setup lang="ts">
import type { Phone } from '../../contract/index.ts';

/** Telephone numbers, a line each with what it is for. */
const phones = defineModel<Phone[]>({ required: true });
defineProps<{ errors: string[] }>();
const change = (index: number, part: Partial<Phone>) => {
  phones.value = phones.value.map((phone, at) => (at === index ? { ...phone, ...part } : phone));
};
const add = () => {
  phones.value = [...phones.value, { number: '', purpose: '' }];
};
const remove = (index: number) => {
  phones.value = phones.value.filter((_, at) => at !== index);
};
</script>

<template>
  <div class="wide">
    <div v-for="(phone, index) in phones" :key="index" class="line">
      <v-text-field
        :model-value="phone.number"
        label="Telephone"
        autocomplete="off"
        @update:model-value="(number: string) => change(index, { number })"
      />
      <v-text-field
        :model-value="phone.purpose"
        label="What for, such as mobile"
        @update:model-value="(purpose: string) => change(index, { purpose })"
      />
      <button type="button" class="link" :aria-label="`Take away ${phone.number}`" @click="remove(index)">
        take away
      </button>
    </div>
    <p v-for="words in errors" :key="words" class="needs" role="alert">{{ words }}</p>
    <button type="button" class="link" @click="add">Add a telephone number</button>
  </div>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 1fr 1fr auto;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
</style>
