<script setup lang="ts">
import { ref } from 'vue';
import { z } from 'zod';
import { MailingEnclosure } from '../../contract/index.ts';
import { act, upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { about } from '../ui/live.ts';
import { useLoad } from '../ui/load.ts';
import { size } from '../words.ts';
import KeptDialog from '../writing/KeptDialog.vue';

/** What goes with every copy of a mailing. */
const props = defineProps<{ mailingId: number }>();
const chooser = ref<HTMLInputElement | null>(null);
const busy = ref(false);
const {
  data: enclosures,
  problem,
  load,
} = useLoad(z.array(MailingEnclosure), () => `/mailings/${props.mailingId}/enclosures`, {
  concerns: { mailings: about('mailing', () => [props.mailingId]) },
});
async function attempt(work: () => Promise<unknown>) {
  busy.value = true;
  try {
    await work();
    await load();
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
function chosen() {
  const files = [...(chooser.value?.files ?? [])];
  if (chooser.value) chooser.value.value = '';
  void attempt(async () => {
    for (const file of files)
      await upload(
        `/mailings/${props.mailingId}/enclosures`,
        { filename: file.name, type: file.type || 'application/octet-stream' },
        file,
      );
  });
}
const choosing = ref(false);
const fromCupboard = (id: number) => {
  choosing.value = false;
  return attempt(() => act('POST', `/mailings/${props.mailingId}/enclosures/kept`, { wordingIds: [id] }));
};
const renew = (id: number) =>
  attempt(() => act('POST', `/mailings/${props.mailingId}/enclosures/${id}/renew`));
const takeOff = (id: number) => attempt(() => act('DELETE', `/mailings/${props.mailingId}/enclosures/${id}`));
</script>

<template>
  <h2 class="mt-6">Enclosed with every copy</h2>
  <Trouble :words="problem" :retry="load" class="mt-2" />
  <ul class="enclosures">
    <li v-for="each in enclosures ?? []" :key="each.id">
      <span class="name" :title="each.filename">{{ each.filename }}</span>
      <span class="quiet figures">{{ size(each.size) }}</span>
      <button
        v-if="each.newer"
        type="button"
        class="link needs"
        :aria-label="`Take the newer ${each.filename} from the cupboard`"
        title="A newer one lies in the cupboard"
        @click="renew(each.id)"
      >
        take the newer
      </button>
      <button type="button" class="link" :aria-label="`Take ${each.filename} off`" @click="takeOff(each.id)">
        take off
      </button>
    </li>
  </ul>
  <div class="ways mt-1">
    <v-btn size="small" :loading="busy" @click="chooser?.click()">Enclose a file…</v-btn>
    <v-btn size="small" :disabled="busy" @click="choosing = true">From the cupboard…</v-btn>
  </div>
  <KeptDialog v-model="choosing" @choose="fromCupboard" />
  <input ref="chooser" type="file" multiple hidden aria-hidden="true" @change="chosen" />
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.enclosures {
  list-style: none;
  padding: 0;
  margin: 4px 0;
}
.enclosures li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 2px 0;
}
.name {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
