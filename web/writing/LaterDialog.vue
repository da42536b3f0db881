<script setup lang="ts">
import { DateTime } from 'luxon';
import { ref, watch } from 'vue';
import { useSession } from '../session.ts';
import DateField from '../ui/DateField.vue';
import AskDialog from '../ui/AskDialog.vue';

/** Asks when a message is to leave: the next morning, unless one says otherwise. */
const open = defineModel<boolean>({ required: true });
const emit = defineEmits<{ choose: [at: string] }>();
const session = useSession();
const day = ref('');
const time = ref('');
const wrong = ref('');
watch(open, (now) => {
  if (!now) return;
  const morning = DateTime.now().setZone(session.zone).plus({ days: 1 }).set({ hour: 8, minute: 30 });
  day.value = morning.toISODate() ?? '';
  time.value = morning.toFormat('HH:mm');
  wrong.value = '';
});
function keep() {
  const clock = /^(\d{1,2})[:.](\d{2})$/.exec(time.value.trim());
  const at =
    clock &&
    DateTime.fromISO(`${day.value}T${clock[1]?.padStart(2, '0')}:${clock[2]}`, { zone: session.zone });
  wrong.value = at?.isValid ? '' : 'Give a time, such as 08:30.';
  if (!at?.isValid) return;
  open.value = false;
  emit('choose', at.toUTC().toISO() ?? '');
}
</script>

<template>
  <AskDialog v-model="open" label="Send later">
    <div class="when">
      <DateField v-model="day" label="It leaves on" />
      <v-text-field v-model="time" label="at" :error-messages="wrong" @keydown.enter="keep" />
    </div>
    <p class="quiet mt-2">Until then it waits under “Drafts and kept for later”, and can be taken back.</p>
    <template #answers>
      <v-btn @click="open = false">Not yet</v-btn>
      <v-btn color="primary" variant="flat" @click="keep">Keep for later</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
.when {
  display: grid;
  grid-template-columns: 1fr 110px;
  gap: 12px;
  padding-top: 6px;
}
</style>
