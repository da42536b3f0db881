<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue';
import { useRouter } from 'vue-router';
import { Made, TemplatesPage } from '../../contract/index.ts';
import { upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import { useLoad } from '../ui/load.ts';
import PagedTable from '../ui/PagedTable.vue';
import { many, size, useTimes } from '../words.ts';

/** Word-processor templates that the firm brings along. */
const LIMIT = 40;
const router = useRouter();
const session = useSession();
const { brief } = useTimes();
const may = computed(() => session.may('prepare paperwork'));
const offset = ref(0);
const { data, problem, load } = useLoad(
  TemplatesPage,
  () => ({ path: '/paperwork/templates', query: { offset: offset.value, limit: LIMIT } }),
  { concerns: { paperwork: true } },
);
const COLUMNS = [
  { words: 'Template' },
  { words: 'Document' },
  { words: 'Fields', width: 170 },
  { words: 'Taken in by', width: 140 },
  { words: 'Changed', right: true, width: 110 },
];
const chooser = useTemplateRef<HTMLInputElement>('chooser');
const busy = ref(false);
const failed = ref('');
async function take(file: File | undefined) {
  if (chooser.value) chooser.value.value = '';
  if (!file) return;
  busy.value = true;
  try {
    const { id } = Made.parse(await upload('/paperwork/templates', { filename: file.name }, file));
    await router.push(`/paperwork/templates/${id}`);
  } catch (error) {
    failed.value = `“${file.name}” was not taken. ${wordsOf(error)}`;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="screen" @dragover.prevent @drop.prevent="may && take($event.dataTransfer?.files[0])">
    <header class="head">
      <div>
        <h1>Templates</h1>
        <p class="quiet">
          Letters that you wrote with your word processor (.docx), with merge fields in them. Each field is
          matched to a fact once.
        </p>
      </div>
      <span class="acts">
        <v-btn @click="router.push('/paperwork')">To the paperwork</v-btn>
        <v-btn v-if="may" color="primary" variant="flat" :loading="busy" @click="chooser?.click()"
          >Take one in…</v-btn
        >
        <input
          ref="chooser"
          type="file"
          accept=".docx"
          hidden
          aria-hidden="true"
          @change="take(chooser?.files?.[0])"
        />
      </span>
    </header>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <Trouble :words="failed" class="mb-2" />
    <p v-if="data?.without" class="without">{{ data.without }}</p>
    <PagedTable
      v-model:offset="offset"
      :columns="COLUMNS"
      :rows="data?.rows ?? []"
      :row-key="(row) => row.id"
      :total="data?.total ?? 0"
      :limit="LIMIT"
      what="templates"
    >
      <template #row="{ row }">
        <td>
          <router-link :to="`/paperwork/templates/${row.id}`">{{ row.title }}</router-link>
        </td>
        <td>
          {{ row.filename }} <span class="quiet figures">{{ size(row.size) }}</span>
        </td>
        <td>
          {{ many(row.fields, 'field')
          }}<span v-if="row.unmatched" class="needs">, {{ row.unmatched }} to match</span>
        </td>
        <td>{{ row.owner }}</td>
        <td class="right figures">{{ brief(row.savedAt) }}</td>
      </template>
      <template #empty>
        <p v-if="data" class="quiet none">
          None yet. Take in a letter that has merge fields, or write letters with the words of the cupboard.
        </p>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 8px 16px;
  margin-bottom: 14px;
}
.acts {
  display: flex;
  gap: 8px;
}
.without {
  margin-bottom: 10px;
  padding: 6px 12px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.none {
  padding: 24px;
  text-align: center;
}
</style>
