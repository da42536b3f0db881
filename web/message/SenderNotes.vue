<script setup lang="ts">
import { ref, watch } from 'vue';
import { ReadAgain, type MessageView } from '../../contract/index.ts';
import { send, wordsOf } from '../api.ts';
import { useTimes } from '../words.ts';

/** What a reader should know before believing a message: who may have written it, its double, what could not be read. */
const props = defineProps<{ message: MessageView }>();
const emit = defineEmits<{ whole: [id: number]; changed: [] }>();
const { brief } = useTimes();
const said = ref('');
watch(
  () => props.message.id,
  () => (said.value = ''),
);
async function readAgain() {
  try {
    const { problem } = await send('POST', ReadAgain, `/messages/${props.message.id}/read-again`, {});
    if (problem === null) emit('changed');
    else said.value = 'It still cannot be read.';
  } catch (error) {
    said.value = wordsOf(error);
  }
}
</script>

<template>
  <div
    v-if="message.warnings.length || message.twins.length || message.problem || message.shortened"
    class="notes"
    role="note"
    aria-label="Before you believe it"
  >
    <p v-for="warning in message.warnings" :key="warning" class="needs">{{ warning }}</p>
    <p v-for="twin in message.twins" :key="twin.id">
      Another message bears the same marks, sender and date, but says something else: “{{
        twin.subject || '(no subject)'
      }}”, here since {{ brief(twin.takenInAt) }}.
      <button type="button" class="link" @click="$emit('whole', twin.id)">See it</button>
    </p>
    <p v-if="message.problem">
      It could not be read: {{ message.problem }}. What stands here is its source, as it came.
      <button type="button" class="link" @click="readAgain">Try once more</button>
      <span class="quiet" role="status">{{ said }}</span>
    </p>
    <p v-if="message.shortened">
      It goes on beyond what is shown.
      <a :href="`/api/messages/${message.id}/source`" download>Save the whole message</a>
    </p>
  </div>
</template>

<style scoped>
.notes {
  border-left: 3px solid var(--brick);
  padding: 4px 0 4px 12px;
  margin-bottom: 12px;
  font-size: 14px;
  max-width: 76ch;
  overflow-wrap: anywhere;
}
.notes p + p {
  margin-top: 4px;
}
</style>
