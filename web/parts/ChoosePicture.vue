<script setup lang="ts">
import { useTemplateRef } from 'vue';
import { wordsOf } from '../api.ts';
import { keptPicture } from './nodes.ts';

/** One picture, kept as it is chosen: a logo, a signature. */
const props = defineProps<{
  /** Whether there is one. */
  has: boolean;
  /** On the button, while there is none and while there is one. */
  choose: string;
  another: string;
  /** GIFs too, which no letter is printed with. */
  gif?: boolean;
}>();
const emit = defineEmits<{
  /** @param width as it is drawn, in pixels */
  chosen: [hash: string, width: number];
  gone: [];
  trouble: [words: string];
}>();
const chooser = useTemplateRef<HTMLInputElement>('chooser');
async function take() {
  const file = chooser.value?.files?.[0];
  if (chooser.value) chooser.value.value = '';
  if (!file) return;
  try {
    const { attrs } = await keptPicture(file);
    emit('chosen', String(attrs?.hash), Number(attrs?.width ?? 180));
    emit('trouble', '');
  } catch (error) {
    emit('trouble', wordsOf(error));
  }
}
const accept = `image/png,image/jpeg${props.gif ? ',image/gif' : ''}`;
</script>

<template>
  <span class="choose">
    <v-btn @click="chooser?.click()">{{ has ? another : choose }}</v-btn>
    <button v-if="has" type="button" class="link" @click="emit('gone')">take it away</button>
    <input ref="chooser" type="file" :accept="accept" hidden aria-hidden="true" @change="take" />
  </span>
</template>

<style scoped>
.choose {
  display: inline-flex;
  align-items: center;
  gap: 12px;
}
</style>
