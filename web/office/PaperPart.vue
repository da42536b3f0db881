<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { PaperSettings } from '../../contract/index.ts';
import { WINDOW_NAMES, type Window } from '../../core/paperwork/paper.ts';
import { posted, wordsOf } from '../api.ts';
import Look from '../documents/Look.vue';
import ChoosePicture from '../parts/ChoosePicture.vue';
import Trouble from '../parts/Trouble.vue';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

/** The firm's letter paper and how it is paid, looked at as it will be printed. */
const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['paper']);
const { form, errorOf } = record;
const { problem, load } = firm;
const WINDOWS: Record<Window, string> = {
  left: 'at the left, lower',
  'left, high': 'at the left, high',
  right: 'at the right',
};
const windows = WINDOW_NAMES.map((value) => ({ value, title: WINDOWS[value] }));
const wrong = ref<Record<string, string>>({});
const trouble = ref('');
const bytes = ref<ArrayBuffer | null>(null);

const look = useDebounceFn(async () => {
  const { data, error } = PaperSettings.safeParse(form.paper);
  wrong.value = Object.fromEntries(
    (error?.issues ?? []).map(({ path, message }) => [String(path[0]), message]),
  );
  if (!data) return;
  try {
    bytes.value = await (await posted('/paperwork/paper', data)).arrayBuffer();
    trouble.value = '';
  } catch (failed) {
    trouble.value = wordsOf(failed);
  }
}, 400);
watch(
  () => JSON.stringify(form.paper),
  () => form.paper.colour && void look(),
  { immediate: true },
);
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <div class="both">
    <div>
      <form class="fields" @submit.prevent>
        <ChoosePicture
          :has="form.paper.logo !== null"
          choose="Choose a logo…"
          another="Another logo…"
          @chosen="(logo) => (form.paper = { ...form.paper, logo })"
          @gone="form.paper = { ...form.paper, logo: null }"
          @trouble="trouble = $event"
        />
        <v-text-field
          v-model.number="form.paper.logoWidth"
          type="number"
          label="How wide the logo is, in millimetres"
          :disabled="!form.paper.logo"
          :error-messages="wrong.logoWidth"
        />
        <div class="logo">
          <input v-model="form.paper.colour" type="color" aria-label="Choose the colour" class="pick" />
          <v-text-field
            v-model="form.paper.colour"
            label="Colour of the name and its line"
            :error-messages="wrong.colour"
          />
        </div>
        <v-textarea
          v-model="form.paper.reach"
          label="Beside the address: telephone, email, web"
          rows="3"
          :error-messages="wrong.reach"
        />
        <v-textarea
          v-model="form.paper.foot"
          label="At the foot: registration, tax number"
          rows="2"
          :error-messages="wrong.foot"
        />
        <v-select v-model="form.paper.window" :items="windows" label="Window of the envelope" />
        <v-checkbox v-model="form.paper.foldMarks" label="small marks show where to fold" />
        <h3>Fee notes and statements</h3>
        <v-text-field
          v-model="form.paper.currency"
          label="Currency, as GBP"
          maxlength="3"
          :error-messages="wrong.currency"
        />
        <v-text-field
          v-model="form.paper.taxName"
          label="What the tax is called"
          :error-messages="wrong.taxName"
        />
        <v-textarea
          v-model="form.paper.howToPay"
          label="How to pay"
          rows="3"
          :error-messages="wrong.howToPay"
        />
      </form>
      <p v-for="words in errorOf('paper')" :key="words" class="needs mt-1" role="alert">{{ words }}</p>
      <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
      <Trouble :words="trouble" class="mt-3" />
    </div>
    <Look
      v-if="bytes"
      page=""
      content=""
      :bytes="bytes"
      look="pdf"
      filename="How a letter looks"
      class="look"
    />
  </div>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(240px, 330px) minmax(0, 1fr);
  gap: 20px;
}
.fields {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.logo {
  display: flex;
  align-items: center;
  gap: 12px;
}
.pick {
  width: 44px;
  height: 36px;
  padding: 2px;
  border: 1px solid var(--strong);
  background: var(--sheet);
}
.look {
  height: 640px;
}
</style>
