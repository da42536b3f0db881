<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ref, watch } from 'vue';
import { DocumentsPage, type FileRef } from '../../contract/index.ts';
import Trouble from '../parts/Trouble.vue';
import AskDialog from '../ui/AskDialog.vue';
import { useLoad } from '../ui/load.ts';
import { size, useTimes } from '../words.ts';

/** The client's documents, one of which is to be enclosed. */
const open = defineModel<boolean>({ required: true });
const props = defineProps<{ client: Pick<FileRef, 'clientId' | 'clientName'> | null }>();
const emit = defineEmits<{ choose: [id: number] }>();
const LIMIT = 50;
const { brief } = useTimes();
const typed = ref('');
const words = ref('');
const say = useDebounceFn(() => (words.value = typed.value ?? ''), 200);
watch(typed, () => void say());
const { data, problem, load } = useLoad(DocumentsPage, () =>
  open.value && props.client
    ? { path: '/documents', query: { clientId: props.client.clientId, q: words.value, limit: LIMIT } }
    : null,
);
</script>

<template>
  <AskDialog v-model="open" :label="`Documents of ${client?.clientName ?? 'the client'}`" :max-width="640">
    <v-text-field
      v-model="typed"
      data-find
      label="Find by name or by what stands in it"
      clearable
      class="mb-2"
    />
    <Trouble :words="problem" :retry="load" />
    <p v-if="data === null && !problem" class="quiet">Looking …</p>
    <p v-else-if="!data?.rows.length" class="quiet">
      {{ words ? 'No document has these words.' : 'Nothing lies on this client’s files yet.' }}
    </p>
    <div class="found">
      <button
        v-for="each in data?.rows ?? []"
        :key="each.id"
        type="button"
        class="plain choice"
        @click="emit('choose', each.id)"
      >
        <span class="name"
          >{{ each.filename }}<br /><span class="quiet">{{
            [each.kind?.name, each.from, brief(each.at)].filter(Boolean).join(', ')
          }}</span></span
        >
        <span class="quiet figures">{{ size(each.size) }}</span>
      </button>
    </div>
    <p v-if="data && data.total > data.rows.length" class="quiet mt-1">
      {{ data.total - data.rows.length }} more: type some letters of the one you look for.
    </p>
    <template #answers><v-btn @click="open = false">Close</v-btn></template>
  </AskDialog>
</template>

<style scoped>
.found {
  max-height: 46vh;
  overflow: auto;
}
.name {
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
