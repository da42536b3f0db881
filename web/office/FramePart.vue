<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { FrameLook, FrameSettings } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import ChoosePicture from '../parts/ChoosePicture.vue';
import Trouble from '../parts/Trouble.vue';
import { FIRM_LABELS, useFirm } from './firm.ts';
import KeepBar from './KeepBar.vue';

/** What stands around the firm's newsletters, looked at as a desk and as a telephone show it. */
const emit = defineEmits<{ kept: [] }>();
const { record, firm } = useFirm(['frame']);
const { form, errorOf } = record;
const { problem, load } = firm;
/** So wide a telephone is, and a desk's message, in pixels. */
const WIDTHS = { desk: 660, telephone: 375 } as const;
const width = ref<keyof typeof WIDTHS>('desk');
const html = ref('');
const wrong = ref<Record<string, string>>({});
const trouble = ref('');

const look = useDebounceFn(async () => {
  const { data, error } = FrameSettings.safeParse(form.frame);
  wrong.value = Object.fromEntries(
    (error?.issues ?? []).map(({ path, message }) => [String(path[0]), message]),
  );
  if (!data) return;
  try {
    ({ html: html.value } = await send('POST', FrameLook, '/wordings/frame', data));
    trouble.value = '';
  } catch (failed) {
    trouble.value = wordsOf(failed);
  }
}, 300);
watch(
  () => JSON.stringify(form.frame),
  () => form.frame.colour && void look(),
  { immediate: true },
);
</script>

<template>
  <Trouble :words="problem" :retry="load" class="mb-3" />
  <form class="form-grid" @submit.prevent>
    <ChoosePicture
      :has="form.frame.logo !== null"
      choose="Choose a logo…"
      another="Another logo…"
      gif
      @chosen="
        (logo, width) => (form.frame = { ...form.frame, logo, logoWidth: Math.max(24, Math.min(width, 240)) })
      "
      @gone="form.frame = { ...form.frame, logo: null }"
      @trouble="trouble = $event"
    />
    <v-text-field
      v-model.number="form.frame.logoWidth"
      type="number"
      label="How wide the logo is, in pixels"
      :disabled="!form.frame.logo"
      :error-messages="wrong.logoWidth"
    />
    <div class="colour">
      <input v-model="form.frame.colour" type="color" aria-label="Choose the colour" />
      <v-text-field
        v-model="form.frame.colour"
        label="Colour of the edge, headings and links"
        :error-messages="wrong.colour"
      />
    </div>
    <v-checkbox
      v-model="form.frame.signatures"
      :disabled="!form.frame.logo"
      label="the logo below signatures too"
    />
    <v-textarea
      v-model="form.frame.footer"
      class="wide"
      label="Lines below, such as a company number"
      rows="2"
      :error-messages="wrong.footer"
    />
  </form>
  <p v-for="words in errorOf('frame')" :key="words" class="needs mt-1" role="alert">{{ words }}</p>
  <KeepBar :record="record" :labels="FIRM_LABELS" @kept="emit('kept')" />
  <Trouble :words="trouble" class="mt-3" />
  <div class="widths mt-4" role="group" aria-label="How wide it is looked at">
    <button
      v-for="(_, name) in WIDTHS"
      :key="name"
      type="button"
      class="link"
      :aria-pressed="width === name"
      @click="width = name"
    >
      at a {{ name }}
    </button>
  </div>
  <iframe
    v-if="html"
    class="look"
    sandbox=""
    :srcdoc="html"
    :style="{ maxWidth: `${WIDTHS[width]}px` }"
    title="How the frame looks"
    tabindex="0"
  />
</template>

<style scoped>
.colour {
  display: flex;
  align-items: center;
  gap: 12px;
}
.colour input[type='color'] {
  width: 44px;
  height: 36px;
  padding: 2px;
  border: 1px solid var(--strong);
  background: var(--sheet);
}
.widths {
  display: flex;
  gap: 16px;
}
.widths [aria-pressed='true'] {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.look {
  width: 100%;
  height: 520px;
  margin-top: 8px;
  border: 1px solid var(--hairline);
  background: #fff;
}
</style>
