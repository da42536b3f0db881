<script setup lang="ts">
import { ref } from 'vue';
import { MailingSaved, type KeptWording, type WordingVersion } from '../../contract/index.ts';
import { send, upload, wordsOf } from '../api.ts';
import Trouble from '../parts/Trouble.vue';
import { size, useTimes } from '../words.ts';

/** The file that a kept enclosure holds, and those that it held. */
const props = defineProps<{ kept: KeptWording; versions: readonly WordingVersion[]; may: boolean }>();
const emit = defineEmits<{ changed: [] }>();
const { full } = useTimes();
const chooser = ref<HTMLInputElement | null>(null);
const busy = ref(false);
const problem = ref('');
const path = (version?: number) =>
  `/api/wordings/kept/${props.kept.id}${version === undefined ? '' : `/versions/${version}`}/content`;
async function attempt(work: () => Promise<unknown>) {
  busy.value = true;
  try {
    await work();
    problem.value = '';
    emit('changed');
  } catch (error) {
    problem.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
function chosen() {
  const file = chooser.value?.files?.[0];
  if (chooser.value) chooser.value.value = '';
  if (!file) return;
  const query = { filename: file.name, type: file.type, version: String(props.kept.version) };
  void attempt(() => upload(`/wordings/${props.kept.id}/content`, query, file));
}
const bringBack = (to: number) =>
  attempt(() =>
    send('POST', MailingSaved, `/wordings/${props.kept.id}/content/back`, {
      version: props.kept.version,
      to,
    }),
  );
</script>

<template>
  <div class="sheet pa-4">
    <h2>The file</h2>
    <Trouble :words="problem" class="my-2" />
    <p v-if="kept.enclosed" class="held">
      <a :href="path()" download>{{ kept.enclosed.filename }}</a>
      <span class="quiet figures">{{ size(kept.enclosed.size) }}</span>
    </p>
    <template v-if="may">
      <v-btn :loading="busy" @click="chooser?.click()">Put a newer file in its place…</v-btn>
      <input ref="chooser" type="file" hidden aria-hidden="true" @change="chosen" />
      <p class="quiet mt-2">
        What goes out from now on is the newer one. Drafts that carry the former say so, and take the newer
        when you tell them.
      </p>
    </template>
    <h2 class="mt-6">As it was before</h2>
    <p v-if="!versions.length" class="quiet">It was never another.</p>
    <ul v-else class="versions">
      <li v-for="each in versions" :key="each.version">
        <span class="name">
          <a v-if="each.enclosed" :href="path(each.version)" download>{{ each.enclosed.filename }}</a>
          <span class="quiet figures">{{ each.enclosed ? size(each.enclosed.size) : '' }}</span>
        </span>
        <span class="quiet"
          >until {{ full(each.changedAt) }}{{ each.by ? `, then changed by ${each.by}` : '' }}</span
        >
        <button v-if="may" type="button" class="link" :disabled="busy" @click="bringBack(each.version)">
          bring it back
        </button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.held {
  display: flex;
  gap: 10px;
  align-items: baseline;
  margin: 8px 0 12px;
  overflow-wrap: anywhere;
}
.versions {
  list-style: none;
  padding: 0;
  margin: 4px 0;
}
.versions li {
  display: flex;
  gap: 4px 16px;
  align-items: baseline;
  padding: 5px 0;
  border-bottom: 1px solid var(--hairline);
}
.name {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
