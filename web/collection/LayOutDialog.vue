<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { DateTime } from 'luxon';
import { ClientPages, LaidOut, LayOut, type DocumentRow } from '../../contract/index.ts';
import { send } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { useSession } from '../session.ts';
import AskDialog from '../ui/AskDialog.vue';
import DateField from '../ui/DateField.vue';
import { useForm } from '../ui/form.ts';
import { useLoad } from '../ui/load.ts';
import { many } from '../words.ts';

/** Lays a document of a client's out on the pages of some of their people. */
const props = defineProps<{ clientId: number; document: DocumentRow; fileId: number | null }>();
const emit = defineEmits<{ close: []; done: [words: string] }>();
const session = useSession();
const open = computed({ get: () => true, set: () => emit('close') });
const { data, problem, load } = useLoad(ClientPages, () => `/clients/${props.clientId}/pages`);
const personIds = ref<number[]>([]);
const fileId = ref(
  props.document.files.find(({ id }) => id === props.fileId)?.id ?? props.document.files[0]?.id ?? 0,
);
const until = ref('');
watch(data, (now) => {
  if (!now) return;
  const able = now.pages.filter(({ state, email }) => email && state !== 'withdrawn');
  if (!personIds.value.length) personIds.value = able.slice(0, 1).map(({ personId }) => personId);
  until.value ||= DateTime.now().setZone(session.zone).plus({ days: now.days }).toISODate() ?? '';
});
const form = useForm(LayOut, ['personIds', 'fileId', 'until']);
async function layOut() {
  const value = {
    personIds: personIds.value,
    documentId: props.document.id,
    fileId: fileId.value,
    until: until.value,
  };
  let words = '';
  const done = await form.submit(value, async () => {
    const { laid, replaced } = await send('POST', LaidOut, `/clients/${props.clientId}/pages/items`, value);
    words = [
      laid ? `It lies on ${many(laid, 'page')} now. Write to them, so that they know.` : '',
      replaced ? `On ${many(replaced, 'page')} it took the place of the version before.` : '',
      laid + replaced ? '' : 'It lay there already, as it is.',
    ]
      .filter(Boolean)
      .join(' ');
  });
  if (done) emit('done', words);
}
</script>

<template>
  <AskDialog v-model="open" label="Lay it out" :max-width="560" persistent>
    <p class="mb-3">
      <strong>{{ document.filename }}</strong> lies on their own page then, for them to collect with a link
      and a code. Under the name of one that lies there it takes its place.
    </p>
    <Trouble :words="problem" :retry="load" class="mb-2" />
    <form class="form-grid" @submit.prevent="layOut">
      <fieldset class="wide">
        <legend class="quiet">For whom</legend>
        <v-checkbox
          v-for="page in data?.pages ?? []"
          :key="page.personId"
          v-model="personIds"
          :value="page.personId"
          :disabled="!page.email || page.state === 'withdrawn'"
          :label="`${page.name || 'somebody'}${page.email ? `, ${page.email}` : ': no address, so no code reaches them'}${page.state === 'withdrawn' ? ': their page is withdrawn' : ''}`"
        />
        <p v-if="data && !data.pages.length" class="quiet">Nobody is named with this client yet.</p>
        <p v-for="each in form.errorOf('personIds')" :key="each" class="needs">{{ each }}</p>
      </fieldset>
      <v-select
        v-if="document.files.length > 1"
        v-model="fileId"
        :items="document.files.map(({ id, number, title }) => ({ id, title: `${number} ${title}` }))"
        item-title="title"
        item-value="id"
        label="About which file"
        :error-messages="form.errorOf('fileId')"
      />
      <DateField v-model="until" label="It lies there until" :error-messages="form.errorOf('until')" />
    </form>
    <Trouble :words="form.problem.value" class="mt-2" />
    <template #answers>
      <v-btn @click="emit('close')">Not now</v-btn>
      <v-btn color="primary" variant="flat" :loading="form.busy.value" @click="layOut">Lay it out</v-btn>
    </template>
  </AskDialog>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
}
</style>
