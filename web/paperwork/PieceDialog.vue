<script setup lang="ts">
import { computed, reactive, ref, toRaw, useTemplateRef, watch } from 'vue';
import { z } from 'zod';
import { FactInfo, PieceChange, PieceView } from '../../contract/index.ts';
import type { DocNode } from '../../core/merge/document.ts';
import { act, ApiProblem, upload, wordsOf } from '../api.ts';
import FormatBar from '../parts/FormatBar.vue';
import Trouble from '../parts/Trouble.vue';
import Writer from '../parts/Writer.vue';
import { useLoad } from '../ui/load.ts';

/** One piece changed by hand: its words, its address, to whom it goes. It is made anew. */
const props = defineProps<{ id: number }>();
const emit = defineEmits<{ close: []; changed: [] }>();
const { data: piece, problem, load } = useLoad(PieceView, () => `/pieces/${props.id}`);
const { data: facts } = useLoad(z.array(FactInfo), () => '/paperwork/facts');
const label = (key: string) => facts.value?.find((each) => each.key === key)?.label ?? key;
const body = useTemplateRef<InstanceType<typeof Writer>>('body');
const draft = reactive<{ body: DocNode; postal: string; people: string }>({
  body: { type: 'doc' },
  postal: '',
  people: '',
});
const ready = ref(false);
let begun = '';
watch(piece, (now) => {
  if (!now || ready.value) return;
  draft.body = structuredClone(toRaw(now).body);
  draft.postal = now.postal.join('\n');
  draft.people = now.people.map(({ name, email }) => (name ? `${name} <${email}>` : email)).join('\n');
  begun = JSON.stringify(draft);
  ready.value = true;
});
const changed = computed(() => ready.value && JSON.stringify(draft) !== begun);
/** A line each, as `Agnes Pell <agnes@pell.example>` or the address alone. */
function readPeople(text: string) {
  return text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const named = /^(.{0,120}?)\s*<([^<>]{1,254})>$/.exec(line);
      return named ? { name: named[1] ?? '', email: named[2] ?? '' } : { name: '', email: line };
    });
}
const busy = ref(false);
const failed = ref('');
async function keep(instead: { body?: DocNode | null } = {}) {
  if (!piece.value) return;
  const before = JSON.parse(begun) as { body: DocNode; postal: string; people: string };
  const change = PieceChange.safeParse({
    version: piece.value.version,
    ...(JSON.stringify(draft.body) === JSON.stringify(before.body) ? {} : { body: draft.body }),
    ...(draft.postal === before.postal ? {} : { postal: draft.postal.split('\n') }),
    ...(draft.people === before.people ? {} : { people: readPeople(draft.people) }),
    ...instead,
  });
  if (!change.success) {
    failed.value = change.error.issues[0]?.message ?? 'Something is not right.';
    return;
  }
  busy.value = true;
  try {
    await act('PUT', `/pieces/${props.id}`, change.data);
    emit('changed');
    emit('close');
  } catch (error) {
    failed.value = wordsOf(error);
    if (error instanceof ApiProblem && error.status === 409) await load();
  } finally {
    busy.value = false;
  }
}
/** A document that was changed by hand, as it is. */
const chooser = useTemplateRef<HTMLInputElement>('chooser');
async function documentOf(work: (version: string) => Promise<unknown>) {
  busy.value = true;
  try {
    await work(String(piece.value?.version ?? 0));
    emit('changed');
    emit('close');
  } catch (error) {
    failed.value = wordsOf(error);
  } finally {
    busy.value = false;
  }
}
function putBack() {
  const file = chooser.value?.files?.[0];
  if (chooser.value) chooser.value.value = '';
  if (file) void documentOf((version) => upload(`/pieces/${props.id}/document`, { version }, file));
}
const ofAll = () =>
  piece.value?.docx
    ? documentOf((version) => act('DELETE', `/pieces/${props.id}/document?version=${version}`))
    : keep({ body: null });
</script>

<template>
  <v-dialog
    :model-value="true"
    persistent
    max-width="900"
    aria-label="Change this piece"
    scrollable
    @keydown.esc="changed || emit('close')"
  >
    <v-card class="pa-5">
      <h2 class="mb-2">{{ piece?.client ?? 'Change this piece' }}</h2>
      <Trouble :words="problem || failed" class="mb-2" />
      <div v-if="ready && facts" class="two">
        <div v-if="piece?.docx">
          <p>
            It is a document of your word processor.
            <a :href="`/api/pieces/${id}/content?as=docx`" download>Save it</a>, change it there, and put it
            back.
          </p>
          <v-btn class="mt-3" :loading="busy" @click="chooser?.click()"
            >Put a changed one in its place…</v-btn
          >
          <input ref="chooser" type="file" accept=".docx" hidden aria-hidden="true" @change="putBack" />
        </div>
        <div v-else class="sheet body">
          <FormatBar
            :editor="body?.editor"
            :facts="facts ?? []"
            @pictures="(files) => body?.insertPictures(files)"
          />
          <div class="scroll">
            <Writer
              ref="body"
              v-model="draft.body"
              label="Words of this piece"
              :field-label="label"
              @trouble="failed = $event"
            />
          </div>
        </div>
        <div>
          <v-textarea v-model="draft.postal" label="Postal address" rows="6" />
          <v-textarea v-model="draft.people" label="By email to, a line each" rows="3" class="mt-2" />
          <button v-if="piece?.own" type="button" class="link mt-2" @click="ofAll">
            Take the words of all again
          </button>
        </div>
      </div>
      <div class="answers">
        <v-btn @click="emit('close')">{{ changed ? 'Forget what I changed' : 'Close' }}</v-btn>
        <v-btn color="primary" variant="flat" :disabled="!changed" :loading="busy" @click="keep()"
          >Keep, and make it anew</v-btn
        >
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 240px;
  gap: 18px;
  min-height: 0;
  overflow: auto;
  /* Room for the names of fields, which stand on their edge. */
  padding-top: 8px;
}
.body {
  display: flex;
  flex-direction: column;
  min-height: 320px;
}
.scroll {
  overflow: auto;
}
</style>
