<script setup lang="ts">
import { z } from 'zod';
import { FileDocument } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { size, useTimes } from '../words.ts';

/** The client's documents that came or went with mail, one of which is to be enclosed. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ fileId: number | null }>();
const emit = defineEmits<{ choose: [document: FileDocument] }>();
const { brief } = useTimes();
const { data: documents, problem } = useLoad(z.array(FileDocument), () =>
  open.value && props.fileId ? `/files/${props.fileId}/documents` : null,
);
</script>

<template>
  <AskDialog v-model="open" label="The client’s documents">
    <Trouble :words="problem" />
    <p v-if="documents === null && !problem" class="quiet">Looking …</p>
    <p v-else-if="!documents?.length" class="quiet">
      Nothing has come or gone with a message on this client’s files.
    </p>
    <button
      v-for="each in documents ?? []"
      :key="`${each.messageId} ${each.index}`"
      type="button"
      class="plain choice"
      @click="emit('choose', each)"
    >
      <span
        >{{ each.filename }}<br /><span class="quiet">{{ each.from }}, {{ brief(each.at) }}</span></span
      >
      <span class="quiet figures">{{ size(each.size) }}</span>
    </button>
    <template #answers><v-btn @click="open = false">Close</v-btn></template>
  </AskDialog>
</template>
