<script setup lang="ts">
import { computed, ref } from 'vue';
import { z } from 'zod';
import { ListEntry, UploadSettle, type CollectionUpload, type FileRef } from '../../contract/index.ts';
import { act } from '../api.ts';
import LookDialog from '../documents/LookDialog.vue';
import FileFinder from '../parts/FileFinder.vue';
import FileTab from '../parts/FileTab.vue';
import Trouble from '../parts/Trouble.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { size, useTimes } from '../words.ts';

/** Something a client put on their page: looked at within a frame of nothing, then taken in or refused. */
const props = defineProps<{ upload: CollectionUpload }>();
const emit = defineEmits<{ close: []; done: [words: string] }>();
const { full } = useTimes();
const open = computed({ get: () => true, set: () => emit('close') });
const file = ref<Pick<FileRef, 'id' | 'number'>>(props.upload.file);
const finding = ref(false);
const kindId = ref<number | null>(null);
const why = ref('');
const refusing = ref(false);
const { data: kinds } = useLoad(z.array(ListEntry), () => '/documents/kinds', {
  concerns: { records: true },
});
const form = useForm(UploadSettle, ['why']);
async function settle(value: z.input<typeof UploadSettle>, words: string) {
  if (await form.submit(value, () => act('PUT', `/collection/uploads/${props.upload.id}`, value)))
    emit('done', words);
}
const takeIn = () =>
  settle(
    { to: 'taken in', fileId: file.value.id, kindId: kindId.value },
    `“${props.upload.filename}” lies on ${file.value.number} now.`,
  );
const refuse = () =>
  settle({ to: 'refused', why: why.value }, `“${props.upload.filename}” was refused, and is kept no longer.`);
</script>

<template>
  <LookDialog
    v-model="open"
    :filename="upload.filename"
    :page="`/collection/uploads/${upload.id}/page`"
    :content="`/collection/uploads/${upload.id}/content`"
    :look="upload.look"
    :persistent="why !== ''"
  >
    <template #side>
      <p>
        From <strong>{{ upload.person }}</strong>, for
        <router-link :to="`/clients/${upload.client.id}?show=page`">{{ upload.client.name }}</router-link>
      </p>
      <p class="quiet">{{ full(upload.at) }}; {{ size(upload.size) }}; {{ upload.mimeType }}</p>
      <p v-if="upload.wanted" class="mt-2">It is said to be “{{ upload.wanted }}”, which was asked for.</p>
      <p class="quiet mt-2">Nothing outside of this window has seen it yet.</p>
      <template v-if="!refusing">
        <h3 class="mt-4">Take it in</h3>
        <p class="mt-1">
          onto <FileTab state="logged" :label="file.number" />
          <button type="button" class="link" @click="finding = true">another file</button>
        </p>
        <v-select
          v-model="kindId"
          :items="kinds ?? []"
          item-title="name"
          item-value="id"
          label="As what kind"
          clearable
          class="mt-2"
        />
        <v-btn color="primary" variant="flat" class="mt-3" :loading="form.busy.value" @click="takeIn"
          >Take it in</v-btn
        >
        <p class="mt-4">
          <button type="button" class="link needs" @click="refusing = true">refuse it…</button>
        </p>
      </template>
      <template v-else>
        <h3 class="mt-4">Refuse it</h3>
        <v-textarea
          v-model="why"
          v-first
          label="Why, as the client reads it"
          rows="3"
          class="mt-2"
          :error-messages="form.errorOf('why')"
        />
        <p class="quiet mt-1">It is deleted at once, and cannot be brought back.</p>
        <div class="ways mt-2">
          <v-btn size="small" @click="refusing = false">Not now</v-btn>
          <v-btn size="small" color="error" variant="flat" :loading="form.busy.value" @click="refuse"
            >Refuse and delete</v-btn
          >
        </div>
      </template>
      <Trouble :words="form.problem.value" class="mt-2" />
    </template>
  </LookDialog>
  <FileFinder v-model="finding" @choose="(chosen: FileRef) => (file = chosen)" />
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
</style>
