<script setup lang="ts">
import { computed, ref } from 'vue';
import { act, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { many } from '../words.ts';
import AskDialog from '../ui/AskDialog.vue';
import { useMailList } from './mailList.ts';

/** Asks what is to become of mail whose mailbox has no bin on its server: nothing goes for good unasked. */
const post = useMailList();
const busy = ref(false);
const problem = ref('');
const names = computed(() =>
  post.boxes
    .filter((box) => post.binless.boxes.includes(box.id))
    .map((box) => box.name)
    .join(', '),
);
const leave = () => (post.binless = { ids: [], boxes: [] });

async function throwAway(forGood: boolean) {
  const { ids, boxes } = post.binless;
  busy.value = true;
  try {
    if (!forGood) for (const id of boxes) await act('POST', `/mailboxes/${id}/bin`);
    leave();
    problem.value = '';
    await post.take({ kind: 'throw away', forGood }, ids, 'Thrown away', boxes);
  } catch (error) {
    problem.value = wordsOf(error);
  }
  busy.value = false;
}
</script>

<template>
  <AskDialog
    :model-value="post.binless.ids.length > 0"
    label="No bin in this mailbox"
    @update:model-value="(on: boolean) => on || leave()"
  >
    <template #heading>There is no bin for {{ many(post.binless.ids.length, 'message') }}</template>
    <p>
      The mail server of {{ names }} keeps no folder for what is thrown away. One can be made there, called
      Trash, from which everything can be put back. Without it, what is thrown away is gone at once. What is
      logged on a client file stays there.
    </p>
    <Trouble :words="problem" class="mt-3" />

    <template #answers>
      <v-btn :disabled="busy" @click="leave">Leave {{ post.binless.ids.length === 1 ? 'it' : 'them' }}</v-btn>
      <v-btn color="error" variant="outlined" :disabled="busy" @click="throwAway(true)"
        >Throw away for good</v-btn
      >
      <v-btn color="primary" variant="flat" :loading="busy" @click="throwAway(false)"
        >Make a bin and throw away</v-btn
      >
    </template>
  </AskDialog>
</template>
