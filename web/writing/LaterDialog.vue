<script setup lang="ts">
import { DateTime } from 'luxon';
import { ref, watch } from 'vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';

/** Asks when a message is to leave: the next morning, unless one says otherwise. */
const open = defineModel<boolean>({ required: true });
const emit = defineEmits<{ choose: [at: string] }>();
const session = useSession();
const when = ref('');
watch(open, (now) => {
  if (!now) return;
  const morning = DateTime.now().setZone(session.zone).plus({ days: 1 }).set({ hour: 8, minute: 30 });
  when.value = morning.toFormat("yyyy-MM-dd'T'HH:mm");
});
function keep() {
  const at = DateTime.fromISO(when.value, { zone: session.zone }).toUTC().toISO();
  if (!at) return;
  open.value = false;
  emit('choose', at);
}
</script>

<template>
  <AskDialog v-model="open" label="Send later">
    <label
      >It leaves on <input v-model="when" type="datetime-local" class="when" aria-label="When it leaves"
    /></label>
    <p class="quiet mt-2">Until then it waits under “Drafts and kept for later”, and can be taken back.</p>
    <template #answers>
      <v-btn @click="open = false">Not yet</v-btn>
      <v-btn color="primary" variant="flat" @click="keep">Keep for later</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.when {
  font: inherit;
  border: 1px solid var(--strong);
  padding: 4px 6px;
}
</style>
