<script setup lang="ts">
import { onMounted, onUnmounted, ref, watch } from 'vue';
import type { DocumentLook } from '../../core/documents/look.ts';
import { fetched, wordsOf } from '../api.ts';
import type { Shown } from '../look/shown.ts';
import Trouble from '../parts/Trouble.vue';

/** A document looked at where it is, in a frame that has nothing of ours: PDFs page by page, pictures, words. */
const props = defineProps<{
  /** Where it is had, below `/api`: its bytes at `content`, its page at `page`. */
  page: string;
  content: string;
  look: DocumentLook | null;
  filename: string;
  /** Its bytes, where they are here already. */
  bytes?: ArrayBuffer | null;
}>();
const emit = defineEmits<{ pages: [count: number] }>();
const frame = ref<HTMLIFrameElement | null>(null);
const problem = ref('');
const busy = ref(true);
const shown = ref('');
let ready = false;
/** What was asked for last: a late answer to an older question is not shown. */
let asked = 0;

async function load() {
  const mine = ++asked;
  problem.value = '';
  shown.value = '';
  busy.value = props.look !== null;
  try {
    if (props.look === 'pdf') {
      if (!ready) return;
      const bytes = props.bytes?.slice(0) ?? (await (await fetched(props.content)).arrayBuffer());
      if (mine === asked) frame.value?.contentWindow?.postMessage(bytes, '*', [bytes]);
    } else if (props.look) {
      const page = await (await fetched(props.page)).text();
      if (mine !== asked) return;
      shown.value = page;
      busy.value = false;
    }
  } catch (error) {
    if (mine !== asked) return;
    problem.value = wordsOf(error);
    busy.value = false;
  }
}

const WHY = {
  locked: 'It is locked with a password. Save it, and open it with a program for PDFs.',
  damaged: 'It cannot be shown here. Save it, and try it with another program.',
};
function heard({ source, data }: MessageEvent<Shown>) {
  if (!frame.value || source !== frame.value.contentWindow) return;
  if ('ready' in data) {
    ready = true;
    void load();
    return;
  }
  busy.value = false;
  if (data.shown) emit('pages', data.pages);
  else problem.value = WHY[data.why];
}
onMounted(() => {
  window.addEventListener('message', heard);
  void load();
});
onUnmounted(() => window.removeEventListener('message', heard));
watch(
  () => [props.page, props.bytes],
  () => void load(),
);
// Another frame says itself when it is ready.
watch(
  () => props.look,
  () => (ready = false),
);
</script>

<template>
  <div class="look">
    <Trouble :words="problem" class="mb-2" />
    <p v-if="look === null" class="quiet none">
      It is nothing that can be shown here. Save it, and open it with a program for it.
    </p>
    <p v-else-if="busy && !problem" class="quiet none" role="status">Opening …</p>
    <iframe
      v-if="look === 'pdf'"
      v-show="!problem"
      ref="frame"
      src="/look.html"
      sandbox="allow-scripts"
      :title="filename"
      tabindex="0"
    />
    <iframe v-else-if="shown" :srcdoc="shown" sandbox="" :title="filename" tabindex="0" />
  </div>
</template>

<style scoped>
.look {
  display: flex;
  flex-direction: column;
  min-height: 0;
  height: 100%;
}
iframe {
  flex: 1;
  min-height: 320px;
  width: 100%;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.none {
  padding: 12px;
}
</style>
